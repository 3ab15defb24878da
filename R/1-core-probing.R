# Which frames to measure: the first ones, the next one, and whether a cheap pass pays.

#' Frames to measure first
#'
#' Spread over the shot, each in the middle of its stretch. With cheap times the stretches are of equal sums of the root
#' of the cheap time instead of equal length: where the error is a share of the time and so is the cost, probing in
#' proportion to the root is best (Cochran 1977, section 5.5, with cost). Frames that stand out from their neighbours
#' get probes of their own, as many as is their share of the cheap work and at least one: nothing else tells what they
#' really cost.
#'
#' @param frames Frames of the shot.
#' @param n How many.
#' @param cheap Cheap times: a data frame with `frame` and `seconds`; `NULL` for none.
#' @return Frames, rising.
#' @section Conditions: `clockpigeon_error_type` for a bad count.
#' @examples
#' first_probes(1:120, 4)
#' @export
first_probes <- function(frames, n, cheap = NULL) {
  frames <- sort(unique(parse_frames(frames, argument("frames"))))
  n <- check_count(n, argument("n"))
  if (is.null(cheap) || n >= length(frames)) return(spread_frames(frames, n))
  cheap <- check_cheap(cheap, frames)
  x <- cheap[["log_s"]]
  usual <- if (length(x) > 9) as.numeric(stats::runmed(x, 9)) else x
  odd <- x - usual > max(odd_times * stats::mad(x - usual, 0), 0.4)
  share <- sum(exp(x[odd])) / sum(exp(x))
  own <- if (share > 0.03 && n > 1) min(max(round(n * share), 1), n - 1, sum(odd)) else 0
  slow <- which(odd)[order(x[odd])]
  work <- cumsum(ifelse(odd, 0, exp(usual / 2)))
  rest <- findInterval((seq_len(n - own) - 0.5) / (n - own) * work[length(work)], work) + 1L
  sort(unique(cheap[["frame"]][c(rest, if (own) spread_frames(slow, own))]))
}

#' The frame to measure next
#'
#' The frame whose measurement would narrow the total most for each second it should take. What it takes off the
#' variance of the total follows from the curve's draws as in linear regression: the squared covariance of the total
#' with the log time measured, over the variance of that (Cressie 1993, *Statistics for spatial data*, section 5.6).
#'
#' @param curve A [frame_curve()].
#' @param draws Number of draws.
#' @param overhead Seconds a probe costs beyond its frame (starting, loading).
#' @param most How many frames to list, best first (each as if it were the only one).
#' @return A tibble: `frame`, `seconds` (that it should take), `narrows` (share that it takes off the variance of the
#'   total).
#' @section Conditions: `clockpigeon_error_curve` when every frame was probed.
#' @examples
#' next_probe(frame_curve(c(20, 60), c(41, 55), 1:120))
#' @export
next_probe <- function(curve, draws = 2000, overhead = 0, most = 1) {
  check_class(curve, argument("curve"), "frame_curve", "frame_curve()")
  overhead <- check_number(overhead, argument("overhead"), least = 0)
  most <- check_count(most, argument("most"))
  open <- which(!curve$frames %in% curve$frame)
  if (!length(open)) {
    stop_input("curve", "has no frame left to measure: every one was probed", argument("curve"),
               "Repeat some to learn the spread from run to run.")
  }
  draws <- max(min(check_count(draws, argument("draws"), least = 50), 1e7 %/% length(curve$frames)), 200)
  paths <- curve_paths(curve, draws, keep = TRUE)
  own <- mean(curve$chain$parameters[, 3]^2) + curve$shot$extra[open]
  smooth <- paths$smooth[, open, drop = FALSE]
  seconds <- colMeans(paths$seconds[, open, drop = FALSE])
  total <- paths$total - mean(paths$total)
  shared <- drop(crossprod(sweep(smooth, 2, colMeans(smooth)), total)) / (draws - 1)
  spread <- apply(smooth, 2, stats::var) + own + curve$run_sd^2
  narrows <- (shared + seconds * own)^2 / spread / stats::var(total)
  best <- utils::head(order(-narrows / (seconds + overhead)), most)
  as_table(list(frame = curve$frames[open][best], seconds = seconds[best], narrows = pmin(narrows[best], 1)))
}

