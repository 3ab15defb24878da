queue_time <- clockpigeon:::queue_time
prior <- clockpigeon:::queue_prior

test_that("many waits of one kind give their mean and spread", {
  set.seed(4)
  y <- rnorm(4000, log(300), 0.7)
  found <- queue_time(exp(y), rep("0 to 6", 4000), rep(1, 4000), "0 to 6", 1)
  expect_equal(log(found$median_s), mean(y), tolerance = 1e-3)
  expect_equal(found$sd, sd(y), tolerance = 0.01)
  expect_identical(found$df, 4001)
})

test_that("the effects are those of the normal equations, and the spread a fixed point", {
  set.seed(9)
  hours <- rep(c("0 to 6", "12 to 18", "18 to 24"), c(4, 5, 3))
  size <- c(1, 2, 4, 8, 1, 1, 4, 16, 2, 2, 8, 4)
  y <- rnorm(12, 4)
  found <- queue_time(exp(y), hours, size, "12 to 18", 4)
  x <- cbind(1, hours == "0 to 6", hours == "12 to 18", hours == "18 to 24", log2(size))
  at <- c(1, 0, 1, 0, 2)
  weight <- diag(c(0, rep(1 / prior$hours^2, 3), 1 / prior$size^2))
  # The noise of which the answer is sure is what the prior and the residuals give again.
  noise <- function(v) {
    b <- solve(crossprod(x) / v + weight, crossprod(x, y) / v)
    (prior$seen * prior$spread^2 + sum((y - x %*% b)^2)) / (prior$seen + 11) - v
  }
  v <- uniroot(noise, c(0.05, 20), tol = 1e-12)$root
  known <- crossprod(x) / v + weight
  expect_equal(log(found$median_s), sum(at * solve(known, crossprod(x, y) / v)), tolerance = 1e-7)
  expect_equal(found$sd, sqrt(v + drop(at %*% solve(known, at))), tolerance = 1e-7)
})

test_that("quiet hours and larger requests are told apart, and what was not seen is taken as the mean of all", {
  set.seed(2)
  hours <- sample(c("0 to 6", "12 to 18"), 300, TRUE)
  size <- sample(c(1, 4, 16), 300, TRUE)
  s <- exp(log(60) + ifelse(hours == "12 to 18", 1, 0) + 0.5 * log2(size) + rnorm(300, sd = 0.3))
  at <- function(hours, size) queue_time(s, hours = .hours, size = .size, hours, size)$median_s
  .hours <- hours
  .size <- size
  expect_equal(at("0 to 6", 1), 60, tolerance = 0.1)
  expect_equal(at("12 to 18", 1) / at("0 to 6", 1), exp(1), tolerance = 0.1)
  expect_equal(at("0 to 6", 16) / at("0 to 6", 1), exp(2), tolerance = 0.1)
  expect_gt(at("6 to 12", 1), at("0 to 6", 1))
  expect_lt(at("6 to 12", 1), at("12 to 18", 1))
})

test_that("four in five of the next waits lie in the range, for queues drawn as is believed and for wider ones", {
  inside <- function(seed, spread) {
    set.seed(seed)
    n <- sample(3:25, 1)
    hours <- sample(c("0 to 6", "6 to 12", "12 to 18", "18 to 24"), n + 1, TRUE)
    effect <- rnorm(4, sd = prior$hours)
    names(effect) <- c("0 to 6", "6 to 12", "12 to 18", "18 to 24")
    size <- 2^sample(0:5, n + 1, TRUE)
    y <- rnorm(1, 5, 2) + effect[hours] + rnorm(1, sd = prior$size) * log2(size) +
      rnorm(n + 1, sd = spread)
    found <- queue_time(exp(y[-1]), hours[-1], size[-1], hours[1], size[1])
    abs(y[1] - log(found$median_s)) < qt(0.9, found$df) * found$sd
  }
  expect_gt(mean(vapply(1:600, inside, NA, spread = 1)), 0.76)
  expect_lt(mean(vapply(1:600, inside, NA, spread = 1)), 0.87)
  expect_gt(mean(vapply(1:600, inside, NA, spread = 1.6)), 0.74)
})

test_that("two waits tell nothing yet, and what is no wait is left out", {
  expect_null(queue_time(c(5, 6), c("a", "a"), c(1, 1), "a", 1))
  expect_null(queue_time(c(5, 6, NA, 0), rep("a", 4), rep(1, 4), "a", 1))
  expect_length(queue_time(c(5, 6, NA, 7), rep("a", 4), rep(1, 4), "a", 1), 3)
})
