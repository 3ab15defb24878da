# Pictures looked at, one pass each, in C++: what tells a good frame from a bad one.

# `paths`: PNG files and float maps. Returns a list: `facts`, a data frame, one row a picture, and
# lists of one vector a picture. Facts: `fault` (why it cannot be read to its end, or ""), `hash`
# (of its values), `width`, `height`, `channels`, `depth` (bits), `space` (what a PNG says of its
# colours: 0 nothing, 1 sRGB, 2 a profile, else its gamma times 100,000), `low`, `high`, `mean`
# (brightness as a display shows it, 0 to 1; of float maps the root of linear light), `red`,
# `green`, `blue` (means), `alpha` (the most), `odd` (values that are no finite numbers) and where
# the first is, `spikes`, `bright_spikes` (pixels brighter than all around them by a quarter and by
# a half of white) and where the strongest is, `slip_row`, `slip_by`, `slip_gain`, `slip_whole` (a
# row above which pixels lie beside those below it, by how many columns, how much less the two rows
# differ when they are moved so, of how much), `columns`, `rows` (of the grids). Lists: `grid`
# (brightness of each block, from the top left, row by row), `rough` (mean absolute Laplacian of
# each block, from which J. Immerkaer (1996), Computer Vision and Image Understanding 64, 300, takes
# the noise), `strange` (the share of each block's pixels that have the colour of a missing
# texture), and of rows `step`, `jag` (between each row and the next: a step of brightness across
# the whole width; how much more they differ than rows around them), and `slope`, `fold` (as much
# over three rows on). A picture of more than `most_pixels` is not decoded and has a fault: 59 kB
# can hold a picture of 4 GB.
look_at_pictures <- function(paths, threads = 1, most_pixels = usual_pixels) {
  as_looks(looked_pictures(paths, as.integer(threads), most_pixels))
}

# Most pixels of a picture whose size was not ordered.
usual_pixels <- 1e8

# The same of one picture's values, an array height x width x channels of linear light, or as for a
# display.
look_at_values <- function(x, linear) as_looks(looked_values(x, linear))

# Size, channels, depth and `fault` of PNG files by their headers and ends alone.
look_at_heads <- function(paths, threads = 1) png_heads(paths, as.integer(threads))

as_looks <- function(x) {
  x$facts <- as.data.frame(x$facts, stringsAsFactors = FALSE)
  x
}

look_parts <- c("grid", "rough", "strange", "step", "jag", "slope", "fold")

pick_looks <- function(looks, at) {
  c(list(facts = looks$facts[at, , drop = FALSE]), lapply(looks[look_parts], `[`, at))
}

bind_looks <- function(list) {
  c(list(facts = do.call(rbind, lapply(list, `[[`, "facts"))),
    lapply(stats::setNames(nm = look_parts),
           function(part) unlist(lapply(list, `[[`, part), recursive = FALSE)))
}

# Facts that a header does not contain, for a picture that was not decoded.
no_look <- function(fault) {
  facts <- data.frame(fault = fault, hash = NA_character_, width = NA_real_, height = NA_real_,
                      channels = NA_real_, depth = NA_real_, low = NA_real_, high = NA_real_,
                      mean = NA_real_, red = NA_real_, green = NA_real_, blue = NA_real_,
                      alpha = NA_real_, odd = 0, odd_row = 0, odd_column = 0, columns = 0, rows = 0,
                      space = NA_real_, slip_row = 0, slip_by = 0, slip_gain = 0, slip_whole = 0,
                      spikes = 0, bright_spikes = 0, spike_row = 0, spike_column = 0, spike_by = 0)
  c(list(facts = facts),
    stats::setNames(rep(list(list(numeric())), length(look_parts)), look_parts))
}
