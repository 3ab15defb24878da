probs <- c(0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99)

test_that("the score from quantiles is near that of the whole distribution", {
  # Of a normal distribution it is known in closed form (Gneiting & Raftery 2007, equation 21).
  exact <- function(y, m, s) {
    z <- (y - m) / s
    s * (z * (2 * stats::pnorm(z) - 1) + 2 * stats::dnorm(z) - 1 / sqrt(pi))
  }
  for (y in c(-3, -1, 0, 0.4, 2.5, 6)) {
    q <- matrix(stats::qnorm(probs, 0.5, 1.3), 1)
    expect_equal(clockpigeon:::crps_of(y, q, probs), exact(y, 0.5, 1.3), tolerance = 0.08)
  }
  # A point forecast is scored by how far off it is.
  expect_equal(clockpigeon:::crps_of(c(3, -2), matrix(1, 2, 9), probs), c(2, 3), tolerance = 0.03)
})

test_that("on average the score is least for the distribution that the values come from", {
  set.seed(3)
  y <- stats::rnorm(4000)
  of <- function(m, s)
    mean(clockpigeon:::crps_of(y, matrix(stats::qnorm(probs, m, s), 4000, 9, byrow = TRUE), probs))
  right <- of(0, 1)
  for (other in list(c(0.4, 1), c(-0.4, 1), c(0, 1.7), c(0, 0.5)))
    expect_gt(of(other[1], other[2]), right)
})

test_that("scores of groups count what ended inside, and by how much it was more", {
  q <- exp(stats::qnorm(probs, log(100), 0.2))
  points <- clockpigeon:::forecast_points()
  x <- data.frame(group = c("a", "a", "b", "b"), actual = c(100, 200, 110, NA))
  x[points] <- rep(q, each = 4)
  out <- clockpigeon:::score_table(x, points, probs)
  expect_identical(out[c("group", "jobs", "inside")],
                   data.frame(group = c("a", "b"), jobs = 2:1, inside = c(1L, 1L)))
  expect_equal(out$bias, c(sqrt(2), 1.1))
  expect_gt(out$crps[1], out$crps[2])
})
