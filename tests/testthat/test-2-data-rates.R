test_that("the latest rate is used, and its inverse the other way", {
  rates <- read_project(demo_file())$rates
  expect_identical(clockpigeon:::exchange_rate(rates, "GBP", "EUR")$date, "2026-11-02")
  expect_equal(clockpigeon:::exchange_rate(rates, "EUR", "GBP")$rate, 1 / 1.1485)
  expect_equal(clockpigeon:::exchange_rate(NULL, "EUR", "EUR")$rate, 1)
  expect_null(clockpigeon:::exchange_rate(rates, "JPY", "EUR"))
})

test_that("bad rates name their line", {
  f <- write_file(scratch(), "r.csv", "date,from,to,rate,source", "2026-10-01,GBP,EUR,1.15,x",
                  "2026-10-02,GBP,EUR,-1,x")
  expect_refusal(clockpigeon:::read_rates(f), "type", "line 3, field `rate`")
  expect_refusal(clockpigeon:::read_rates(write_file(scratch(), "r.csv", "date,rate", "2026-10-01,2")), "columns",
                 "from")
})
