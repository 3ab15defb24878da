exact <- function(...) clockpigeon:::scale_exactly(...)

test_that("products are exact where doubles would lose the last digit", {
  # 2^53 - 1 times 7 / 7; 123456789012 * 987654321 / 10^9 = 121932631124.487...
  expect_identical(exact(2^53 - 1, 7, 7), 2^53 - 1)
  expect_identical(exact(123456789012, 987654321, 1e9), 121932631124)
  expect_identical(exact(c(0, 1, 2, 3), 1, 2), c(0, 1, 1, 2))
  expect_identical(exact(5, 1, 10), 1)
  expect_identical(exact(4, 1, 10), 0)
})

test_that("long division agrees with remainders taken one by one, over random numbers", {
  clockpigeon:::with_seed(4, for (case in 1:300) {
    a <- floor(runif(1, 0, 1e6))
    num <- floor(runif(1, 1, 1e6))
    den <- floor(runif(1, 1, 1e9))
    # a * num is below 2^53 here, so that plain doubles are exact too
    expect_identical(exact(a, num, den), (2 * a * num + den) %/% (2 * den))
  })
})

test_that("decimals become ratios, and too many of them are refused", {
  expect_identical(clockpigeon:::as_ratio(0.0045), c(45, 1e4))
  expect_identical(clockpigeon:::as_ratio(2.6), c(26, 10))
  expect_refusal(clockpigeon:::as_ratio(pi), "type", "decimals")
  expect_refusal(exact(1, 1, 7e14), "type", "fewer decimals")
})

test_that("steps go up, down or to the nearest", {
  steps <- function(rounding) clockpigeon:::to_steps(c(0, 59, 60, 61, 90, 119), 60, rounding)
  expect_identical(steps("up"), c(0, 60, 60, 120, 120, 120))
  expect_identical(steps("down"), c(0, 0, 60, 60, 60, 60))
  expect_identical(steps("nearest"), c(0, 60, 60, 60, 120, 120))
})
