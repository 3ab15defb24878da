# The frames of a shot: seconds along it from a few probed frames, as draws.

#' Frame times of a whole shot from a few probed frames
#'
#' Log seconds along the shot are a Gaussian process (Matern 3/2, restarted at cuts) about an unknown level, plus a
#' spread of each frame for itself. Its parameters are not fixed at their best values but averaged over a grid, weighted
#' by likelihood times a weak prior, so that few probes give wide intervals: with one probe the interval is the prior's
#' alone.
#'
#' Prior (stated, weak, to be replaced by what complete shots in the ledger teach): log sd along the shot log-normal
#' about 0.35 (sd of log 0.6), correlation length log-normal about 0.3 of the shot (0.8), own spread of a frame
#' log-normal about 0.05 (0.6). Draws are exact for each parameter value: a path of the process by its Markov form
#' (Hartikainen & Sarkka 2010, eq. 14) is moved through the probes by kriging of the difference (Journel & Huijbregts
#' 1978, VII.A; Wilson et al. 2020, eq. 5). Cost is linear in frames.
#'
#' A probe is one run, and the same frame takes another time when it is rendered again: `run_sd` is that spread. It
#' blurs the probes, and it is in the times that come out, which are those of a pass still to be rendered. Where it is
#' 0, probed frames keep what was measured.
#'
#' @param frame Probed frames, whole numbers; a frame may stand more than once, and its times are then averaged on the
#'   log scale.
#' @param seconds Their measured times in s, above 0.
#' @param frames All frames of the shot.
#' @param cuts First frames after each cut; the process starts anew there.
#' @param run_sd Standard deviation of log seconds of one frame from run to run; `NULL` to take it from frames
#'   measured more than once, and 0 when there are too few of these (then the spread of single frames takes it in).
#' @param seed Seed of the draws: the same curve always gives the same figures.
#' @return An object of class `frame_curve`. `predict()` gives mean, lower and upper seconds for each frame;
#'   [total_time()] the sum.
#' @section Conditions: `clockpigeon_error_type` for times that are not above 0, `clockpigeon_error_curve` for probes
#'   outside the shot.
#' @seealso [total_time()]
#' @examples
#' curve <- frame_curve(frame = c(20, 60, 100), seconds = c(41, 55, 90), frames = 1:120)
#' total_time(curve)
#' @export
frame_curve <- function(frame, seconds, frames, cuts = integer(), run_sd = NULL, seed = 1) {
  seconds <- check_seconds(seconds, argument("seconds"))
  frames <- sort(parse_frames(frames, argument("frames")))
  frame <- check_counts(frame, argument("frame"), least = -1e7)
  if (length(frame) != length(seconds)) {
    stop_input("curve", paste("got", length(frame), "frames and", length(seconds), "times"),
               "arguments `frame` and `seconds`", "Give one time for each frame.")
  }
  outside <- setdiff(frame, frames)
  if (length(outside)) {
    stop_input("curve", paste("frame", toString(utils::head(outside, 3)), "is not in the shot"), argument("frame"),
               paste0("The shot has frames ", format_frames(frames), "."))
  }
  logs <- tapply(log(seconds), frame, mean)
  if (is.null(run_sd)) run_sd <- run_spread(frame, seconds)
  if (is.null(run_sd)) run_sd <- 0
  curve <- list(frame = as.integer(names(logs)), log_s = as.numeric(logs), runs = as.integer(table(frame)),
                frames = frames, cuts = as.integer(cuts), run_sd = check_number(run_sd, argument("run_sd"), least = 0),
                seed = check_count(seed, argument("seed"), least = 0, most = 2^31 - 2))
  curve$grid <- curve_grid(curve)
  structure(curve, class = "frame_curve")
}

# Spread of log seconds of one cell from run to run, pooled over cells; NULL with fewer than two degrees of freedom.
run_spread <- function(cell, seconds) {
  logs <- log(seconds)
  df <- length(logs) - length(unique(cell))
  if (df >= 2) sqrt(sum((logs - stats::ave(logs, cell))^2) / df)
}

segment_of <- function(frames, cuts) findInterval(frames, sort(cuts))

# Matern 3/2 between frames a and b; zero across a cut.
curve_covariance <- function(a, b, sd, range, cuts) {
  lag <- abs(outer(a, b, "-")) * sqrt(3) / range
  sd^2 * (1 + lag) * exp(-lag) * outer(segment_of(a, cuts), segment_of(b, cuts), "==")
}

level_sd <- 1.5  # of the level of log seconds about the probes' mean: a factor of 4.5, far wider than any shot

# Parameters on a grid with their posterior weights.
curve_grid <- function(curve) {
  length_of <- max(diff(range(curve$frames)), 2)
  grid <- expand.grid(sd = exp(seq(log(0.05), log(1.6), length.out = 8)), range = length_of * c(0.04, 0.12, 0.3, 0.8),
                      own = c(0.015, 0.05, 0.15))
  prior <- stats::dnorm(log(grid$sd), log(0.35), 0.6, log = TRUE) +
    stats::dnorm(log(grid$range / length_of), log(0.3), 0.8, log = TRUE) +
    stats::dnorm(log(grid$own), log(0.05), 0.6, log = TRUE)
  y <- curve$log_s - mean(curve$log_s)
  fit <- vapply(seq_len(nrow(grid)), function(k) {
    root <- chol(probe_covariance(curve, grid$sd[k], grid$range[k], grid$own[k]))
    -sum(log(diag(root))) - sum(backsolve(root, y, transpose = TRUE)^2) / 2
  }, 0)
  weight <- exp(prior + fit - max(prior + fit))
  grid$weight <- weight / sum(weight)
  grid[grid$weight > 1e-4, , drop = FALSE]
}

