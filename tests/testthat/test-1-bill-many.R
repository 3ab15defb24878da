test_that("many usages are priced each by itself, and out of order they are refused", {
  site <- read_site(demo_file("sites/quayside.yaml"))
  use <- data.frame(usage = c(1L, 1L, 3L), node = c("a", "b", "a"), seconds = c(4000, 3700, 3600))
  x <- clockpigeon:::bill_many(use, site)
  expect_identical(x[, "to_pay"], c(559, 0, 260))
  expect_refusal(clockpigeon:::bill_many(use[3:1, ], site), "type", "in order")
})

test_that("what each balance gave is told apart", {
  site <- read_site(demo_file("sites/highgarret.yaml"))
  x <- clockpigeon:::bill_many(data.frame(usage = 1:3, seconds = c(3600, 36000, 360000)), site,
                               on = as.Date("2026-11-01"))
  expect_identical(unname(x[, "credit"]), unname(x[, "balance_1"] + x[, "balance_2"]))
  expect_identical(x[[1, "balance_2"]], 0)
  expect_identical(x[3, c("balance_1", "balance_2")], c(balance_1 = 1000, balance_2 = 4000))
})
