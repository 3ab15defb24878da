# The frames of a shot: seconds along it from a few probed frames, as draws.

new_curve <- record_type(
  "cp_curve", frames = is.integer, run_sd = is.numeric, seed = is.numeric, prior = is.list,
  rows = is.data.frame, known_cuts = is.logical, cuts = is.integer, breaks = is.data.frame,
  cheap = maybe(is.list), data = is.list, shot = is.list, beforehand = is.list, chain = is.list,
  frame = is.numeric, log_s = is.numeric, runs = is.integer, design = is.list,
  says = maybe(is.character)
)

#' Frame times of a whole shot from a few probed frames
#'
#' Log seconds along the shot are a Gaussian process (Matern 3/2, restarted at cuts) about an
#' unknown level, plus a spread of each frame for itself, and now and then a frame that stands out.
#' The process is a state-space model (Hartikainen & Sarkka 2010, *Kalman filtering and smoothing
#' solutions to temporal Gaussian process regression models*; Durbin & Koopman 2012, *Time series
#' analysis by state space methods*), so that the cost is linear in the frames. Its parameters are
#' not fixed at their best values but drawn given the probes, from a prior that complete shots have
#' taught ([learn_curve_prior()]) or the weak default (`curve_prior()`): few probes give wide
#' intervals, one probe the prior's alone.
#'
#' The model is combined with the plain estimate from the probes' spacing: the middle of the total
#' is halfway (in logs) between the model's and that of the plain sum in which each probe stands for
#' its stretch, its width is at least that of successive differences of the probes (Wolter 2007,
#' *Introduction to variance estimation*, section 8.2), and upwards at least what heavy frames that
#' no probe met could add: `n` probes miss a share of `1 - 0.2^(1/n)` of all frames with a chance of
#' 20 %, each slower by the prior's `heavy_factor`. A cheap pass, which sees them, has no such
#' floor.
#'
#' A **cheap pass** (`cheap`: times of all frames or many, at a small size and few samples) tells
#' the shape of the shot, rare heavy frames among it. The log of the full time is then a smooth
#' function of the log of the cheap time (a slope near 1 that may bend), plus the process along the
#' shot: double sampling (Cochran 1977, *Sampling techniques*, chapter 12) is the case of no
#' process. The cheap times are not scaled by anybody; the probes do that.
#'
#' A probe is one run, and the same frame takes another time when it is rendered again: `run_sd` is
#' that spread. It is added as an error of each probe and to each predicted time, since these are of
#' a pass still to be rendered. With 0, probed frames keep their measured times.
#'
#' @param frame Probed frames, whole numbers; a frame may stand more than once. Or a data frame of
#'   probes: `frame`, `seconds` and, for times brought from another limit or size
#'   (`scale_seconds()`), `scaled`: the relative standard error of the factor they were brought by,
#'   0 for times measured as asked. Times with the same error share one unknown factor.
#' @param seconds Their measured times in s, above 0; `NULL` with a data frame of probes.
#' @param frames All frames of the shot.
#' @param cuts First frames after each cut; the process restarts there. `NULL`: breaks are looked
#'   for in the cheap times and the probes; `integer()`: there are none.
#' @param cheap Cheap times: a data frame with `frame` and `seconds`, or seconds named by frame.
#'   Frames without one are filled in along the shot, with the uncertainty of that.
#' @param run_sd Standard deviation of log seconds of one frame from run to run; `NULL` to take it
#'   from frames measured more than once, and 0 when there are too few of these (then the spread of
#'   single frames takes it in).
#' @param prior From `curve_prior()` or [learn_curve_prior()].
#' @param seed Seed of the draws: the same curve always gives the same figures.
#' @return An object of class `cp_curve`. `predict()` gives mean, median, lower and upper seconds
#'   for each frame; [total_time()] the sum, [slowest()] the worst frame, [next_probe()] the frame
#'   to measure next. Its `says` holds what a reader must know: breaks that were found, repeated
#'   times that disagree, too few probes.
#' @section Conditions: `clockpigeon_error_type` for times that are not above 0,
#'   `clockpigeon_error_curve` for probes or cheap times outside the shot.
#' @seealso [total_time()], [next_probe()]
#' @examples
#' curve <- frame_curve(frame = c(20, 60, 100), seconds = c(41, 55, 90), frames = 1:120)
#' total_time(curve)
#' cheap <- data.frame(frame = 1:120, seconds = 0.4 * exp(0.006 * 1:120))
#' total_time(frame_curve(c(20, 60, 100), c(41, 55, 90), 1:120, cheap = cheap))
#' @export
frame_curve <- function(frame, seconds = NULL, frames, cuts = NULL, cheap = NULL, run_sd = NULL,
                        prior = curve_prior(), seed = 1) {
  frames <- sort(unique(parse_frames(frames, argument("frames"))))
  probes <- if (is.data.frame(frame)) check_columns(frame, argument("frame"), c("frame", "seconds"))
            else list(frame = frame, seconds = seconds)
  rows <- probe_rows(probes[["frame"]], probes[["seconds"]], frames, probes[["scaled"]])
  check_class(prior, argument("prior"), "cp_prior", "curve_prior()")
  seed <- check_count(seed, argument("seed"), least = 0, most = 2^31 - 2)
  own <- rows[["scaled"]] == 0
  if (is.null(run_sd)) run_sd <- run_sd_of(rows[["frame"]][own], rows[["seconds"]][own])
  run_sd <- if (is.null(run_sd)) 0 else check_number(run_sd, argument("run_sd"), least = 0)
  known <- !is.null(cuts)
  curve <- list(frames = frames, run_sd = run_sd, seed = seed, prior = prior, rows = rows,
                known_cuts = known)
  curve$cuts <- if (known) sort(as.integer(cuts)) else integer()
  curve$breaks <- data.frame(from = curve$cuts, to = curve$cuts)
  if (length(cheap)) curve <- with_cheap(curve, check_cheap(cheap, frames))
  curve <- curve_model(curve)
  if (!known && !length(curve$cheap)) curve <- curve_model(probe_breaks(curve))
  curve$chain <- chain_of(curve)
  probed <- unique(rows[["frame"]])
  curve$frame <- probed
  curve$log_s <- frame_middles(rows)
  curve$runs <- as.integer(table(rows[["frame"]]))
  curve$design <- design_of_total(curve)
  curve$says <- curve_sentence(curve)
  new_curve(curve)
}

