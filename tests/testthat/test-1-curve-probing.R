test_that("first probes span the shot, and with cheap times the dear frames too", {
  at <- first_probes(1:120, 4)
  expect_true(all(abs(at - c(15, 45, 75, 105)) <= 6))
  # Neighbours are off to opposite sides, so that a steady rise is met exactly.
  expect_lte(abs(sum(at) - 4 * 60.5), 3)
  expect_identical(first_probes(1:120, 4), at)
  expect_false(identical(first_probes(1:120, 4, seed = 2), at))
  # From eight on some stand next to another.
  expect_identical(min(diff(first_probes(1:120, 8))), 1L)
  expect_length(first_probes(1:120, 20), 20)
  expect_identical(first_probes(c(3, 5, 9), 2), first_probes(c(3, 5, 9), 2))
  expect_identical(first_probes(1:10, 10), 1:10)
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
  even <- function(overhead)
    next_probe(frame_curve(c(10, 90), c(1, 10), 1:100, cuts = 51), overhead = overhead)$frame
  expect_gt(even(1000), 50)
  expect_refusal(next_probe(frame_curve(1:3, 1:3, 1:3)), "curve", "every one was probed")
})

test_that("measuring the next probe narrows the total as it said", {
  # Against refits: what the frame may show, by its own forecast, put in one by one.
  width <- function(curve) {
    t <- total_time(curve, draws = 2000)
    log(t$upper / t$lower)^2
  }
  said <- told <- NULL
  for (at in list(c(20, 60), c(15, 45, 75, 105), c(8, 30, 50, 70, 95, 112))) {
    seconds <- 40 + 15 * sin(at / 25)
    curve <- frame_curve(at, seconds, 1:120, cuts = integer(),
                         prior = curve_prior(heavy_factor = 1.2))
    best <- next_probe(curve)
    frame <- predict(curve)[best$frame, ]
    shown <- exp(mean(log(c(frame$lower, frame$upper))) +
                 qnorm((1:8 - 0.5) / 8) * log(frame$upper / frame$lower) /
                   (2 * qnorm(0.9)))
    after <- vapply(shown, function(s) {
      width(frame_curve(c(at, best$frame), c(seconds, s), 1:120, cuts = integer(),
                        prior = curve_prior(heavy_factor = 1.2)))
    }, 0)
    said <- c(said, best$narrows)
    told <- c(told, 1 - mean(after) / width(curve))
  }
  expect_equal(mean(said), mean(told), tolerance = 0.35)
})

test_that("a cheap pass pays where many dear probes would be needed", {
  curve <- frame_curve(c(20, 60, 100), c(40, 90, 55), 1:240)
  expect_true(cheap_pass_pays(curve, cheap_s = 0.5, target = 0.05)$pays)
  dear <- cheap_pass_pays(curve, cheap_s = 90, target = 0.05)
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
    b <- fit_limit(c(4, 16, 64), c(1.4, 2.6, 7.4) * exp(rnorm(3, 0, 0.05)),
                   error = c(seconds = 0.05))$time$estimate
    log((b[1] + 40 * b[2]) / (b[1] + 16 * b[2]))
  })
  expect_equal(brought$scaled[1], sd(ratios), tolerance = 0.15)
  expect_equal(scale_seconds(2, pixels = 100, to_pixels = 400, power = c(1, 0.1)),
               scale_seconds(8, pixels = 400, to_pixels = 400) |> transform(scaled = log(4) * 0.1),
               ignore_attr = TRUE)
  expect_refusal(scale_seconds(1, fit_limit(c(4, 16), noise = c(0.2, 0.1)), 4, 16), "type",
                 "no times")
})
