test_that("the acceptable noise lies where half of the answers accept", {
  half <- clockpigeon:::acceptable_noise
  expect_equal(half(c(0.05, 0.1, 0.2), c(TRUE, TRUE, FALSE)), sqrt(0.1 * 0.2))
  expect_equal(half(c(0.05, 0.1), c(TRUE, TRUE)), 0.1)
  expect_null(half(c(0.05, 0.1), c(FALSE, FALSE)))
  expect_null(half(numeric(), logical()))
  set.seed(3)
  noise <- exp(runif(2000, log(0.02), log(0.5)))
  answers <- runif(2000) < plogis(-3 * log(noise / 0.12))
  expect_equal(half(noise, answers), 0.12, tolerance = 0.06)
  expect_equal(half(c(0.05, 0.1, 0.2, 0.4), c(FALSE, TRUE, FALSE, TRUE)), 0.1)
})
