# Parts of pages that the report and the page in the browser share: sentences, tables, figures as
# pictures.

# Sentences under what they answer.
html_sentences <- function(says) {
  tags <- htmltools::tags
  tags$dl(class = "said",
          unname(Map(function(head, text) htmltools::tagList(tags$dt(head), tags$dd(text)),
                     names(says),
                     says)))
}

# A table that is short enough to be whole: columns of texts and numbers, `right` those that stand
# on the right.
plain_table <- function(x, label, right = names(x)[vapply(x, is.numeric, NA)]) {
  tags <- htmltools::tags
  side <- function(name) if (name %in% right) "number"
  head <- lapply(names(x), function(name) tags$th(scope = "col", class = side(name), name))
  body <- lapply(seq_len(nrow(x)), function(i) {
    tags$tr(lapply(names(x), function(name) tags$td(class = side(name), x[[name]][[i]])))
  })
  tags$div(class = "scroll", tabindex = "0", role = "region", `aria-label` = label,
           tags$table(class = "plain", tags$thead(tags$tr(head)), tags$tbody(body)))
}

# `plot`: a ggplot. A list of `src` (an SVG as an address), `alt`, `width` and `height` in pixels,
# and `rows` (the numbers behind it, for CSV).
made_picture <- function(plot, width = 9, height = 4.4) {
  path <- tempfile(fileext = ".svg")
  on.exit(unlink(path))
  grDevices::svg(path, width = width, height = height, bg = "transparent")
  tryCatch(print(plot), finally = grDevices::dev.off())
  rows <- plot_rows(plot)
  list(src = paste0("data:image/svg+xml;base64,",
                    openssl::base64_encode(readBin(path, "raw", file.size(path)))),
       alt = or_else(plot$labels$alt, ""), width = round(96 * width), height = round(96 * height),
       rows = if (NROW(rows))
       c(list(names(rows)), lapply(seq_len(nrow(rows)), function(i) unname(as.list(rows[i, ])))))
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
