# Figures that are made in R, as pictures of the page with their numbers.

# `plot`: a ggplot. A list of `src` (an SVG as an address), `alt`, and `rows` (the numbers behind it, for CSV).
made_picture <- function(plot, width = 9, height = 4.4) {
  path <- tempfile(fileext = ".svg")
  on.exit(unlink(path))
  grDevices::svg(path, width = width, height = height, bg = "transparent")
  tryCatch(print(plot), finally = grDevices::dev.off())
  rows <- plot_rows(plot)
  list(src = paste0("data:image/svg+xml;base64,", openssl::base64_encode(readBin(path, "raw", file.size(path)))),
       alt = or_else(plot$labels$alt, ""), width = round(96 * width), height = round(96 * height),
       rows = if (NROW(rows)) c(list(names(rows)), lapply(seq_len(nrow(rows)), function(i) unname(as.list(rows[i, ])))))
}

# The data of a plot, or of its first layer that has any: columns of one value each.
plot_rows <- function(plot) {
  all <- Filter(is.data.frame, c(list(plot$data), lapply(plot$layers, `[[`, "data")))
  all <- Filter(NROW, all)
  if (!length(all)) return(NULL)
  rows <- as_frame(all[[1]])
  rows <- rows[vapply(rows, is.atomic, NA)]
  rows[] <- lapply(rows, function(x) if (is.numeric(x)) x else as.character(x))
  rows
}

# Its place in the page.
page_made <- function(id, title, x, about = NULL) {
  if (is.null(x)) return(NULL)
  page_figure(id, title, about, more = shiny::tags$img(
    class = "made", src = x$src, alt = x$alt, width = x$width, height = x$height, `data-of` = id,
    `data-rows` = as.character(jsonlite::toJSON(x$rows, auto_unbox = TRUE, na = "null", digits = 7))
  ))
}

# Figures of a decision that R draws: stages and lines of cost, where there is a plan.
decided_figures <- function(choice) {
  if (is.na(choice$pick)) return(NULL)
  made <- function(show) {
    tryCatch(made_picture(ggplot2::autoplot(choice, show = show)), clockpigeon_error = function(e) NULL)
  }
  list(timeline = made("timeline"), cost = made("cost"))
}
