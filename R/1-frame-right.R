# Are the pictures of a sequence right? Each is compared with those before and after it.

# `looks` of pictures in the order of their `frames` (numbers); `cuts`: first frames after each cut;
# `edges`: last rows of bands that the pictures were joined of. Returns a data frame of findings,
# one row each: `index` (of the picture), `code`, `weight` ("unusable" or "doubt"), `top`, `bottom`,
# `left`, `right` (its place in the picture, NA: all of it), `size` (how strong it is) and `bound`
# (what it had to exceed), `sure` (0.5 to 1), `what`, `evidence`.
sequence_findings <- function(looks, frames, cuts = integer(), edges = integer()) {
  stopifnot(!is.unsorted(frames, strictly = TRUE))
  alone <- own_findings(looks)
  # Only the header of a picture that was not decoded is known.
  good <- which(!nzchar(looks$facts[["fault"]]) & looks$facts[["columns"]] > 0)
  if (!length(good)) return(alone)
  seen <- pick_looks(looks, good)
  shape <- paste(seen$facts[["width"]], seen$facts[["height"]])
  # Pictures of another size than most are left out here; kind_findings() reports them.
  usual <- shape == names(which.max(table(shape)))
  good <- good[usual]
  seen <- pick_looks(seen, which(usual))
  segment <- findInterval(frames[good], sort(cuts))
  parts <- lapply(split(seq_along(good), segment), function(at) {
    found <- segment_findings(pick_looks(seen, at), frames[good][at], edges)
    found$index <- good[at][found$index]
    found
  })
  out <- rbind(alone, do.call(rbind, parts))
  out <- out[order(out$index, out$weight != "unusable"), , drop = FALSE]
  rownames(out) <- NULL
  out
}

# Findings of single pictures.
own_findings <- function(looks) {
  x <- looks$facts
  bad <- which(nzchar(x[["fault"]]))
  cut <- grepl("cut off|read error|end of file|truncated|not enough", x[["fault"]][bad],
               ignore.case = TRUE)
  odd <- which(x[["odd"]] > 0 & !nzchar(x[["fault"]]))
  clear <- which(!nzchar(x[["fault"]]) & x[["alpha"]] %in% 0)
  rbind(
    frame_finding(bad, ifelse(cut, "cut off", "unreadable"),
                  ifelse(cut, "is cut off", "cannot be read to its end"),
                  paste("reading it ends with:", x[["fault"]][bad])),
    frame_finding(odd, "no number", "has values that are no numbers",
                  paste0(x[["odd"]][odd], ifelse(x[["odd"]][odd] == 1, " pixel is", " pixels are"),
                         " not finite; the first at row ", x[["odd_row"]][odd], ", column ",
                         x[["odd_column"]][odd]),
                  top = x[["odd_row"]][odd], bottom = x[["odd_row"]][odd],
                  left = x[["odd_column"]][odd], right = x[["odd_column"]][odd],
                  size = x[["odd"]][odd]),
    frame_finding(clear, "clear", "is clear all over", "its alpha is 0 everywhere")
  )
}

# Findings of pictures between two cuts, all of one size.
segment_findings <- function(looks, frames, edges) {
  n <- length(frames)
  blank <- blank_findings(looks)
  shown <- setdiff(seq_len(n), blank$index)
  if (length(shown) < 2) return(blank)
  within <- function(found, at) {
    found$index <- at[found$index]
    found
  }
  rest <- pick_looks(looks, shown)
  # A damaged picture is left out of the later tests, as a suspect and as a neighbour.
  holes <- rbind(hole_findings(rest), strange_findings(rest))
  whole <- setdiff(seq_along(shown), holes$index[holes$weight == "unusable"])
  motion <- motion_findings(pick_looks(rest, whole), frames[shown][whole])
  kept <- setdiff(seq_along(whole), motion$index[motion$weight == "unusable"])
  fine <- pick_looks(rest, whole[kept])
  others <- rbind(spike_findings(fine), seam_findings(fine, edges), rough_findings(fine),
                  light_findings(fine), shift_findings(fine))
  others <- strongest_of(others[!duplicated(others[c("index", "code")]), , drop = FALSE])
  rbind(blank, within(holes, shown), within(motion, shown[whole]),
        within(others, shown[whole[kept]]))
}