# Measured frames in the order of the shot: frame, seconds, scaled.
probe_rows <- function(frame, seconds, frames, scaled) {
  seconds <- check_seconds(seconds, argument("seconds"))
  frame <- check_counts(frame, argument("frame"), least = -1e7)
  if (length(frame) != length(seconds)) {
    stop_input("curve", paste("got", length(frame), "frames and", length(seconds), "times"),
               "arguments `frame` and `seconds`", "Give one time for each frame.")
  }
  outside <- setdiff(frame, frames)
  if (length(outside)) {
    stop_input("curve", paste("frame", toString(utils::head(outside, 3)), "is not in the shot"),
               argument("frame"), paste0("The shot has frames ", format_frames(frames), "."))
  }
  if (is.null(scaled)) scaled <- 0
  if (!is.numeric(scaled) || anyNA(scaled) || any(scaled < 0) ||
      !length(scaled) %in% c(1L, length(frame))) {
    stop_input("type", paste("got", show_value(scaled)), argument("scaled"),
               "Give a relative standard error for each time, 0 for those measured as asked.")
  }
  rows <- data.frame(frame = as.integer(frame), seconds = seconds,
                     scaled = rep_len(scaled, length(frame)))
  rows[order(rows[["frame"]], rows[["scaled"]]), , drop = FALSE]
}

# Log seconds of each probed frame: the mean of its runs, each by what it is worth; those measured
# as asked before those brought from elsewhere.
frame_middles <- function(rows) {
  weight <- 1 / (0.01 + wild_variance(rows) + 10 * rows[["scaled"]]^2)
  as.numeric(tapply(weight * log(rows[["seconds"]]), rows[["frame"]], sum) /
             tapply(weight, rows[["frame"]], sum))
}

# Spread of log seconds of one cell from run to run, pooled over cells; NULL with fewer than two
# degrees of freedom.
run_sd_of <- function(cell, seconds) {
  logs <- log(seconds)
  df <- length(logs) - length(unique(cell))
  if (df >= 2) sqrt(sum((logs - stats::ave(logs, cell))^2) / df)
}

#' Total time of a shot
#'
#' @param curve A [frame_curve()].
#' @param level Probability that the interval should hold, 0.8 by default.
#' @param draws Number of draws.
#' @return `total_time()`: a tibble of one row: `mean`, `lower`, `upper` in seconds of one node at
#'   work alone, `median` (the figure to quote: few probes leave the total with a long tail upwards,
#'   which moves the mean), `level`, `frames`, `probes`.
#'
#'   `slowest()`: a tibble of one row for the slowest frame: `mean`, `lower`, `upper`, `median` in
#'   seconds, `level`, and `frame`, the one that is most often the slowest, with the chance
#'   (`chance`) that it is. Sites cap the time of a frame: the share of draws above a cap is
#'   `mean(x$draws[[1]] > cap)`.
#' @section Conditions: `clockpigeon_error_type` when `curve` is no frame curve.
#' @examples
#' curve <- frame_curve(c(10, 50), c(3, 4), 1:60)
#' total_time(curve, level = 0.9)
#' slowest(curve)
#' @export
total_time <- function(curve, level = 0.8, draws = 2000) {
  total <- checked_paths(curve, level, draws)$total
  ends <- stats::quantile(total, c((1 - level) / 2, (1 + level) / 2), names = FALSE)
  as_table(list(mean = mean(total), lower = ends[1], upper = ends[2], median = stats::median(total),
                level = level, frames = length(frames_left(curve)), probes = length(curve$frame)))
}

