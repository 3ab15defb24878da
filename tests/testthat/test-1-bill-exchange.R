rates <- data.frame(date = c("2026-10-01", "2026-11-02", "2026-11-02", "2026-11-09"),
                    from = c("GBP", "GBP", "EUR", "EUR"),
                    to = c("EUR", "EUR", "USD", "USD"), rate = c(1.152, 1.1485, 1.08, 1.09),
                    source = "x")
at <- function(...) clockpigeon:::exchange_rate(rates, ...)

test_that("the latest rate of a pair is used, not one after the day, and its inverse the other way", {
  expect_identical(at("GBP", "EUR")$date, "2026-11-02")
  expect_identical(at("GBP", "EUR", as.Date("2026-10-20"))$rate, 1.152)
  expect_null(at("GBP", "EUR", as.Date("2026-09-20")))
  expect_equal(at("EUR", "GBP")$rate, 1 / 1.1485)
  expect_equal(clockpigeon:::exchange_rate(NULL, "EUR", "EUR")$rate, 1)
  expect_null(at("JPY", "EUR"))
  expect_null(clockpigeon:::exchange_rate(NULL, "GBP", "EUR"))
})

test_that("two pairs of one day meet in the currency that they share", {
  x <- at("GBP", "USD")
  expect_equal(x$rate, 1.1485 * 1.08)
  expect_identical(x$date, "2026-11-02")
  expect_match(x$source, "through EUR")
})

test_that("a site's unit goes through its worth, with the site's date where no other is", {
  site <- list(currency = "points", as_of = as.Date("2026-10-05"),
               unit = list(worth = list(amount = 0.05, currency = "EUR")))
  expect_equal(clockpigeon:::rate_to(site, "EUR", NULL), list(rate = 0.05, date = "2026-10-05",
                                                              source = "1 points = 0.05 EUR stated by the site"))
  x <- clockpigeon:::rate_to(site, "USD", rates)
  expect_equal(x$rate, 0.05 * 1.09)
  expect_identical(x$date, "2026-11-09")
  site$unit <- list(worth = NULL)
  expect_null(clockpigeon:::rate_to(site, "EUR", rates))
})