# The neighbours of a damaged picture exceed their bounds a little too: a finding within three
# pictures of one that is 1.5 times as far beyond its bound is dropped, unless it is four times
# beyond its own.
strongest_of <- function(found) {
  times <- found$size / found$bound
  kept <- vapply(seq_len(nrow(found)), function(k) {
    near <- which(abs(found$index - found$index[k]) <= 3 & found$index != found$index[k])
    times[k] > 4 || !any(times[near] > 1.5 * times[k])
  }, NA)
  found[kept, , drop = FALSE]
}

# Black, or of one colour, next to a picture that is not. A fade is none: it reaches black in steps
# as large as those before.
blank_findings <- function(looks) {
  x <- looks$facts
  n <- nrow(x)
  flat <- x[["high"]] - x[["low"]] < 0.004
  black <- x[["high"]] < 0.012
  blank <- which(flat | black)
  if (!length(blank)) return(frame_finding(integer(), "", "", ""))
  lit <- which(!(flat | black))
  before <- findInterval(blank, lit)
  level <- function(at)
    ifelse(at < 1 | at > length(lit), NA, x[["mean"]][lit[pmin(pmax(at, 1), max(1, length(lit)))]])
  own <- x[["mean"]][blank]
  sides <- cbind(abs(level(before) - own), abs(level(before + 1) - own))
  # The last step of brightness before it and the first one behind it, which a fade continues.
  paces <- cbind(abs(level(before) - level(before - 1)), abs(level(before + 1) - level(before + 2)))
  beyond <- sides > pmax(0.03, 2.5 * ifelse(is.na(paces), 0, paces))
  bad <- blank[rowSums(beyond, na.rm = TRUE) > 0]
  near <- suppressWarnings(apply(sides, 1, max, na.rm = TRUE))
  if (!length(lit)) {
    return(frame_finding(blank, ifelse(black[blank], "black", "one colour"),
                         ifelse(black[blank], "is black, as all of them",
                                "is of one colour, as all of them"),
                         "no picture shows anything"))
  }
  size <- near[match(bad, blank)]
  frame_finding(bad, ifelse(black[bad], "black", "one colour"),
                ifelse(black[bad], "is black", "is of one colour"),
                paste0("its brightness is ", format_share(x[["mean"]][bad]), " all over, and ",
                       format_share(size), " apart from the nearest that shows something"),
                size = size, bound = 0.03)
}

# ---- what is in the picture ----------------------------------------------------------------------

# The smallest box, in pixels, around the blocks `at` (their numbers from the top left).
blocks_box <- function(x, at) {
  row <- (at - 1) %/% x[["columns"]]
  column <- (at - 1) %% x[["columns"]]
  c(top = floor(min(row) * x[["height"]] / x[["rows"]]) + 1,
    bottom = floor((max(row) + 1) * x[["height"]] / x[["rows"]]),
    left = floor(min(column) * x[["width"]] / x[["columns"]]) + 1,
    right = floor((max(column) + 1) * x[["width"]] / x[["columns"]]))
}

# Blocks of one exact value that show something in the pictures around: not rendered, or lost.
hole_findings <- function(looks) {
  n <- nrow(looks$facts)
  none <- frame_finding(integer(), "", "", "")
  if (n < 3) return(none)
  rough <- do.call(cbind, looks$rough)
  grid <- do.call(cbind, looks$grid)
  near <- neighbours_of(n)
  out <- lapply(seq_len(n), function(i) {
    flat <- which(rough[, i] < 1e-4)
    if (!length(flat)) return(none)
    others <- near[i, !is.na(near[i, ])]
    shows <- rowMeans(rough[flat, others, drop = FALSE] > 0.01) > 0.5
    by <- do.call(pmin, as.data.frame(abs(grid[flat, others, drop = FALSE] - grid[flat, i])))
    # Missing textures are strange_findings()' own.
    lost <- flat[(by > 0.01 & shows | by > 0.06) & looks$strange[[i]][flat] < 0.3]
    if (!length(lost)) return(none)
    # A hole has one value and fills at least half of its box.
    value <- round(grid[lost, i], 2)
    lost <- lost[value %in% as.numeric(names(which.max(table(value))))]
    row <- (lost - 1) %/% looks$facts[["columns"]][i]
    column <- (lost - 1) %% looks$facts[["columns"]][i]
    if (length(lost) < 0.5 * (diff(range(row)) + 1) * (diff(range(column)) + 1)) return(none)
    least <- max(4, 0.01 * nrow(rough))
    if (length(lost) < least) return(none)
    box <- blocks_box(looks$facts[i, ], lost)
    frame_finding(i, "hole", "has a part that was not rendered",
                  paste(format_share(length(lost) / nrow(rough)),
                        "of it is of one value where the pictures around show",
                        "something"), top = box[1], bottom = box[2], left = box[3], right = box[4],
                  size = length(lost), bound = least,
                  sure = finding_confidence(length(lost) / least))
  })
  do.call(rbind, out)
}