#' @rdname total_time
#' @export
slowest <- function(curve, level = 0.8, draws = 2000) {
  paths <- checked_paths(curve, level, draws)
  ends <- stats::quantile(paths$slowest, c((1 - level) / 2, (1 + level) / 2), names = FALSE)
  places <- tabulate(paths$place, length(curve$frames))
  as_table(list(mean = mean(paths$slowest), lower = ends[1], upper = ends[2],
                median = stats::median(paths$slowest), level = level,
                frame = curve$frames[which.max(places)], chance = max(places) / draws,
                draws = list(paths$slowest)))
}

checked_paths <- function(curve, level, draws) {
  check_class(curve, argument("curve"), "cp_curve", "frame_curve()")
  check_number(level, argument("level"), above = 0, most = 0.9999)
  curve_paths(curve, check_count(draws, argument("draws"), least = 2))
}

#' @rdname frame_curve
#' @param object A `frame_curve`.
#' @param level Probability that the interval of a frame should hold.
#' @param draws Number of draws.
#' @param ... Not used.
#' @rawNamespace S3method(stats::predict, cp_curve)
predict.cp_curve <- function(object, level = 0.8, draws = 1000, ...) {
  draws <- max(min(draws, 2e7 %/% length(frames_left(object))), 100)  # at most 160 MB of them
  seconds <- curve_draws(object, draws)
  ends <- apply(seconds, 2, stats::quantile, c((1 - level) / 2, (1 + level) / 2, 0.5),
                names = FALSE)
  as_table(list(frame = frames_left(object), mean = colMeans(seconds), lower = ends[1, ],
                upper = ends[2, ], median = ends[3, ],
                probed = frames_left(object) %in% object$frame))
}

# How many of the probed frames were measured as asked, and how many brought from another setting.
measured_frames <- function(curve)
  length(unique(curve$rows[["frame"]][curve$rows[["scaled"]] == 0]))

brought_words <- function(curve) {
  scaled <- curve$rows[["scaled"]]
  brought <- setdiff(curve$rows[["frame"]][scaled > 0], curve$rows[["frame"]][scaled == 0])
  if (!any(scaled > 0)) return(NULL)
  paste0(sum(scaled > 0), if (sum(scaled > 0) == 1) " time is" else " times are",
         " transferred from another setting by a fit, +-", format_percent(max(scaled)), " together",
         if (length(brought))
         paste0(" (", length(brought), if (length(brought) == 1) " frame" else " frames",
                " known by nothing else)"))
}

# Features that probes cannot see, and the measurement that would. `cost`: seconds of the pass if
# known.
unseen_words <- function(curve, cost = NULL) {
  n <- length(curve$frame)
  paste0(n, if (n == 1) " probe" else " probes", " cannot rule out heavy frames rarer than one in ",
         max(2, round(1 / missed_share(n))), " (", format(signif(curve$prior$heavy_factor, 2)),
         " times as slow, ", if (curve$prior$shots) "as complete shots taught" else "assumed",
         ", they are in the range upwards); a cheap ", "pass of all frames ",
         if (length(cost)) paste0("costs about ", format_duration(cost), " and "),
         "would show them")
}

# Notes that a reader of a curve needs.
curve_sentence <- function(curve) {
  rows <- curve$rows[curve$rows[["scaled"]] == 0, , drop = FALSE]
  apart <- vapply(split(rows[["seconds"]], rows[["frame"]]), function(s) max(s) / min(s), 0)
  wild <- names(apart)[apart > 2]
  found <- curve$breaks[!curve$breaks[["to"]] %in% curve$cuts, , drop = FALSE]
  probes <- length(curve$frame)
  c(
    if (length(wild))
    paste0("repeats of frame ", toString(utils::head(wild, 3)), " disagree by a factor of ",
           format(signif(max(apart), 2)),
           ": something else changed between them, and what is far off counts for little"),
    brought_words(curve),
    if (nrow(found)) {
      paste0("a break was found ",
             ifelse(found[["from"]] == found[["to"]], paste("at frame", found[["to"]]),
                    paste("between frames", found[["from"]] - 1L, "and", found[["to"]])))
    },
    if (!length(curve$cheap) && probes < length(curve$frames)) unseen_words(curve),
    if (probes < 3)
    paste0("with ", probes, if (probes == 1) " probe" else " probes", " the width is ",
           if (curve$prior$shots) paste("what", curve$prior$shots, "complete shots taught")
           else "that of an assumed prior, not of this shot")
  )
}
