test_that("the steady clock runs at the pace of the wall, and never back", {
  marks <- vapply(1:1000, function(i) clockpigeon:::steady_clock(), 0)
  expect_false(is.unsorted(marks))
  # The wall's moment lies between two of the steady clock, however long the machine paused there.
  look <- function() {
    before <- clockpigeon:::steady_clock()
    wall <- as.numeric(Sys.time())
    c(before, wall, clockpigeon:::steady_clock())
  }
  first <- look()
  Sys.sleep(0.3)
  last <- look()
  passed <- last[2] - first[2]
  expect_gt(passed, last[1] - first[3] - 0.01)
  expect_lt(passed, last[3] - first[1] + 0.01)
})
