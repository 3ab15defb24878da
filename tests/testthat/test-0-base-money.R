test_that("money is an amount with an ISO 4217 code", {
  expect_equal(clockpigeon:::parse_money("1.90 EUR"), list(amount = 1.9, currency = "EUR"))
  expect_refusal(clockpigeon:::parse_money("1.90"), "money", "1.90 EUR")
  expect_refusal(clockpigeon:::parse_money("1,90 EUR"), "money")
  expect_refusal(clockpigeon:::parse_money("1.90 eur", "card"), "currency", c("card", "EUR"))
  expect_refusal(clockpigeon:::check_currency("EUX", "w"), "currency", "ISO 4217")
})

test_that("minor units round half up, per currency", {
  expect_equal(clockpigeon:::to_minor(c(1.005, 2.345, 0.994), "EUR"), c(101, 235, 99))
  expect_equal(clockpigeon:::to_minor(1234.5, "JPY"), 1235)
  expect_equal(clockpigeon:::to_minor(1.2345, "KWD"), 1235)
  expect_equal(clockpigeon:::from_minor(clockpigeon:::to_minor(7.31, "GBP"), "GBP"), 7.31)
  cents <- 0:5000
  expect_equal(clockpigeon:::to_minor(cents / 100, "EUR"), cents)
  expect_identical(clockpigeon:::format_money(c(1.5, NA), "EUR"), c("1.50 EUR", "unknown"))
  expect_false(anyDuplicated(names(clockpigeon:::currency_digits)) > 0)
})

test_that("amounts show no more digits than their error bears", {
  about <- clockpigeon:::format_about
  expect_identical(about(c(101.7034, 6.918, 0.4312, 1234.5, NA), c(0.3, 0.02, 0.0005, 8, 1)),
                   c("101.7", "6.92", "0.43", "1230", "unknown"))
  expect_identical(about(2, 0, "EUR"), "2.00 EUR")
  expect_identical(about(101.7, 0.8, "EUR"), "102 EUR")
})
