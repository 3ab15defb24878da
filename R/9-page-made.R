# Figures that are made in R, as pictures of the page with their numbers.

# `x` from made_picture(), in its place in the page.
page_picture <- function(id, title, x, about = NULL) {
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
    tryCatch(made_picture(ggplot2::autoplot(choice, show = show)),
             clockpigeon_error = function(e) NULL)
  }
  list(timeline = made("timeline"), cost = made("cost"))
}
