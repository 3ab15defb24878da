# Two plans: one costs 10, the other what a normal theta says; both keep what is asked.
value_state <- function(n = 4000, mean = 11, sd = 2) {
  set.seed(5)
  theta <- stats::rnorm(n, mean, sd)
  list(theta = theta,
       state = list(asked = list(rule = "cheapest", confidence = 0.9), cost = cbind(10, theta),
                    miss = 0, kept = matrix(1, n, 2), finish = matrix(1, n, 2),
                    names = c("known", "open"), now = 1L, fits = TRUE))
}

test_that("what a measurement saves agrees with nested Monte Carlo", {
  v <- value_state()
  for (error in c(0.5, 2)) {
    told <- 2^2 / sqrt(2^2 + error^2)
    found <- clockpigeon:::results_of(v$state, v$theta, 11, 2, told, 2L)
    set.seed(8)
    truth <- stats::rnorm(20000, 11, 2)
    seen <- truth + stats::rnorm(20000, 0, error)
    after <- (11 / 2^2 + seen / error^2) / (1 / 2^2 + 1 / error^2)
    nested <- pmax(10 - after, 0)
    expect_equal(mean(found$saves), mean(nested),
                 tolerance = 4 * stats::sd(nested) / sqrt(20000) / mean(nested) + 0.05)
    expect_equal(mean(found$wins == 2), mean(after < 10), tolerance = 0.08)
  }
})

test_that("a measurement that tells nothing saves nothing, and what does not hang on it stays", {
  v <- value_state()
  expect_lt(mean(clockpigeon:::results_of(v$state, v$theta, 11, 2, 0.01, 2L)$saves), 0.01)
  expect_identical(mean(clockpigeon:::results_of(v$state, v$theta, 11, 2, 1.9, 1L)$saves), 0)
})

test_that("a miss is worth the least at which the plan is the best", {
  miss <- clockpigeon:::price_of_missing
  # 10 more for 0.3 more of a chance, 4 more for 0.2.
  expect_equal(miss(c(10, 0, 6), c(0.9, 0.6, 0.7), 1), 10 / 0.3)
  expect_identical(miss(c(10, 12), c(0.9, 0.95), 1), 0)
})
