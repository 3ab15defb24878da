test_that("first probes span the shot, and with cheap times the dear frames too", {
  expect_identical(first_probes(1:120, 4), c(15L, 45L, 75L, 105L))
  cheap <- data.frame(frame = 1:120, seconds = ifelse(1:120 %in% c(30, 31, 90), 40, 1))
  chosen <- first_probes(1:120, 4, cheap)
  expect_true(any(chosen %in% c(30, 31, 90)))
  expect_gt(diff(range(chosen)), 30)
  expect_identical(first_probes(1:3, 9, cheap), 1:3)
})

test_that("the next probe is where the least is known, per second it costs", {
  curve <- frame_curve(c(5, 15), c(10, 10), 1:100, cuts = integer())
  found <- next_probe(curve)
  expect_gt(found$frame, 40)
  expect_gt(found$narrows, 0.3)
  # Two halves of equal doubt, one ten times as dear and so ten times as much of the total.
  even <- function(overhead) next_probe(frame_curve(c(10, 90), c(1, 10), 1:100, cuts = 51), overhead = overhead)$frame
  expect_gt(even(1000), 50)
  expect_refusal(next_probe(frame_curve(1:3, 1:3, 1:3)), "curve", "every one was probed")
})

test_that("measuring the next probe narrows the total as it said", {
  curve <- frame_curve(c(20, 60), c(41, 55), 1:120, cuts = integer(), run_sd = 0)
  listed <- next_probe(curve, most = 60, draws = 4000)
  draws <- clockpigeon:::curve_paths(curve, 4000, keep = TRUE)
  # What is left of the total's spread when its regression on the frame's log time is taken out.
  left <- vapply(listed$frame[c(1, 30)], function(f) {
    1 - summary(lm(draws$total ~ log(draws$seconds[, f])))$r.squared
  }, 0)
  expect_equal(1 - listed$narrows[c(1, 30)], left, tolerance = 0.1)
})

test_that("a cheap pass pays where many dear probes would be needed", {
  curve <- frame_curve(c(20, 60, 100), c(40, 90, 55), 1:240)
  expect_true(cheap_pass_pays(curve, cheap_s = 0.5, target = 0.05)$pays)
  dear <- cheap_pass_pays(curve, cheap_s = 30, target = 0.05)
  expect_false(dear$pays)
  expect_lte(dear$probes_with, dear$probes_without)
  expect_false(cheap_pass_pays(curve, cheap_s = 0.5, target = 3)$pays)
  expect_refusal(cheap_pass_pays(curve, 0), "type", "cheap_s")
})

test_that("times are brought to another count or size with the error of that", {
  fit <- fit_limit(c(4, 16, 64), seconds = c(1.4, 2.6, 7.4), error = c(seconds = 0.05))  # 1 + 0.1 N
  brought <- scale_seconds(c(2.6, 5.2), fit, samples = 16, to = 40)
  expect_equal(brought$seconds, c(5, 10), tolerance = 1e-6)
  # The error by drawing fits.
  set.seed(1)
  ratios <- replicate(400, {
    b <- fit_limit(c(4, 16, 64), c(1.4, 2.6, 7.4) * exp(rnorm(3, 0, 0.05)), error = c(seconds = 0.05))$time$estimate
    log((b[1] + 40 * b[2]) / (b[1] + 16 * b[2]))
  })
  expect_equal(brought$scaled[1], sd(ratios), tolerance = 0.15)
  expect_equal(scale_seconds(2, pixels = 100, to_pixels = 400, power = c(1, 0.1)),
               scale_seconds(8, pixels = 400, to_pixels = 400) |> transform(scaled = log(4) * 0.1), ignore_attr = TRUE)
  expect_refusal(scale_seconds(1, fit_limit(c(4, 16), noise = c(0.2, 0.1)), 4, 16), "type", "no times")
})
