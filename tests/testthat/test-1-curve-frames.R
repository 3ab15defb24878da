ns <- asNamespace("clockpigeon")

# Covariance of log seconds between frames a and b, by the definition.
matern <- function(a, b, sd, range, cuts) {
  lag <- abs(outer(a, b, "-")) * sqrt(3) / range
  sd^2 * (1 + lag) * exp(-lag) * outer(findInterval(a, cuts), findInterval(b, cuts), "==")
}

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
  expect_match(frame_curve(1, 2, 1:9)$says, "assumed prior", all = FALSE)
})

test_that("the 80 % interval holds about 80 % of totals of shots like its prior", {
  hit <- ns$with_seed(5, vapply(1:400, function(i) {
    sd <- exp(rnorm(1, log(0.35), 0.6))
    root <- t(chol(matern(1:60, 1:60, 1, 59 * exp(rnorm(1, log(0.2), 0.9)), 31) + diag(1e-8, 60)))
    logs <- 1 + sd * drop(root %*% rnorm(60)) + rnorm(60, 0, exp(rnorm(1, log(0.08), 0.7)))
    at <- first_probes(1:60, c(2, 6)[i %% 2 + 1])
    curve <- frame_curve(at, exp(logs[at]), 1:60, cuts = 31, seed = i)
    model <- quantile(ns$curve_paths(curve, 400, design = list())$total, c(0.1, 0.9))
    total <- total_time(curve, draws = 400)
    truth <- sum(exp(logs))
    c(model[[1]] <= truth && truth <= model[[2]], total$lower <= truth && truth <= total$upper)
  }, c(NA, NA)))
  # The model alone, and with the room that the design of few probes asks for.
  expect_gt(mean(hit[1, ]), 0.75)
  expect_lt(mean(hit[1, ]), 0.86)
  expect_gt(mean(hit[2, ]), 0.75)
  expect_lt(mean(hit[2, ]), 0.94)
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
  prior <- curve_prior(heavy_factor = 1)
  alone <- total_time(frame_curve(data.frame(frame = at, seconds = c(4, 5, 6), scaled = 0.3),
                                  frames = 1:100,
                                  run_sd = 0.02, prior = prior))
  helped <- total_time(frame_curve(data.frame(frame = c(at, 50), seconds = c(4, 5, 6, 5.5),
                                              scaled = c(0.3, 0.3, 0.3, 0)),
                                   frames = 1:100, run_sd = 0.02, prior = prior))
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
  expect_length(worst$draws[[1]], 2000)
})

test_that("repeats tell the spread from run to run, it widens the interval, and wild ones are said", {
  expect_equal(ns$run_sd_of(c(1, 1, 2, 2), exp(c(0, 0.2, 1, 1.4))), sqrt((0.02 + 0.08) / 2))
  expect_null(ns$run_sd_of(1:3, c(1, 2, 3)))
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
  expect_refusal(frame_curve(1, 1, 1:10, cheap = data.frame(frame = 11, seconds = 1)), "curve",
                 "frame 11")
  expect_refusal(frame_curve(1, 1, 1:10, cheap = data.frame(frame = 1, seconds = -1)), "type",
                 "cheap")
  expect_refusal(frame_curve(1, 1, 1:10, cheap = data.frame(frame = 1:3, seconds = 1)), "curve",
                 "3 of 10 frames")
  expect_refusal(frame_curve(data.frame(frame = 1, seconds = 1, scaled = -1), frames = 1:10),
                 "type", "scaled")
  expect_refusal(total_time(list()), "type", "frame_curve()")
  expect_refusal(total_time(frame_curve(1, 1, 1:3), level = 1.2), "type")
})
