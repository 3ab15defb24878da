# A site that hands frames out in order to `n` writers: when each is finished.
in_turn <- function(seconds, n) {
  free <- numeric(n)
  vapply(seconds, function(s) {
    i <- which.min(free)
    free[i] <<- free[i] + s
    free[i]
  }, 0)
}

test_that("one writer's times are the steps between its pictures", {
  s <- c(5, 7, 6, 30, 28, 31, 29)
  x <- clockpigeon:::write_times(1:7, cumsum(s))
  expect_equal(x$seconds, c(NA, s[-1]))
  expect_identical(unique(x$writer), 1L)
  expect_match(x$why[1], "first of its writer")
})

test_that("writers that take frames in turn are told apart from fast frames", {
  set.seed(4)
  for (n in 2:6) {
    s <- exp(rnorm(80, 3, 0.4))
    shuffled <- sample(80)
    finished <- in_turn(s, n)
    x <- clockpigeon:::write_times(shuffled, finished[shuffled])
    known <- !is.na(x$seconds)
    expect_equal(sum(!known), n)
    expect_equal(x$seconds[known], s[x$frame[known]])
  }
})

test_that("writers with ranges of their own are told apart, too", {
  s <- exp(rnorm(40, 2, 0.2))
  x <- clockpigeon:::write_times(c(1:20, 21:40), c(cumsum(s[1:20]), 3 + cumsum(s[21:40])))
  known <- !is.na(x$seconds)
  expect_equal(x$seconds[known], s[x$frame[known]])
  expect_identical(as.integer(table(x$writer)), c(20L, 20L))
})

test_that("a pause is no frame time, a heavy part is", {
  s <- c(rep(10, 8), rep(60, 8), rep(10, 8))
  paused <- cumsum(s) + ifelse(seq_along(s) > 20, 3600, 0)
  x <- clockpigeon:::write_times(seq_along(s), paused)
  expect_identical(which(is.na(x$seconds)), c(1L, 21L))
  expect_match(x$why[21], "after a gap of 3610 s")
  expect_equal(x$seconds[9:16], rep(60, 8))
})

test_that("a frame that was written again counts as it was written last, and writers can be given", {
  x <- clockpigeon:::write_times(c(1:6, 4:6), c(1:6 * 10, 500 + 1:3 * 10))
  expect_identical(anyDuplicated(x$frame), 0L)
  even <- clockpigeon:::write_times(1:9, rep(c(10, 20, 30), each = 3) + rep(0:2 / 10, 3),
                                    writers = 3)
  expect_equal(even$seconds[4:9], rep(10, 6))
})
