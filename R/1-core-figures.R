# Speed figures: one fact, three names, each labelled.

#' Speed figures of an old and a new time
#'
#' One change of time has three common figures, and mixing their words is how a saving of 40 % becomes "40 % faster".
#'
#' @param old,new Numeric vectors of times in the same unit, above 0; recycled when one has length 1.
#' @return A tibble, one row a pair: `old`, `new`, `ratio` (old / new: how many times as fast), `time_saved` (1 - new
#'   / old: share of the time that is gone) and `speed_gain` (old / new - 1: share more work in the same time).
#' @section Conditions: `clockpigeon_error_type` for times that are missing, not finite or not above 0, and for
#'   lengths that differ.
#' @examples
#' speed_figures(old = 80, new = 50)
#' @export
speed_figures <- function(old, new) {
  old <- check_seconds(old, argument("old"))
  new <- check_seconds(new, argument("new"))
  if (length(old) != length(new) && min(length(old), length(new)) != 1) {
    stop_input("type", paste("got", length(old), "old and", length(new), "new times"), "arguments `old` and `new`",
               "Give as many of one as of the other, or one.")
  }
  as_table(data.frame(old = old, new = new, ratio = old / new, time_saved = 1 - new / old, speed_gain = old / new - 1))
}
