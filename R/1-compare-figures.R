# Speed figures: one fact, three names, each labelled.

#' Speed figures of an old and a new time
#'
#' One change of time has three common figures, and mixing their words is how a saving of 40 %
#' becomes "40 % faster". Any two of the five figures give the others, but for two of `ratio`,
#' `time_saved` and `speed_gain`, which are one fact under three names and give no times. More than
#' two must agree: a triple that contradicts itself is refused.
#'
#' @param old,new Numeric vectors of times in the same unit, above 0; recycled when one has length
#'   1.
#' @param ratio old / new: how many times as fast.
#' @param time_saved 1 - new / old: share of the time that is gone, below 1.
#' @param speed_gain old / new - 1: share more work in the same time, above -1.
#' @param tolerance Relative difference up to which a figure agrees with the others, in addition to
#'   half the unit of its last digit.
#' @return A tibble, one row a pair: `old`, `new` (`NA` where no time was given), `ratio`,
#'   `time_saved` and `speed_gain`.
#' @section Conditions: `clockpigeon_error_type` for times that are missing, not finite or not above
#'   0, for shares out of range, and for lengths that differ; `clockpigeon_error_figures` when
#'   nothing says how they compare, or the figures contradict each other.
#' @examples
#' speed_figures(old = 80, new = 50)
#' speed_figures(old = 80, time_saved = 0.375)
#' @export
speed_figures <- function(old = NULL, new = NULL, ratio = NULL, time_saved = NULL,
                          speed_gain = NULL, tolerance = 0.01) {
  given <- list(old = old, new = new, ratio = ratio, time_saved = time_saved,
                speed_gain = speed_gain)
  given <- Filter(Negate(is.null), given)
  for (name in intersect(names(given), c("old", "new", "ratio")))
    check_seconds(given[[name]], argument(name))
  check_share(given$time_saved, "time_saved", function(x) x < 1, "below 1")
  check_share(given$speed_gain, "speed_gain", function(x) x > -1, "above -1")
  n <- max(0L, lengths(given))
  if (any(!lengths(given) %in% c(1L, n))) {
    stop_input("type", paste("got", toString(paste(lengths(given), names(given)))), "the figures",
               "Give as many of one as of the other, or one.")
  }
  given <- lapply(given, rep_len, n)
  ways <- Filter(length, list(
    if (all(c("old", "new") %in% names(given))) given$old / given$new, given$ratio,
    if (length(given$time_saved)) 1 / (1 - given$time_saved),
    if (length(given$speed_gain)) 1 + given$speed_gain
  ))
  if (!length(ways)) {
    stop_input("figures", "got no figures that compare them", "speed_figures()",
               "Give old and new, or one of them with ratio, time_saved or speed_gain.")
  }
  check_agreement(ways, given, tolerance)
  found <- ways[[1]]
  unknown <- rep(NA_real_, n)
  as_table(data.frame(
    old = if (length(given$old)) given$old else if (length(given$new)) given$new * found else
    unknown,
    new = if (length(given$new)) given$new else if (length(given$old)) given$old / found else
    unknown,
    ratio = found, time_saved = 1 - 1 / found, speed_gain = found - 1
  ))
}

check_share <- function(x, name, good, says) {
  if (length(x) && (!is.numeric(x) || !all(is.finite(x)) || !all(good(x)))) {
    stop_input("type", paste("got", show_value(x)), argument(name),
               paste0("Write shares such as 0.375, each ", says, "."))
  }
}

# Figures that are one fact under several names must say the same, each as it was given: a saving of
# 3 % is not the 2 % that 100 and 98 make, though their ratios differ by 1 % only. A figure may be
# off by its own rounding besides.
check_agreement <- function(ways, given, tolerance) {
  r <- ways[[1]]
  meant <- list(ratio = r, time_saved = 1 - 1 / r, speed_gain = r - 1)
  meant <- meant[intersect(names(meant), names(given))]
  off <- vapply(names(meant), function(name) {
    max(abs(given[[name]] - meant[[name]]) - tolerance * abs(meant[[name]]) -
        last_digit(given[[name]]) / 2)
  }, 0)
  if (all(off <= 1e-12)) return(invisible())
  name <- names(meant)[which.max(off)]
  i <- which.max(abs(given[[name]] - meant[[name]]))
  said <- paste(names(given), vapply(given, function(x) format(x[i], digits = 6), ""),
                collapse = ", ")
  stop_input("figures", paste0("got ", said, ", which contradict each other"), "speed_figures()",
             sprintf("A ratio of %.4g is a time saving of %.4g %% and a speed gain of %.4g %%.",
                     r[i],
                     100 * (1 - 1 / r[i]), 100 * (r[i] - 1)))
}

# The unit of the last digit that a number shows, 0.01 at most.
last_digit <- function(x) {
  units <- 10^-(2:8)
  vapply(x, function(one) c(units[abs(one - round(one / units) * units) < 1e-9], 1e-8)[1], 0)
}

# `x`: timings; `by`: names of its columns. A data frame, one row a group, the largest first: the
# columns, `runs`, `ended` (share that ended well), `median_s`, `p10_s` and `p90_s` of the wall
# times of those.
grouped_times <- function(x, by) {
  check_columns(x, argument("x"), c(by, "wall_s", "status"))
  x <- as_frame(x)
  if (!nrow(x)) return(NULL)
  good <- x[["status"]] %in% "ok" & !is.na(x[["wall_s"]])
  key <- row_key(x, by)
  of <- split(seq_len(nrow(x)), factor(key, unique(key)))
  rows <- lapply(of, function(at) {
    took <- x[["wall_s"]][at[good[at]]]
    q <- if (length(took)) stats::quantile(took, c(0.5, 0.1, 0.9), type = 1, names = FALSE) else
      rep(NA_real_, 3)
    data.frame(x[at[1], by, drop = FALSE], runs = length(at), ended = mean(good[at]),
               median_s = q[1], p10_s = q[2], p90_s = q[3], row.names = NULL)
  })
  out <- do.call(rbind, unname(rows))
  out[order(-out[["runs"]]), , drop = FALSE]
}
