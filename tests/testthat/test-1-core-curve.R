ns <- asNamespace("clockpigeon")

# Covariance of log seconds between frames a and b, by the definition.
matern <- function(a, b, sd, range, cuts) {
  lag <- abs(outer(a, b, "-")) * sqrt(3) / range
  sd^2 * (1 + lag) * exp(-lag) * outer(findInterval(a, cuts), findInterval(b, cuts), "==")
}

# A curve whose parameters are known.
known_curve <- function(curve, parameters) {
  curve$chain <- list(parameters = matrix(parameters, 1), heavy = matrix(FALSE, 1, length(curve$frame)))
  curve$beforehand$rate <- c(1e-9, 1)
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
               -(log(det(2 * pi * cover[at, at])) + drop(rest %*% solve(cover[at, at], rest))) / 2, tolerance = 1e-10)
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
  curve <- frame_curve(rows$frame, c(3, 3.6, 5, 4, 4.1), frames, cuts = 101, cheap = cheap, run_sd = 0.1,
                       scaled = rows$scaled)
  p <- c(0.3, 60, 0.07, 0)
  x <- curve$cheap$course
  columns <- cbind(1, x - mean(x), pmax(x - median(x), 0), curve$cheap$rest, curve$cheap$beyond)
  expect_equal(x + curve$cheap$rest + curve$cheap$beyond, log(cheap$seconds), tolerance = 1e-8)
  prior <- diag(c(1.5, 0.2, 0.2, 0.3, 0.4)^2)
  cover <- matern(frames, frames, 0.3, 60, 101) + columns %*% prior %*% t(columns) + diag(0.07^2, 20)
  at <- match(rows$frame, frames)
  seen <- cover[at, at] + 0.2^2 * outer(rows$scaled > 0, rows$scaled > 0) + diag(0.1^2, 5)
  logs <- log(curve$rows$seconds)
  expected <- function(columns) mean(logs) + columns[, 2] + 0.5 * columns[, 4] + columns[, 5]
  weights <- cover[, at] %*% solve(seen)
  moments <- ns$curve_moments_at(curve, p)
  expect_equal(moments$mean, as.numeric(expected(columns) + weights %*% (logs - expected(columns)[at])),
               tolerance = 1e-8)
  expect_equal(moments$variance, diag(cover - weights %*% t(cover[, at])), tolerance = 1e-8)
  draws <- log(ns$curve_draws(known_curve(curve, p), 20000))
  expect_equal(colMeans(draws), moments$mean, tolerance = 0.02)
  expect_equal(apply(draws, 2, sd), sqrt(moments$variance + 0.1^2), tolerance = 0.03)
})

test_that("parameters are drawn as their likelihood and prior say", {
  curve <- frame_curve(c(1, 30, 60, 90, 120), exp(c(0, 0.4, 0.1, 0.5, 0.3)), 1:120, cuts = integer(), run_sd = 0,
                       prior = curve_prior(rate = c(1e-9, 1)))
  chain <- ns$chain_of(curve, draws = 4000)$parameters
  # The same by importance sampling of the prior.
  points <- ns$prior_points(curve$beforehand, 4096)
  fit <- ns$curve_log_likelihood(curve$data, curve$beforehand, points)
  weight <- exp(fit - max(fit)) / sum(exp(fit - max(fit)))
  expect_equal(colMeans(log(chain[, 1:3])), colSums(weight * log(points[, 1:3])), tolerance = 0.05)
})

test_that("without spread from run to run, a shot probed completely is its sum", {
  total <- total_time(frame_curve(1:4, c(3, 4, 9, 2), 1:4))
  expect_equal(c(total$mean, total$lower, total$upper), rep(18, 3), tolerance = 1e-6)
})

test_that("fewer probes give wider intervals, and one probe a wide one that says so", {
  truth <- 20 * exp(0.3 * sin(1:240 / 40))
  width <- vapply(c(1, 3, 8, 40), function(n) {
    at <- first_probes(1:240, n)
    total <- total_time(frame_curve(at, truth[at], 1:240))
    (total$upper - total$lower) / total$mean
  }, 0)
  expect_true(all(diff(width) < 0))
  expect_gt(width[1], 0.4)
  expect_match(frame_curve(1, 2, 1:9)$says, "assumed prior")
})

test_that("the 80 % interval holds about 80 % of totals of shots like its prior", {
  hit <- ns$with_seed(5, vapply(1:400, function(i) {
    sd <- exp(rnorm(1, log(0.35), 0.6))
    root <- t(chol(matern(1:60, 1:60, 1, 59 * exp(rnorm(1, log(0.3), 0.8)), 31) + diag(1e-8, 60)))
    logs <- 1 + sd * drop(root %*% rnorm(60)) + rnorm(60, 0, exp(rnorm(1, log(0.05), 0.6)))
    at <- first_probes(1:60, c(2, 6)[i %% 2 + 1])
    total <- total_time(frame_curve(at, exp(logs[at]), 1:60, cuts = 31, seed = i), draws = 400)
    total$lower <= sum(exp(logs)) && sum(exp(logs)) <= total$upper
  }, NA))
  expect_gt(mean(hit), 0.75)
  expect_lt(mean(hit), 0.86)
})

