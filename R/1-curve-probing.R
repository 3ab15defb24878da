# Which frames to measure: the first ones, the next one, and whether a cheap pass pays.

#' Frames to measure first
#'
#' One in each of as many stretches, near its middle but off it by up to a fifth of the stretch, at
#' random (the same for the same seed): evenly spaced probes share the phase of any feature in the
#' shot that repeats with their spacing. Neighbouring stretches are off it to opposite sides, so
#' that a steady rise is met as exactly as from the middles (balanced systematic sampling, Murthy
#' 1967, *Sampling theory and methods*, section 5.9). From eight probes on one in sixteen is not
#' spread but put next to another: only close pairs tell a frame's own spread from a change along
#' the shot (lattice plus close pairs, Diggle & Lophaven 2006, Scand. J. Stat. 33, 53).
#'
#' With cheap times the stretches are of equal sums of the root of the cheap time instead of equal
#' length: where the error is a share of the time and so is the cost, probing in proportion to the
#' root is best (Cochran 1977, section 5.5, with cost). Frames that stand out from their neighbours
#' get probes of their own, as many as is their share of the cheap work and at least one: nothing
#' else tells what they really cost.
#'
#' @param frames Frames of the shot.
#' @param n How many.
#' @param cheap Cheap times: a data frame with `frame` and `seconds`; `NULL` for none.
#' @param seed Seed of the places; the same frames and count always give the same ones.
#' @return Frames, rising.
#' @section Conditions: `clockpigeon_error_type` for a bad count.
#' @examples
#' first_probes(1:120, 4)
#' @export
first_probes <- function(frames, n, cheap = NULL, seed = 1) {
  frames <- sort(unique(parse_frames(frames, argument("frames"))))
  n <- check_count(n, argument("n"))
  seed <- check_count(seed, argument("seed"), least = 0, most = 2^31 - 2)
  if (n >= length(frames)) return(frames)
  if (is.null(cheap)) {
    return(with_seed(stream_seed(seed, paste("probes", n)),
                     frames[jittered_places(length(frames), n)]))
  }
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

# Places 1..frames: one in each of the stretches, and from eight on one of sixteen next to another.
jittered_places <- function(frames, n) {
  pairs <- (n + 8) %/% 16
  lattice <- n - pairs
  off <- balanced_offsets(lattice) * frames / lattice
  at <- pmin(pmax(round((seq_len(lattice) - 0.5) * frames / lattice + 0.5 + off), 1), frames)
  at <- unique(at)
  for (place in at[sample.int(length(at), min(pairs, length(at)))]) {
    beside <- setdiff(place + c(-1, 1), at)
    beside <- beside[beside >= 1 & beside <= frames]
    if (length(beside)) at <- c(at, beside[sample.int(length(beside), 1)])
  }
  # Where stretches are of a frame or two, what fell together is made up for.
  open <- setdiff(seq_len(frames), at)
  if (length(at) < n) at <- c(at, open[sample.int(length(open), n - length(at))])
  sort(as.integer(at))
}

# Offsets from the middles as shares of a stretch, up to a fifth: neighbours opposite, sizes evenly
# spread and shuffled; of an odd number one, anywhere, stays in the middle.
balanced_offsets <- function(n) {
  two <- n %/% 2
  if (!two) return(numeric(n))
  size <- 0.2 * (sample.int(two) - 0.5) / two * sample(c(-1, 1), two, TRUE)
  off <- as.vector(rbind(size, -size))
  if (n %% 2) append(off, 0, 2 * (sample.int(two + 1, 1) - 1)) else off
}

#' The frame to measure next
#'
#' The frame whose measurement would narrow the total most for each second it should take. A probe
#' teaches in two ways: where the total is, as in linear regression on the log time measured
#' (Cressie 1993, *Statistics for spatial data*, section 5.6), and what the shot is like (its spread
#' and smoothness). Both are computed beforehand: each draw of the parameters says what the probe
#' could show, and is weighed by how well it agrees with each of these results. The range of a total
#' is never below what the design of its probes allows ([frame_curve()]); what one probe more does
#' to that is counted too.
#'
#' @param curve A [frame_curve()].
#' @param draws Number of draws.
#' @param overhead Seconds a probe costs beyond its frame (starting, loading).
#' @param most How many frames to list, best first (each as if it were the only one).
#' @return A tibble: `frame`, `seconds` (that it should take), `narrows` (share that it is expected
#'   to take off the squared width of the total's range, in logs; below 0 where one probe more
#'   brings to light a doubt that fewer did not show).
#' @section Conditions: `clockpigeon_error_curve` when every frame was probed.
#' @examples
#' next_probe(frame_curve(c(20, 60), c(41, 55), 1:120))
#' @export
next_probe <- function(curve, draws = 2000, overhead = 0, most = 1) {
  check_class(curve, argument("curve"), "cp_curve", "frame_curve()")
  overhead <- check_number(overhead, argument("overhead"), least = 0)
  most <- check_count(most, argument("most"))
  open <- which(!curve$frames %in% curve$frame)
  if (!length(open)) {
    stop_input("curve", "has no frame left to measure: every one was probed", argument("curve"),
               "Repeat some to learn the spread from run to run.")
  }
  probes_ahead(curve, check_count(draws, argument("draws"), least = 50), overhead, most)
}

# The same for a curve with open frames; `closely` is how many of them are looked at closely.
probes_ahead <- function(curve, draws, overhead = 0, most = 1, closely = 400) {
  open <- which(!curve$frames %in% curve$frame)
  draws <- max(min(draws, 1e7 %/% length(curve$frames)), 200)
  known <- probe_moments(curve, open, draws)
  # In a long shot, first pick the frames that promise most in one regression, then look at each
  # closely.
  if (length(open) > closely) {
    rough <- colMeans(known$shared^2 / known$variance) / (colMeans(known$seconds) + overhead)
    keep <- sort(utils::head(order(-rough), closely))
    open <- open[keep]
    known[c("mean", "variance", "shared", "seconds")] <-
      lapply(known[c("mean", "variance", "shared", "seconds")], function(x) x[, keep, drop = FALSE])
  }
  narrows <- vapply(seq_along(open), function(f) variance_reduction(known, f), 0)
  seconds <- colMeans(known$seconds)
  best <- utils::head(order(-narrows / (seconds + overhead)), most)
  as_table(list(frame = curve$frames[open][best], seconds = seconds[best],
                narrows = narrowed_range(curve, narrows[best])))
}

# For each of fifty draws of the parameters (rows) and each open frame (columns): `mean` and
# `variance` of the log time that a probe of it would show, `seconds`, and what it `shared` with the
# log of the total; `total_mean` and `total_variance` of that log. From draws of the model, some for
# each of the parameters' draws.
probe_moments <- function(curve, open, draws, sets = 50) {
  rows <- round(seq(1, nrow(curve$chain$parameters), length.out = sets))
  chain <- list(parameters = curve$chain$parameters[rows, , drop = FALSE],
                heavy = curve$chain$heavy[rows, , drop = FALSE])
  each <- max(draws %/% sets, 4)
  few <- curve
  few$chain <- chain
  few$left <- NULL  # a probe tells of the whole shot, whatever of it is done
  paths <- curve_paths(few, sets * each, keep = TRUE, design = list())
  set <- rep(seq_len(sets), each)
  mean_of <- function(x) rowsum(x, set) / each
  smooth <- paths$smooth[, open, drop = FALSE]
  log_total <- log(paths$total)
  mean <- mean_of(smooth)
  seconds <- mean_of(paths$seconds[, open, drop = FALSE])
  total_mean <- drop(mean_of(matrix(log_total)))
  off <- log_total - total_mean[set]
  within <- each / (each - 1)
  own <- outer(chain$parameters[, 3]^2, curve$shot$extra[open], `+`)
  # A frame's own part moves the total by its share of it.
  list(mean = mean, seconds = seconds,
       variance = within * (mean_of(smooth^2) - mean^2) + own + curve$run_sd^2,
       shared = within * mean_of(smooth * off) + own * seconds / exp(total_mean),
       total_mean = total_mean,
       total_variance = within * drop(mean_of(matrix(off^2))))
}

# Share of the variance of the log total that a probe of the open frame `f` is expected to remove.
# Its possible results are three points of the normal distribution under each draw of the parameters
# (Gauss-Hermite).
variance_reduction <- function(known, f) {
  sd <- sqrt(known$variance[, f])
  shown <- as.vector(outer(known$mean[, f], rep(1, 3)) + outer(sd, c(-sqrt(3), 0, sqrt(3))))
  chance <- rep(c(1, 4, 1) / 6, each = length(sd)) / length(sd)
  off <- outer(shown, known$mean[, f], `-`)
  weight <- exp(-off^2 / (2 * rep(sd^2, each = length(shown)))) / rep(sd, each = length(shown))
  weight <- weight / rowSums(weight)
  slope <- known$shared[, f] / sd^2
  left <- pmax(known$total_variance - slope * known$shared[, f], 0)
  total <- rep(known$total_mean, each = length(shown)) + off * rep(slope, each = length(shown))
  mean <- rowSums(weight * total)
  after <- drop(weight %*% left) + rowSums(weight * total^2) - mean^2
  before <- mean(known$total_variance) + mean((known$total_mean - mean(known$total_mean))^2)
  1 - sum(chance * after) / before
}

#' Does a cheap pass over all frames pay?
#'
#' How many more full probes it takes until the interval of the total is as narrow as asked, without
#' the pass and with it, and what either costs. Without it the variance of the total falls as that
#' of a mean of independent draws from the frames not yet seen (Cochran 1977, section 2.4), with it
#' only the part that the cheap times leave: `1 - correlation^2`.
#'
#' @param curve A [frame_curve()] without cheap times.
#' @param cheap_s Seconds of one cheap frame, its start included.
#' @param target Half-width of the interval over the total.
#' @param level Level of the interval.
#' @param correlation Correlation of log cheap and log full times that is expected; 0.9 stands in
#'   for what nothing has told yet (0.77 to 0.98 were seen on ray-traced shots).
#' @param overhead Seconds a full probe costs beyond its frame.
#' @return A tibble of one row: `pays`, `seconds_with`, `seconds_without`, `probes_with`,
#'   `probes_without`.
#' @section Conditions: `clockpigeon_error_type` for numbers out of range.
#' @noRd
cheap_pass_pays <- function(curve, cheap_s, target = 0.1, level = 0.8, correlation = 0.9,
                            overhead = 0) {
  check_class(curve, argument("curve"), "cp_curve", "frame_curve()")
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
#' @param fit A [fit_limit()] with times: brings them from `samples` to `to`; `NULL` when the
#'   samples are the same.
#' @param samples,to Samples of the measurements, and of the forecast.
#' @param pixels,to_pixels Pixels of the measurements, and of the forecast; `NULL` when they are the
#'   same.
#' @param power How time grows with the pixels: `c(power, standard error)`, as `time_drivers()`
#'   tells it.
#' @return A tibble: `seconds` and `scaled` (relative standard error of the factor), for
#'   [frame_curve()].
#' @section Conditions: `clockpigeon_error_type` when a fit has no times.
#' @noRd
scale_seconds <- function(seconds, fit = NULL, samples = NULL, to = NULL, pixels = NULL,
                          to_pixels = NULL, power = c(1, 0.15)) {
  seconds <- check_seconds(seconds, argument("seconds"))
  factor <- 1
  variance <- 0
  if (!is.null(fit)) {
    check_class(fit, argument("fit"), "cp_limit_fit", "fit_limit()")
    if (is.null(fit$time))
      stop_input("type", "has no times", argument("fit"), "Give fit_limit() the seconds.")
    ends <- cbind(1, c(check_number(samples, argument("samples"), above = 0),
                       check_number(to, argument("to"), above = 0)))
    at <- drop(ends %*% fit$time$estimate)
    slope <- ends[2, ] / at[2] - ends[1, ] / at[1]  # of the log of the ratio
    factor <- at[2] / at[1]
    variance <- drop(slope %*% fit$time$covariance %*% slope)
  }
  if (!is.null(pixels)) {
    ratio <- check_number(to_pixels, argument("to_pixels"), above = 0) /
      check_number(pixels, argument("pixels"),
        above = 0)
    factor <- factor * ratio^power[1]
    variance <- variance + (log(ratio) * power[2])^2
  }
  as_table(list(seconds = seconds * factor, scaled = rep(sqrt(variance), length(seconds))))
}
