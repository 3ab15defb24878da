ns <- asNamespace("clockpigeon")

test_that("without noise the truth comes back, whichever law it is", {
  n <- c(1, 2, 4, 8, 16, 32)
  amdahl <- fit_scaling(n, 50 * (0.1 + 0.9 / n))
  expect_identical(amdahl$best, "amdahl")
  expect_equal(amdahl$laws$serial[1], 0.1, tolerance = 1e-5)
  usl <- fit_scaling(n, 100 * (1 + 0.05 * (n - 1) + 0.002 * n * (n - 1)) / n)
  expect_identical(usl$best, "usl")
  expect_equal(c(usl$laws$contention[2], usl$laws$coherence[2]), c(0.05, 0.002), tolerance = 1e-4)
  # The turning point of the law: the root of (1 - contention) / coherence (Gunther 2007).
  expect_equal(best_n(usl)$n, round(sqrt(0.95 / 0.002)), tolerance = 0.06)
  line <- fit_scaling(n, 10 / (1 + 0.8 * (n - 1)), error = 0.005)
  expect_identical(line$best, "line")
  expect_equal(predict(line, 64)$seconds, 10 / (1 + 0.8 * 63), tolerance = 1e-3)
  expect_equal(sum(line$weight), 1)
})

test_that("intervals of predicted times hold the truth about as often as they say", {
  hit <- ns$with_seed(9, vapply(1:200, function(i) {
    n <- c(1, 1, 2, 2, 4, 4, 8, 8)
    share <- runif(1, 0.02, 0.3)
    p <- predict(fit_scaling(n, scaled_times(n, share, 0, 0.05)), c(6, 16), draws = 500)
    truth <- 100 * (1 + share * (c(6, 16) - 1)) / c(6, 16)
    p$lower <= truth & truth <= p$upper
  }, logical(2)))
  expect_gt(mean(hit), 0.72)
  expect_lt(mean(hit), 0.92)
})

test_that("time and money choose different numbers, and what stops paying is told", {
  fit <- fit_scaling(c(1, 2, 4, 8, 16, 32), c(100, 55, 33, 24, 22, 26))
  expect_match(fit$says, "times rise from 16 to 32 threads", all = FALSE)
  fast <- best_n(fit)
  cheap <- best_n(fit, price = c(fixed = 3, each = 0.5))
  expect_lt(cheap$n, fast$n)
  expect_identical(best_n(fit, price = 2)$n, 1L)
  counts <- 1:40
  money <- predict(fit, counts)$seconds / 3600 * (3 + 0.5 * counts)
  expect_identical(cheap$n, which.min(money))
  expect_equal(cheap$money, min(money))
  gains <- 1 - predict(fit, fast$pays_until + 0:2)$seconds[-1] /
    predict(fit, fast$pays_until + 0:1)$seconds
  expect_lt(gains[1], 0.05)
})

test_that("what is no evidence is refused, or labelled where the user insists", {
  expect_refusal(fit_scaling(8, 100), "scaling", "all times are of n = 8")
  expect_refusal(fit_scaling(c(8, 8), c(100, 99)), "scaling")
  insisted <- fit_scaling(8, 100, assume = 0.1)
  expect_identical(best_n(insisted)$basis, "assumed")
  expect_match(insisted$says, "assumed, not measured")
  expect_equal(predict(insisted, 8)$seconds, 100)
  expect_refusal(fit_scaling(0, 1), "type", "n")
  expect_refusal(fit_scaling(1.5, 1), "type", "n")
  expect_refusal(fit_scaling(1:2, c(1, 0)), "type", "seconds")
  expect_refusal(fit_scaling(1:2, 1), "scaling")
  two <- fit_scaling(1:2, c(10, 6))
  expect_match(two$says, "assumed", all = FALSE)
  expect_match(two$says, "two counts cannot tell", all = FALSE)
  expect_gt(predict(two, 32)$upper / predict(two, 32)$lower, 1.5)
})