#' Whether a cheap pass over all frames pays
#'
#' How many more full probes it takes until the interval of the total is as narrow as asked, without the pass and with
#' it, and what either costs. Without it the variance of the total falls as that of a mean of independent draws from the
#' frames not yet seen (Cochran 1977, section 2.4), with it only the part that the cheap times leave: `1 -
#' correlation^2`.
#'
#' @param curve A [frame_curve()] without cheap times.
#' @param cheap_s Seconds of one cheap frame, its start included.
#' @param target Half-width of the interval over the total.
#' @param level Level of the interval.
#' @param correlation Correlation of log cheap and log full times that is expected; 0.9 stands in for what nothing has
#'   told yet (0.77 to 0.98 were seen on ray-traced shots).
#' @param overhead Seconds a full probe costs beyond its frame.
#' @return A tibble of one row: `pays`, `seconds_with`, `seconds_without`, `probes_with`, `probes_without`.
#' @section Conditions: `clockpigeon_error_type` for numbers out of range.
#' @examples
#' cheap_pass_pays(frame_curve(c(20, 60, 100), c(41, 90, 55), 1:120), cheap_s = 0.6)
#' @export
cheap_pass_pays <- function(curve, cheap_s, target = 0.1, level = 0.8, correlation = 0.9, overhead = 0) {
  check_class(curve, argument("curve"), "frame_curve", "frame_curve()")
  cheap_s <- check_number(cheap_s, argument("cheap_s"), above = 0)
  target <- check_number(target, argument("target"), above = 0)
  correlation <- check_number(correlation, argument("correlation"), least = 0, most = 0.999)
  total <- total_time(curve, level)
  frames <- length(curve$frames)
  n <- length(curve$frame)
  width <- (total[["upper"]] - total[["lower"]]) / 2 / total[["mean"]]
  # The interval now is that of n draws: it tells their spread.
  spread <- width * sqrt(n)
  needed <- function(spread) ceiling(min(max((spread / target)^2, n), frames))
  without <- needed(spread)
  with <- min(needed(spread * sqrt(1 - correlation^2)), without)
  each <- total[["mean"]] / frames + overhead
  cost <- c((with - n) * each + frames * cheap_s, (without - n) * each)
  as_table(list(pays = cost[1] < cost[2], seconds_with = cost[1], seconds_without = cost[2],
                probes_with = as.integer(with), probes_without = as.integer(without)))
}

#' Times brought from another limit or size
#'
#' @param seconds Times in s as they were measured.
#' @param fit A [fit_limit()] with times: brings them from `samples` to `to`; `NULL` when the samples are the same.
#' @param samples,to Samples they were measured at, and those that are asked.
#' @param pixels,to_pixels Pixels they were measured at, and those that are asked; `NULL` when they are the same.
#' @param power How time grows with the pixels: `c(power, standard error)`, as [time_drivers()] tells it.
#' @return A tibble: `seconds` and `scaled` (relative standard error of the factor), for [frame_curve()].
#' @section Conditions: `clockpigeon_error_type` when a fit has no times.
#' @examples
#' fit <- fit_limit(c(4, 16, 64), seconds = c(1.1, 3.4, 12.7))
#' scale_seconds(c(3.3, 4.1), fit, samples = 16, to = 128)
#' @export
scale_seconds <- function(seconds, fit = NULL, samples = NULL, to = NULL, pixels = NULL, to_pixels = NULL,
                          power = c(1, 0.15)) {
  seconds <- check_seconds(seconds, argument("seconds"))
  factor <- 1
  variance <- 0
  if (!is.null(fit)) {
    check_class(fit, argument("fit"), "limit_fit", "fit_limit()")
    if (is.null(fit$time)) stop_input("type", "has no times", argument("fit"), "Give fit_limit() the seconds.")
    ends <- cbind(1, c(check_number(samples, argument("samples"), above = 0),
                       check_number(to, argument("to"), above = 0)))
    at <- drop(ends %*% fit$time$estimate)
    slope <- ends[2, ] / at[2] - ends[1, ] / at[1]  # of the log of the ratio
    factor <- at[2] / at[1]
    variance <- drop(slope %*% fit$time$covariance %*% slope)
  }
  if (!is.null(pixels)) {
    ratio <- check_number(to_pixels, argument("to_pixels"), above = 0) / check_number(pixels, argument("pixels"),
        above = 0)
    factor <- factor * ratio^power[1]
    variance <- variance + (log(ratio) * power[2])^2
  }
  as_table(list(seconds = seconds * factor, scaled = rep(sqrt(variance), length(seconds))))
}
