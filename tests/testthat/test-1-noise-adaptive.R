test_that("a noise limit's samples are those of the variance, held between least and most", {
  set.seed(1)
  size <- c(60, 60, 1)
  sd <- rep(c(0.02, 0.2), each = 30 * 60)
  render <- function() array(0.5 + rnorm(prod(size), sd = sd / sqrt(16)), size)
  found <- noise_limit_samples(render(), render(), 16, c(0.05, 0.02), least = 4)
  # By hand: sd of a sample over target * brightness, squared.
  by_hand <- function(target) mean(pmax((c(0.02, 0.2) / (target * 0.5))^2, 4))
  expect_equal(found$samples, c(by_hand(0.05), by_hand(0.02)), tolerance = 0.06)
  expect_equal(found$at_least, c(0.5, 0.5), tolerance = 0.3)
  held <- noise_limit_samples(render(), render(), 16, 0.02, least = 4, most = 100)
  expect_lt(held$samples, found$samples[2])
  expect_equal(held$at_most, 0.5, tolerance = 0.1)
  expect_gt(held$noise_reached, found$noise_reached[2])
  expect_refusal(noise_limit_samples(render(), render(), 16, 0), "type")
})

test_that("a window's mean is that of the pixels in it", {
  set.seed(2)
  x <- matrix(rnorm(7 * 9), 7)
  plain <- outer(1:7, 1:9, Vectorize(function(y, z)
                                     mean(x[max(1, y - 1):min(7, y + 1),
                                            max(1, z - 1):min(9, z + 1)])))
  expect_equal(clockpigeon:::window_mean(x, 3), plain)
  expect_equal(clockpigeon:::window_mean(x, 1), x)
})