test_that("a cheap pass sees what few probes cannot: rare heavy frames", {
  set.seed(3)
  truth <- 4 * exp(rnorm(120, 0, 0.03))
  truth[c(17, 60, 88)] <- 40
  cheap <- data.frame(frame = 1:120, seconds = 0.01 * truth^0.9 * exp(rnorm(120, 0, 0.05)))
  plain <- first_probes(1:120, 5)
  blind <- total_time(frame_curve(plain, truth[plain], 1:120))
  at <- first_probes(1:120, 5, cheap)
  expect_true(any(at %in% c(17, 60, 88)))
  seeing <- total_time(frame_curve(at, truth[at], 1:120, cheap = cheap))
  off <- function(total) abs(total$mean / sum(truth) - 1)
  expect_lt(off(seeing), 0.05)
  expect_lt(off(seeing), off(blind) / 3)
  # Half of the cheap times are enough to fill in the others.
  half <- total_time(frame_curve(at, truth[at], 1:120, cheap = cheap[c(seq(1, 120, 2), 60, 88), ]))
  expect_lt(off(half), 0.15)
})

test_that("times of another limit share one unknown factor", {
  at <- c(10, 50, 90)
  alone <- total_time(frame_curve(at, c(4, 5, 6), 1:100, run_sd = 0.02, scaled = 0.3))
  helped <- total_time(frame_curve(c(at, 50), c(4, 5, 6, 5.5), 1:100, run_sd = 0.02, scaled = c(0.3, 0.3, 0.3, 0)))
  width <- function(total) log(total$upper / total$lower)
  expect_lt(width(helped), 0.6 * width(alone))
  expect_equal(helped$mean / alone$mean, 1.1, tolerance = 0.05)
})

test_that("the slowest frame and its chance are told", {
  frames <- 1:60
  seconds <- 2 + frames / 20
  worst <- slowest(frame_curve(seq(1, 60, by = 6), seconds[seq(1, 60, by = 6)], frames))
  expect_gt(worst$frame, 45)
  expect_true(worst$lower <= 5.2 && worst$upper >= 4.9)
  expect_length(attr(worst, "draws"), 2000)
})

test_that("repeats tell the spread from run to run, it widens the interval, and wild ones are said", {
  expect_equal(ns$run_spread(c(1, 1, 2, 2), exp(c(0, 0.2, 1, 1.4))), sqrt((0.02 + 0.08) / 2))
  expect_null(ns$run_spread(1:3, c(1, 2, 3)))
  quiet <- total_time(frame_curve(c(10, 30), c(5, 5), 1:40, run_sd = 0))
  noisy <- total_time(frame_curve(c(10, 30), c(5, 5), 1:40, run_sd = 0.5))
  expect_gt(noisy$upper - noisy$lower, quiet$upper - quiet$lower)
  expect_match(frame_curve(c(1, 1, 5), c(2, 9, 3), 1:9)$says[1], "repeats of frame 1 disagree")
})

test_that("the same curve gives the same figures and leaves the stream alone", {
  set.seed(3)
  before <- .Random.seed
  curve <- frame_curve(c(2, 8), c(1, 2), 1:10)
  expect_identical(total_time(curve), total_time(curve))
  expect_identical(.Random.seed, before)
})

test_that("prediction has a row for each frame, and probes are marked", {
  p <- predict(frame_curve(c(2, 8), c(1, 2), 1:10, run_sd = 0))
  expect_identical(p$frame, 1:10)
  expect_identical(which(p$probed), c(2L, 8L))
  expect_equal(p$mean[c(2, 8)], c(1, 2), tolerance = 1e-6)
  expect_true(all(p$lower <= p$mean & p$mean <= p$upper))
})

test_that("frame_curve validates its inputs", {
  expect_refusal(frame_curve(1, 0, 1:10), "type", "seconds")
  expect_refusal(frame_curve(1, Inf, 1:10), "type", "seconds")
  expect_refusal(frame_curve(1, NA_real_, 1:10), "type", "seconds")
  expect_refusal(frame_curve(11, 1, 1:10), "curve", c("frame 11", "1-10"))
  expect_refusal(frame_curve(1:2, 1, 1:10), "curve")
  expect_refusal(frame_curve(1, 1, "10-1"), "frames")
  expect_refusal(frame_curve(1, 1, 1:10, cheap = data.frame(frame = 11, seconds = 1)), "curve", "frame 11")
  expect_refusal(frame_curve(1, 1, 1:10, cheap = data.frame(frame = 1, seconds = -1)), "type", "cheap")
  expect_refusal(frame_curve(1, 1, 1:10, cheap = data.frame(frame = 1:3, seconds = 1)), "curve", "3 of 10 frames")
  expect_refusal(frame_curve(1, 1, 1:10, scaled = -1), "type", "scaled")
  expect_refusal(total_time(list()), "type", "frame_curve()")
  expect_refusal(total_time(frame_curve(1, 1, 1:3), level = 1.2), "type")
})
