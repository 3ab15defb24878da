test_that("the steady clock runs at the pace of the wall, and never back", {
  marks <- vapply(1:1000, function(i) clockpigeon:::steady_clock(), 0)
  expect_false(is.unsorted(marks))
  wall <- Sys.time()
  steady <- clockpigeon:::steady_clock()
  Sys.sleep(0.3)
  apart <- as.numeric(Sys.time() - wall, units = "secs") - (clockpigeon:::steady_clock() - steady)
  expect_lt(abs(apart), 0.05)
})
