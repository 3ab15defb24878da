test_that("draws agree with the closed form of the process, given its parameters", {
  curve <- frame_curve(c(3, 10, 25), c(2, 3, 5), 1:30, cuts = 20, run_sd = 0)
  curve$grid <- data.frame(sd = 0.4, range = 8, own = 0.05, weight = 1)
  draws <- log(clockpigeon:::curve_draws(curve, 20000, seed = 1))
  # The same by plain linear algebra: a normal vector given three of its values.
  cover <- clockpigeon:::curve_covariance(1:30, 1:30, 0.4, 8, 20) + clockpigeon:::level_sd^2 + diag(0.05^2, 30)
  at <- c(3, 10, 25)
  y <- log(c(2, 3, 5))
  weights <- cover[, at] %*% solve(cover[at, at])
  expect_equal(colMeans(draws), as.numeric(mean(y) + weights %*% (y - mean(y))), tolerance = 0.02)
  spread <- sqrt(pmax(diag(cover - weights %*% cover[at, ]), 0))
  expect_equal(apply(draws, 2, sd)[-at], spread[-at], tolerance = 0.03)
  expect_equal(cor(draws[, 15], draws[, 17]), cov2cor((cover - weights %*% cover[at, ])[c(15, 17), c(15, 17)])[1, 2],
               tolerance = 0.03)
})

test_that("paths of the process have its covariance, also over gaps and cuts", {
  curve <- list(frames = c(1L, 2L, 5L, 9L, 10L), cuts = 9L)
  paths <- clockpigeon:::with_seed(2, clockpigeon:::markov_paths(curve, rep(0.5, 40000), rep(6, 40000)))
  expect_equal(cov(paths), clockpigeon:::curve_covariance(curve$frames, curve$frames, 0.5, 6, 9L), tolerance = 0.02)
})

test_that("without spread from run to run, a shot probed completely is its sum", {
  seconds <- c(3, 4, 9, 2)
  total <- total_time(frame_curve(1:4, seconds, 1:4))
  expect_equal(c(total$mean, total$lower, total$upper), rep(18, 3))
})

test_that("fewer probes give wider intervals, and one probe a wide one", {
  truth <- 20 * exp(0.3 * sin(1:240 / 40))
  width <- vapply(c(1, 3, 8, 40), function(n) {
    at <- clockpigeon:::spread_frames(1:240, n)
    total <- total_time(frame_curve(at, truth[at], 1:240))
    (total$upper - total$lower) / total$mean
  }, 0)
  expect_true(all(diff(width) < 0))
  expect_gt(width[1], 0.4)
})

test_that("the 80 % interval holds about 80 % of totals of shots like its prior", {
  hit <- clockpigeon:::with_seed(5, vapply(1:150, function(i) {
    shot <- list(frames = 1:60, cuts = 31L)
    sd <- exp(rnorm(1, log(0.35), 0.4))
    logs <- 1 + clockpigeon:::markov_paths(shot, sd, 59 * exp(rnorm(1, log(0.3), 0.5)))[1, ] + rnorm(60, 0, 0.05)
    at <- clockpigeon:::spread_frames(1:60, 6)
    total <- total_time(frame_curve(at, exp(logs[at]), 1:60, cuts = 31, seed = i), draws = 400)
    total$lower <= sum(exp(logs)) && sum(exp(logs)) <= total$upper
  }, NA))
  expect_gt(mean(hit), 0.70)
  expect_lt(mean(hit), 0.92)
})

test_that("repeats tell the spread from run to run, and it widens the interval", {
  expect_equal(clockpigeon:::run_spread(c(1, 1, 2, 2), exp(c(0, 0.2, 1, 1.4))), sqrt((0.02 + 0.08) / 2))
  expect_null(clockpigeon:::run_spread(1:3, c(1, 2, 3)))
  quiet <- total_time(frame_curve(c(10, 30), c(5, 5), 1:40, run_sd = 0))
  noisy <- total_time(frame_curve(c(10, 30), c(5, 5), 1:40, run_sd = 0.5))
  expect_gt(noisy$upper - noisy$lower, quiet$upper - quiet$lower)
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
  expect_equal(p$mean[c(2, 8)], c(1, 2))
  expect_true(all(p$lower <= p$mean & p$mean <= p$upper))
})

test_that("frame_curve validates its inputs", {
  expect_refusal(frame_curve(1, 0, 1:10), "type", "seconds")
  expect_refusal(frame_curve(11, 1, 1:10), "curve", c("frame 11", "1-10"))
  expect_refusal(frame_curve(1:2, 1, 1:10), "curve")
  expect_refusal(frame_curve(1, 1, "10-1"), "frames")
  expect_refusal(total_time(list()), "type", "frame_curve()")
  expect_refusal(total_time(frame_curve(1, 1, 1:3), level = 1.2), "type")
})
