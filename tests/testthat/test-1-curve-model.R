ns <- asNamespace("clockpigeon")

# Covariance of log seconds between frames a and b, by the definition.
matern <- function(a, b, sd, range, cuts) {
  lag <- abs(outer(a, b, "-")) * sqrt(3) / range
  sd^2 * (1 + lag) * exp(-lag) * outer(findInterval(a, cuts), findInterval(b, cuts), "==")
}

# A curve whose parameters are known.
known_curve <- function(curve, parameters) {
  curve$chain <- list(parameters = matrix(parameters, 1),
                      heavy = matrix(FALSE, 1, length(curve$frame)))
  curve$beforehand$rate <- c(1e-9, 1)
  curve$design <- list()  # the model alone
  curve
}

test_that("moments, likelihood and draws agree with plain linear algebra, given the parameters", {
  at <- c(3, 10, 25)
  y <- log(c(2, 3, 5))
  p <- c(0.4, 8, 0.05, 0)
  curve <- known_curve(frame_curve(at, exp(y), 1:30, cuts = 20, run_sd = 0), p)
  cover <- matern(1:30, 1:30, 0.4, 8, 20) + 1.5^2 + diag(0.05^2, 30)
  weights <- cover[, at] %*% solve(cover[at, at])
  left <- cover - weights %*% cover[at, ]
  moments <- ns$curve_moments_at(curve, p)
  expect_equal(moments$mean, as.numeric(mean(y) + weights %*% (y - mean(y))), tolerance = 1e-10)
  expect_equal(moments$variance, diag(left), tolerance = 1e-10)
  rest <- y - mean(y)
  expect_equal(ns$curve_log_likelihood(curve$data, curve$beforehand, matrix(p, 1)),
               -(log(det(2 * pi * cover[at, at])) + drop(rest %*% solve(cover[at, at], rest))) / 2,
               tolerance = 1e-10)
  draws <- log(ns$curve_draws(curve, 20000))
  expect_equal(colMeans(draws), moments$mean, tolerance = 0.02)
  open <- setdiff(1:30, at)
  expect_equal(apply(draws[, open], 2, sd), sqrt(moments$variance[open]), tolerance = 0.03)
  expect_lt(max(abs(cor(draws[, open]) - cov2cor(left[open, open]))), 0.04)
})

test_that("the same holds with cheap times, blurred and scaled measurements, and frames by ten", {
  set.seed(2)
  frames <- seq(1, 200, by = 10)
  cheap <- data.frame(frame = frames, seconds = exp(rnorm(20, 0, 0.3)))
  rows <- data.frame(frame = c(11, 11, 91, 151, 151), scaled = c(0, 0.2, 0, 0, 0.2))
  curve <- frame_curve(cbind(rows, seconds = c(3, 3.6, 5, 4, 4.1)), frames = frames, cuts = 101,
                       cheap = cheap, run_sd = 0.1)
  p <- c(0.3, 60, 0.07, 0)
  x <- curve$cheap$course
  columns <- cbind(1, x - mean(x), pmax(x - median(x), 0), curve$cheap$rest, curve$cheap$beyond)
  expect_equal(x + curve$cheap$rest + curve$cheap$beyond, log(cheap$seconds), tolerance = 1e-8)
  prior <- diag(c(1.5, 0.2, 0.2, 0.3, 0.4)^2)
  cover <- matern(frames, frames, 0.3, 60, 101) + columns %*% prior %*% t(columns) +
    diag(0.07^2, 20)
  at <- match(rows$frame, frames)
  seen <- cover[at, at] + 0.2^2 * outer(rows$scaled > 0, rows$scaled > 0) + diag(0.1^2, 5)
  logs <- log(curve$rows$seconds)
  expected <- function(columns) mean(logs) + columns[, 2] + 0.5 * columns[, 4] + columns[, 5]
  weights <- cover[, at] %*% solve(seen)
  moments <- ns$curve_moments_at(curve, p)
  expect_equal(moments$mean,
               as.numeric(expected(columns) + weights %*% (logs - expected(columns)[at])),
               tolerance = 1e-8)
  expect_equal(moments$variance, diag(cover - weights %*% t(cover[, at])), tolerance = 1e-8)
  draws <- log(ns$curve_draws(known_curve(curve, p), 20000))
  expect_equal(colMeans(draws), moments$mean, tolerance = 0.02)
  expect_equal(apply(draws, 2, sd), sqrt(moments$variance + 0.1^2), tolerance = 0.03)
})

test_that("parameters are drawn as their likelihood and prior say", {
  curve <- frame_curve(c(1, 30, 60, 90, 120), exp(c(0, 0.4, 0.1, 0.5, 0.3)), 1:120,
                       cuts = integer(), run_sd = 0, prior = curve_prior(rate = c(1e-9, 1)))
  chain <- ns$chain_of(curve, draws = 4000)$parameters
  # The same by importance sampling of the prior.
  points <- ns$prior_points(curve$beforehand, 4096)
  fit <- ns$curve_log_likelihood(curve$data, curve$beforehand, points)
  weight <- exp(fit - max(fit)) / sum(exp(fit - max(fit)))
  expect_equal(colMeans(log(chain[, 1:3])), colSums(weight * log(points[, 1:3])), tolerance = 0.05)
})

test_that("runs of a frame that are one measurement say the same of the model as each by itself", {
  probes <- data.frame(frame = c(1, 1, 1, 1, 20, 20, 40, 55),
                       seconds = c(10, 11, 10.4, 31, 12, 12.6, 15, 14),
                       scaled = c(0, 0, 0, 0, 0, 0.1, 0, 0))
  curve <- frame_curve(probes, frames = 1:60, run_sd = 0.08)
  # 31 s is far off its frame's others, and counts for little; the one that was brought from
  # elsewhere stays by itself.
  expect_length(curve$data$y, 5)
  rows <- curve$rows
  noise <- pmax(0.08, ifelse(rows$scaled > 0, 0.01, 0))^2 + ns$wild_variance(rows)
  each <- curve$data
  each$y <- log(rows$seconds)
  each$noise <- noise
  each$frame <- match(rows$frame, unique(rows$frame))
  wide <- matrix(curve$data$design, ncol = 5)
  each$design <- as.numeric(wide[, match(paste(rows$frame, rows$scaled),
                                         unique(paste(rows$frame, rows$scaled)))])
  points <- ns$prior_points(curve$beforehand, 32)
  apart <- ns$curve_log_likelihood(each, curve$beforehand, points) -
    ns$curve_log_likelihood(curve$data, curve$beforehand, points)
  expect_lt(diff(range(apart)), 1e-8)
  # Where runs are taken to vary by nothing nothing is put together.
  expect_length(ns$pooled_runs(rows, rep(0, 8))$y, 8)
  expect_length(ns$pooled_runs(rows[1:3, ], c(0.1, 0.1, 0))$y, 2)
})
