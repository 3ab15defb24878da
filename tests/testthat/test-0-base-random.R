test_that("a seed gives the same draws and leaves the caller's stream alone", {
  set.seed(7)
  before <- .Random.seed
  a <- clockpigeon:::with_seed(1, rnorm(3))
  expect_identical(.Random.seed, before)
  RNGkind("Wichmann-Hill")
  withr::defer(RNGkind("default", "default", "default"))
  expect_identical(clockpigeon:::with_seed(1, rnorm(3)), a)
  expect_identical(RNGkind()[1], "Wichmann-Hill")
  expect_error(clockpigeon:::with_seed(1, stop("no")))
  expect_identical(RNGkind()[1], "Wichmann-Hill")
})

test_that("each label has a stream of its own", {
  labels <- c("frames gears", "frames basin", "wait a", "wait b", "speed", "start")
  seeds <- vapply(labels, clockpigeon:::stream_seed, 0L, seed = 1)
  expect_false(anyDuplicated(seeds) > 0)
  expect_false(identical(clockpigeon:::stream_seed(1, "a"), clockpigeon:::stream_seed(2, "a")))
})
