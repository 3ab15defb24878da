test_that("without spread the law is found exactly, and predicted", {
  n <- c(4, 16, 64)
  fit <- fit_limit(n, 2 + 0.5 * n, sqrt(0.09 / n + 1e-4))
  expect_equal(fit$time$estimate, c(start = 2, each = 0.5), tolerance = 1e-8)
  expect_equal(fit$curve$estimate, c(floor = 1e-4, per_sample = 0.09), tolerance = 1e-6)
  expect_equal(predict(fit, 256)$seconds, 130, tolerance = 1e-8)
  expect_equal(samples_for(fit, 0.02), 300)
  expect_equal(sqrt(0.09 / 300 + 1e-4), 0.02)
  steps <- limit_doublings(fit, 4, 64, hourly = 3600, frames = 10)
  expect_equal(steps$samples, c(4, 8, 16, 32, 64))
  expect_equal(steps$cost, 10 * (2 + 0.5 * steps$samples))
  expect_equal(steps$more_s[-1], c(2, 4, 8, 16))
  expect_lt(max(steps$noise_saving[-1]), 1 - sqrt(0.5))
})

test_that("a count is promised at its confidence", {
  set.seed(5)
  met <- function(floor) mean(replicate(600, {
    n <- c(4, 16, 64)
    noise <- sqrt(pmax((floor + 0.09 / n) * (1 + 0.04 * rnorm(3)), 1e-9))
    count <- tryCatch(samples_for(fit_limit(n, noise = noise, error = c(noise = 0.02)), 0.03, 0.9),
                      clockpigeon_error_limit = function(e) Inf)
    sqrt(floor + 0.09 / count) <= 0.03
  }))
  # Whether there is a floor is averaged over: what one asks too much the other may miss by.
  with <- met(1e-4)
  without <- met(0)
  expect_gt(with, 0.83)
  expect_gt((with + without) / 2, 0.88)
  expect_lt((with + without) / 2, 0.97)
})

test_that("data that refuse the law are told", {
  n <- rep(c(2, 8, 32, 128), each = 2)
  set.seed(2)
  wobble <- function() 1 + rnorm(8, sd = 0.01)
  straight <- fit_limit(n, (2 + n) * wobble(), sqrt(1 / n) * wobble(),
                        c(seconds = 0.01, noise = 0.01))
  expect_null(straight$says)
  bent <- fit_limit(n, (2 + n^1.4) * wobble(), n^-0.3 * wobble(), c(seconds = 0.01, noise = 0.01))
  expect_match(bent$says, "not linear|does not fall as one over the root|falls too")
  expect_length(fit_limit(n, (2 + n^1.4) * wobble(), n^-0.3 * wobble())$says, 2)
  expect_output(print(bent), "do not fit the model")
})

test_that("probes and targets that cannot answer are refused", {
  expect_refusal(fit_limit(c(16, 16), noise = c(0.1, 0.1)), "limit", "one count")
  expect_refusal(fit_limit(16, 1, 0.1), "limit", "one count")
  expect_refusal(fit_limit(c(4, 16), noise = c(0.1, 0.12)), "limit", "0.10 at 4, 0.12 at 16")
  expect_refusal(fit_limit(c(4, 16)), "limit", "neither")
  expect_refusal(fit_limit(c(4, NA), c(1, 2)), "type")
  expect_refusal(fit_limit(c(4, 16), c(1, -2)), "type", "`seconds`")
  n <- c(4, 16, 64)
  fit <- fit_limit(n, noise = sqrt(0.09 / n + 0.01^2), error = c(noise = 0.001))
  expect_refusal(samples_for(fit, 0.009), "limit", "below the floor of 0.01")
  vague <- fit_limit(c(4, 16), noise = sqrt(0.09 / c(4, 16)), error = c(noise = 0.05))
  expect_refusal(samples_for(vague, 0.005), "limit", "Probe at a larger count")
  expect_refusal(samples_for(fit_limit(n, n), 0.1), "limit", "no noise")
  expect_identical(fit_limit(c(4, 16), c(1, 2), c(0.2, 0.1))$curve$basis, "assumed")
})

test_that("noise that falls too slowly or too fast is called that, and the line lies in its band", {
  n <- c(4, 16, 64, 256)
  for (power in c(-0.2, -0.5, -0.8)) {
    fit <- fit_limit(n, noise = 0.2 * n^power, error = list(noise = 0.02 * 0.2 * n^power),
                     floor = FALSE)
    at <- as.data.frame(predict(fit, c(2, 8, 128, 1000)))
    expect_true(all(at$noise_lower <= at$noise & at$noise <= at$noise_upper))
    if (power == -0.2)
      expect_refusal(samples_for(fit, 0.01), "limit",
                     "falls too slowly, about as the samples to the power -0.20")
    if (power == -0.8) expect_refusal(samples_for(fit, 0.01), "limit", "falls too fast")
    if (power == -0.5) expect_gt(samples_for(fit, 0.01), 300)
  }
})
