# Jobs of 120 frames: each draw has its own speed, and frames of their own.
some_jobs <- function(n, frames = 120, spread = 0.15) {
  t(vapply(seq_len(n), function(i)
           cumsum(exp(stats::rnorm(1, 0, 0.3)) * 10 * exp(stats::rnorm(frames, 0, spread))),
           numeric(frames)))
}
slowed <- function(t, by, at) {
  steps <- diff(c(0, t))
  cumsum(steps * ifelse(seq_along(t) > at * length(t), by, 1))
}

test_that("a job that goes as forecast is called slower in one of twenty at most, however it is looked at", {
  set.seed(4)
  draws <- some_jobs(400)
  quiet <- some_jobs(100)
  # After the whole of a job each of its blocks was looked at.
  found <- apply(quiet, 1, function(t) clockpigeon:::pace_test(draws, t)$slowed)
  expect_lte(mean(found), 0.12)
  # A job that is slow from the beginning on is no slower than before.
  steady <- apply(quiet[1:40, ], 1, function(t) clockpigeon:::pace_test(draws, 2 * t)$slowed)
  expect_lte(mean(steady), 0.12)
  # What was found at a part is what is found of the part.
  t <- slowed(quiet[1, ], 2, 0.5)
  whole <- clockpigeon:::pace_test(draws, t)
  then <- t[t <= whole$found]
  expect_true(clockpigeon:::pace_test(draws, then)$slowed)
  expect_equal(clockpigeon:::pace_test(draws, then)$found, whole$found)
})

test_that("one that slows down is found, since when and by how much", {
  set.seed(5)
  draws <- some_jobs(400)
  jobs <- t(apply(some_jobs(60), 1, slowed, 1.5, 0.5))
  x <- apply(jobs, 1, function(t) unlist(clockpigeon:::pace_test(draws, t)))
  expect_gte(mean(x["slowed", ]), 0.95)
  at <- jobs[, 60]
  hit <- x["slowed", ] == 1
  expect_lte(stats::median((x["found", ] - at)[hit] / (jobs[, 120] - at)[hit]), 0.3)
  expect_equal(stats::median(x["factor", hit]), 1.5, tolerance = 0.08)
  expect_equal(stats::median(x["since", hit] / at[hit]), 1, tolerance = 0.1)
  # The rest is told right then, and not without it.
  held <- function(with) {
    mean(vapply(seq_len(nrow(jobs)), function(i) {
      t <- jobs[i, ]
      seen <- t[1:90]
      over <- if (with) clockpigeon:::pace_test(draws, seen)$over else 1
      r <- clockpigeon:::rest_draws(draws, draws[, 120], draws[, 120], seen, seen[90], over = over)
      o <- order(r$finish)
      q <- stats::approx(cumsum(r$weight[o]), r$finish[o], c(0.05, 0.95), rule = 2, ties = mean)$y
      t[120] >= q[1] && t[120] <= q[2]
    }, NA))
  }
  expect_gte(held(TRUE), 0.6)
  expect_lte(held(FALSE), 0.2)
})

test_that("few frames, few draws and few arrivals say nothing", {
  draws <- some_jobs(100)
  none <- clockpigeon:::pace_test(draws, draws[1, 1:3])
  expect_false(none$slowed)
  expect_identical(none[c("factor", "over")], list(factor = 1, over = 1))
  expect_false(clockpigeon:::pace_test(draws[, 1:8], slowed(draws[1, 1:8], 5, 0.5))$slowed)
  expect_false(clockpigeon:::pace_test(draws[1:20, ], slowed(draws[1, ], 5, 0.5))$slowed)
})

test_that("windows are means of blocks beside all before them", {
  x <- clockpigeon:::pace_changes(matrix(c(1, 2, 4, 8), 1))
  expect_identical(paste(x$last, x$window), c("3 1", "4 1", "4 2"))
  expect_equal(drop(x$values), c(4 - 1.5, 8 - 7 / 3, 6 - 1.5))
})

test_that("the longest gap of a job is that of 19 in 20, and longer where all is slower", {
  set.seed(9)
  draws <- some_jobs(400)
  gap <- clockpigeon:::longest_gap(draws, numeric())
  greatest <- apply(some_jobs(400), 1, function(t) max(diff(t)))
  expect_equal(mean(greatest > gap), 0.05, tolerance = 0.5)
  t <- draws[1, ]
  expect_equal(clockpigeon:::longest_gap(draws, 3 * stats::median(draws[, 40]) * (1:40) / 40),
               3 * gap, tolerance = 0.01)
  expect_gte(clockpigeon:::longest_gap(draws, t[1:40]), gap)
})

test_that("what is slower than all draws from its first frame on is told, and hardly ever of one that goes as forecast", {
  set.seed(8)
  draws <- some_jobs(600)
  quiet <- some_jobs(150)
  test <- function(t) clockpigeon:::level_test(draws, t, false = 0.02)
  expect_lte(mean(apply(quiet, 1, function(t) test(t)$unlike)), 0.07)
  slow <- test(4 * sort(quiet[1, ])[1:40])
  expect_true(slow$unlike)
  expect_gt(slow$factor, 1.5)
  # A late start is no slow pace; quicker than all is nothing to tell.
  middle <- sort(draws[which.min(abs(draws[, 120] - stats::median(draws[, 120]))), ])
  expect_false(test(5000 + middle[1:60])$unlike)
  expect_false(test(middle[1:60] / 4)$unlike)
  expect_false(test(4 * middle[1:3])$unlike)
  expect_false(clockpigeon:::level_test(draws[1:20, ], 4 * middle)$unlike)
})
