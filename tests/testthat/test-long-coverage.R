# Intervals against known truth, many times over.
skip_unless_long()

test_that("intervals cover a known ratio as often as they say, and equal settings are rarely told apart", {
  trial <- function(i, ratio) {
    drift <- rnorm(4, 0, 0.2)  # hits both of a block alike
    x <- compare_timings(two_versions(exp(drift + rnorm(4, 0, 0.1)),
                                      exp(drift + rnorm(4, 0, 0.1)) / ratio),
                         "engine_version")
    c(covered = x$lower <= ratio && ratio <= x$upper, told = x$verdict != "no clear difference")
  }
  found <- clockpigeon:::with_seed(11, vapply(1:1000, trial, c(TRUE, TRUE), ratio = 1))
  expect_gt(mean(found["covered", ]), 0.93)
  expect_lt(mean(found["covered", ]), 0.97)
  expect_lte(mean(found["told", ]), 0.07)
})

test_that("95 % intervals cover 93 to 97 % with 2, 3 and 5 probes, the spread known or measured", {
  skip_on_cran()
  for (counts in list(c(4, 64), c(4, 16, 64), c(4, 8, 16, 32, 64))) for (known in c(TRUE, FALSE)) {
    share <- covers(1000, function() experiment(counts, c(0.05, 0.01), known))
    expect_true(all(share > 0.93 & share < 0.97),
                info = paste(length(counts), known, toString(round(share, 3))))
  }
})

test_that("95 % intervals hold about 95 % of true parameters (bench/scaling.R has 1,000 fits)", {
  clockpigeon:::with_seed(8, {
    n <- rep(c(1, 2, 4, 8, 16, 32), 2)
    hit <- vapply(1:150, function(i) {
      share <- runif(1, 0.02, 0.3)
      amdahl <- fit_scaling(n, scaled_times(n, share, 0, 0.05))
      usl <- fit_scaling(n, scaled_times(n, share, 0.004, 0.05), error = if (i %% 2) 0.05)
      a <- confint(amdahl, "amdahl")
      u <- confint(usl, "usl")
      held <- function(x, truth) x$lower <= truth & truth <= x$upper
      c(held(a, c(100, share)), held(u, c(100, share, 0.004)))
    }, logical(5))
  })
  expect_gt(mean(hit), 0.92)
  expect_lt(mean(hit), 0.975)
})