# The colour of missing textures, in more of the picture than in most others.
strange_findings <- function(looks) {
  x <- looks$facts
  none <- frame_finding(integer(), "", "", "")
  share <- vapply(looks$strange, mean, 0)
  pixels <- x[["width"]] * x[["height"]]
  usual <- stats::median(share)
  least <- max(16 / pixels[1], 4e-4)
  bound <- max(2 * usual, least)
  bad <- which(share > bound)
  # A colour that most pictures show may belong there: one doubt for all of them.
  if (usual > least) {
    none <- frame_finding(which(share > least)[1], "texture",
                          "shows the colour of a missing texture, as most do",
                          paste0("half of the pictures have it in ", format_share(usual),
                                 " of their pixels or more"),
                          "doubt", size = usual, bound = least, sure = 0.5)
  }
  if (!length(bad)) return(none)
  out <- lapply(bad, function(i) {
    at <- which(looks$strange[[i]] > 0.02)
    if (!length(at)) return(NULL)
    box <- blocks_box(x[i, ], at)
    # An object of this colour comes into the picture gradually.
    near <- share[intersect(c(i - 1, i + 1), seq_along(share))]
    slowly <- length(near) > 0 && all(near > 0.5 * share[i]) && mean(share > bound) > 0.1
    frame_finding(i, "texture", "shows the colour of a missing texture",
                  paste0(format_share(share[i]), " of its pixels, ", round(share[i] * pixels[i]),
                         " of them"),
                  if (slowly) "doubt" else "unusable", box[1], box[2], box[3], box[4], share[i],
                  bound, finding_confidence(share[i] / bound))
  })
  found <- do.call(rbind, c(out, list(none)))
  found[!duplicated(found$index), , drop = FALSE]
}

# Single bright pixels, in more places than the pictures around have.
spike_findings <- function(looks) {
  x <- looks$facts
  found <- rbind(spikes_beyond(x, x[["bright_spikes"]]), spikes_beyond(x, x[["spikes"]]))
  found[!duplicated(found$index), , drop = FALSE]
}

# Findings of pictures with far more bright pixels than their neighbours have.
spikes_beyond <- function(x, count) {
  n <- nrow(x)
  if (n < 3 || !any(count > 4)) return(frame_finding(integer(), "", "", ""))
  near <- neighbours_of(n, 3)
  around <- matrix(count[near], n)
  middle <- apply(around, 1, stats::median, na.rm = TRUE)
  # one of them may be bad itself
  most <- apply(around, 1, function(v) sort(v, decreasing = TRUE)[2])
  # Scale of these counts here, in standard deviations of a Poisson count; at least 1.
  spread <- max(1, stats::mad((count - middle) / sqrt(middle + 1)))
  bound <- pmax(6, most + 4 * spread * sqrt(middle + 1))
  bad <- which(count > bound)
  frame_finding(bad, "fireflies", "has single bright pixels",
                paste0(count[bad], " stand out from all around them, the strongest at row ",
                       x[["spike_row"]][bad], ", column ", x[["spike_column"]][bad],
                       "; the pictures beside it have ", middle[bad]),
                top = x[["spike_row"]][bad], bottom = x[["spike_row"]][bad],
                left = x[["spike_column"]][bad], right = x[["spike_column"]][bad],
                size = count[bad], bound = bound[bad],
                sure = finding_confidence(count[bad] / bound[bad]))
}