probe_covariance <- function(curve, sd, range, own) {
  curve_covariance(curve$frame, curve$frame, sd, range, curve$cuts) + level_sd^2 +
    diag(own^2 + curve$run_sd^2 / curve$runs, length(curve$frame))
}

# Draws of the seconds of every frame of a pass still to be rendered: a matrix, one row a draw, one column a frame.
curve_draws <- function(curve, draws = 2000, seed = curve$seed) {
  with_seed(seed, {
    grid <- curve$grid
    # Systematic resampling: each parameter value gets its share of the draws to within one.
    pick <- findInterval((seq_len(draws) - stats::runif(1)) / draws, cumsum(grid$weight)) + 1L
    pick <- pmin(pick, nrow(grid))
    path <- markov_paths(curve, grid$sd[pick], grid$range[pick]) + stats::rnorm(draws, 0, level_sd)
    log_s <- path + matrix(stats::rnorm(length(path)), draws) * grid$own[pick]
    at <- match(curve$frame, curve$frames)
    blur <- matrix(stats::rnorm(draws * length(at)), draws) * rep(curve$run_sd / sqrt(curve$runs), each = draws)
    y <- curve$log_s - mean(curve$log_s)
    for (k in unique(pick)) {
      rows <- which(pick == k)
      reach <- curve_covariance(curve$frame, curve$frames, grid$sd[k], grid$range[k], curve$cuts) + level_sd^2
      reach[cbind(seq_along(at), at)] <- reach[cbind(seq_along(at), at)] + grid$own[k]^2
      gain <- solve(probe_covariance(curve, grid$sd[k], grid$range[k], grid$own[k]), reach)
      miss <- rep(y, each = length(rows)) - log_s[rows, at, drop = FALSE] - blur[rows, , drop = FALSE]
      log_s[rows, ] <- log_s[rows, , drop = FALSE] + miss %*% gain
    }
    log_s <- mean(curve$log_s) + log_s
    if (curve$run_sd > 0) log_s <- log_s + stats::rnorm(length(log_s), 0, curve$run_sd)
    exp(log_s)
  })
}

# Paths of the process at the shot's frames, one row a draw, each with its own sd and range: the state is (value,
# slope).
markov_paths <- function(curve, sd, range) {
  n <- length(sd)
  speed <- sqrt(3) / range
  frames <- curve$frames
  fresh <- c(TRUE, diff(segment_of(frames, curve$cuts)) != 0)
  gap <- c(0, diff(frames))
  paths <- matrix(0, n, length(frames))
  value <- slope <- numeric(n)
  for (i in seq_along(frames)) {
    a <- stats::rnorm(n)
    b <- stats::rnorm(n)
    if (fresh[i]) {
      value <- sd * a
      slope <- sd * speed * b
    } else {
      x <- speed * gap[i]
      fade <- exp(-x)
      new_value <- fade * ((1 + x) * value + gap[i] * slope)
      new_slope <- fade * ((1 - x) * slope - speed * x * value)
      # What the step adds: its stationary covariance less what is carried over.
      v11 <- sd^2 * (1 - fade^2 * ((1 + x)^2 + x^2))
      v12 <- 2 * sd^2 * speed * fade^2 * x^2
      v22 <- sd^2 * speed^2 * (1 - fade^2 * ((1 - x)^2 + x^2))
      l11 <- sqrt(pmax(v11, 1e-300))
      l21 <- v12 / l11
      value <- new_value + l11 * a
      slope <- new_slope + l21 * a + sqrt(pmax(v22 - l21^2, 0)) * b
    }
    paths[, i] <- value
  }
  paths
}

#' Total time of a shot
#'
#' @param curve A [frame_curve()].
#' @param level Probability that the interval should hold, 0.8 by default.
#' @param draws Number of draws.
#' @return A tibble of one row: `mean`, `lower`, `upper` in seconds of one node at work alone, `level`, `frames`,
#'   `probes`.
#' @section Conditions: `clockpigeon_error_type` when `curve` is no frame curve.
#' @examples
#' total_time(frame_curve(c(10, 50), c(3, 4), 1:60), level = 0.9)
#' @export
total_time <- function(curve, level = 0.8, draws = 2000) {
  check_class(curve, argument("curve"), "frame_curve", "frame_curve()")
  level <- check_number(level, argument("level"), above = 0, most = 0.9999)
  total <- rowSums(curve_draws(curve, check_count(draws, argument("draws"), least = 2)))
  ends <- stats::quantile(total, c((1 - level) / 2, (1 + level) / 2), names = FALSE)
  as_table(data.frame(mean = mean(total), lower = ends[1], upper = ends[2], level = level,
                      frames = length(curve$frames), probes = length(curve$frame)))
}

#' @rdname frame_curve
#' @param object A `frame_curve`.
#' @param level Probability that the interval of a frame should hold.
#' @param draws Number of draws.
#' @param ... Not used.
#' @rawNamespace S3method(stats::predict, frame_curve)
predict.frame_curve <- function(object, level = 0.8, draws = 1000, ...) {
  seconds <- curve_draws(object, draws)
  ends <- apply(seconds, 2, stats::quantile, c((1 - level) / 2, (1 + level) / 2), names = FALSE)
  as_table(data.frame(frame = object$frames, mean = colMeans(seconds), lower = ends[1, ], upper = ends[2, ],
                      probed = object$frames %in% object$frame))
}
