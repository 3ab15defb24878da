site <- function(name) read_site(demo_file(paste0("sites/", name, ".yaml")))
tariff <- function(name, ...) clockpigeon:::tariff_of(site(name), ...)

test_that("a card becomes whole numbers: steps in milliseconds, prices as ratios", {
  x <- tariff("quayside")$charges[[1]]
  expect_identical(c(x$step, x$scale), c(60e3, 3600e3))
  expect_equal(x$prices[1, 1] / x$prices[1, 2] * x$scale, 260)
  # A tier's factor stays exact: 1.15 x 2.2 = 2.53
  brisk <- tariff("saltmill", tier = "brisk")$charges[[1]]
  expect_identical(brisk$prices[1, 1] %% 1, 0)
  expect_equal(brisk$prices[1, 1] / brisk$prices[1, 2] * brisk$scale, 253)
})

test_that("what a charge counts follows the meter, the unit and what the card does not bill", {
  counts <- function(name, k = 1) tariff(name)$charges[[k]]$activities
  expect_true(all(c("start", "idle", "render") %in% counts("quayside")))
  expect_false("start" %in% counts("saltmill"))
  expect_false("prepass" %in% counts("treadle"))
  expect_identical(counts("tollhouse", 2), "storage")
  expect_identical(clockpigeon:::billed_statuses(site("coppice")), c("ok", "incomplete"))
  expect_identical(clockpigeon:::billed_statuses(site("halfpenny")), "ok")
})

test_that("tier, hire class, engine and day choose price, weights, discounts and balances", {
  expect_identical(tariff("tollhouse", hire = "eightfold")$defaults$devices, 8L)
  expect_identical(tariff("tollhouse", hire = "eightfold")$charges[[1]]$amounts, 12.9)
  expect_length(tariff("highgarret", engine = "sundew", on = as.Date("2026-11-01"))$discounts, 1)
  expect_length(tariff("highgarret", engine = "millrace", on = as.Date("2026-11-01"))$discounts, 2)
  expect_length(tariff("highgarret", on = as.Date("2027-11-01"))$balances, 1)
})

test_that("an hour of a node comes to what the timed charges say", {
  hour <- function(...) clockpigeon:::hour_amount(tariff(...))
  expect_equal(hour("attic"), 0.42 * 0.31)
  expect_equal(hour("saltmill"), 2.30)
  expect_equal(hour("coppice"), 32 * 0.048)
  expect_true(is.na(hour("halfpenny")))
})
