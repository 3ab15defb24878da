test_that("a probe stands for the frames nearest to it in its own part of the shot", {
  stretches <- clockpigeon:::probe_stretches
  expect_identical(stretches(c(2L, 5L), c(0, 0), 6L, rep(0, 6)), c(3L, 3L))
  # A cut before frame 4: frame 3 is nearer to neither, but of the first part.
  expect_identical(stretches(c(1L, 4L), c(0, 1), 6L, c(0, 0, 0, 1, 1, 1)), c(3L, 3L))
  expect_identical(sum(stretches(c(3L, 4L, 90L), c(0, 0, 0), 120L, rep(0, 120))), 120L)
})

test_that("the share of heavy frames that so many probes miss is what their chance says", {
  share <- clockpigeon:::missed_share(8)
  expect_equal((1 - share)^8, 0.2)
  set.seed(1)
  missed <- mean(replicate(4000, !any(runif(8) < share)))
  expect_equal(missed, 0.2, tolerance = 0.1)
})

test_that("the range is never below what unseen heavy frames could add, and says so; a cheap pass ends that", {
  y <- rep(c(10, 10.1, 9.9), 40)
  at <- first_probes(1:120, 8)
  curve <- frame_curve(at, y[at], 1:120, prior = curve_prior(heavy_factor = 4))
  t <- total_time(curve)
  expect_gte(t$upper / t$median - 1, 0.9 * clockpigeon:::missed_share(8) * 3)
  expect_lt(1 - t$lower / t$median, 0.1)
  expect_match(
    curve$says, "8 probes cannot rule out heavy frames rarer than one in 5 (4 times as slow, assumed",
    fixed = TRUE, all = FALSE)
  cheap <- data.frame(frame = 1:120, seconds = y / 50)
  seen <- frame_curve(at, y[at], 1:120, cheap = cheap)
  expect_false(any(grepl("cannot rule out", seen$says)))
  expect_lt(total_time(seen)$upper / total_time(seen)$median, 1.1)
})

test_that("frames that jitter are covered as a t interval covers them, and the mean stays within the range", {
  for (sd in c(0.2, 0.5)) {
    found <- vapply(1:60, function(i) {
      y <- clockpigeon:::with_seed(400 + i, exp(rnorm(150, 0, sd)))
      at <- clockpigeon:::spread_frames(1:150, 8)
      t <- total_time(frame_curve(at, y[at], 1:150, seed = i), draws = 800)
      c(t$lower <= sum(y) && sum(y) <= t$upper, t$lower <= t$mean && t$mean <= t$upper)
    }, c(NA, NA))
    expect_gte(mean(found[1, ]), 0.68)  # 0.60 and 0.40 before the design counted
    expect_true(all(found[2, ]))
  }
  # However vague the prior: its tail would carry the mean away.
  vague <- curve_prior(sd = c(0.6, 1), own = c(0.5, 1))
  t <- total_time(frame_curve(20, 50, 1:120, prior = vague))
  expect_true(is.finite(t$mean) && t$lower <= t$mean && t$mean <= t$upper)
})

test_that("the middle stays near the plain sum where the model is far off", {
  y <- rep(c(1, 1, 14, 14, 1, 1, 1, 1), 15)
  at <- clockpigeon:::spread_frames(1:120, 20)
  plain <- mean(y[at]) * 120
  expect_equal(total_time(frame_curve(at, y[at], 1:120, cuts = integer()))$median, plain,
               tolerance = 0.15)
})

test_that("draws brought to the design have its middle and its ends", {
  at <- c(10, 40, 70, 100)
  curve <- frame_curve(at, c(5, 9, 6, 8), 1:120, cuts = integer())
  open <- log(clockpigeon:::curve_paths(curve, 4000)$open)
  half <- clockpigeon:::range_halves(curve$design$apart, curve$design$bounds)
  expect_equal(unname(quantile(open, 0.5)), curve$design$centre, tolerance = 0.01)
  expect_equal(unname(curve$design$centre - quantile(open, 0.1)), half[1], tolerance = 0.1)
  expect_equal(unname(quantile(open, 0.9) - curve$design$centre), half[2], tolerance = 0.1)
  expect_identical(clockpigeon:::design_of_total(frame_curve(1:3, 1:3, 1:3)), list())
})
