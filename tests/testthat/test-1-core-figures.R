test_that("one change has three names", {
  expect_equal(as.data.frame(speed_figures(80, 50)), data.frame(old = 80, new = 50, ratio = 1.6, time_saved = 0.375,
                                                                speed_gain = 0.6))
  x <- speed_figures(c(10, 5), 10)
  expect_equal(x$ratio, c(1, 0.5))
  expect_equal(x$speed_gain, x$ratio - 1)
  expect_equal(1 - x$time_saved, 1 / x$ratio)
})

test_that("times that are none are refused", {
  for (bad in list(0, -1, NA, Inf, "8")) expect_refusal(speed_figures(bad, 1), "type", "old")
  expect_refusal(speed_figures(1:2, 1:3), "type")
})
