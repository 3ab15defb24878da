whole <- function(...)
  clockpigeon:::whole_usage(data.frame(...), list(devices = 2L, cores = 1L, score = 1, watts = 0))

test_that("a usage becomes whole numbers, with the card's weights where it has none", {
  x <- whole(node = c("a", "b", "a"), seconds = c(0.0014, 1.5, NA), frames = c(1, 2, 3),
             megapixels = 0.5, gb = 0.25, days = c(0, 2, 0), score = c(1.25, NA, 1.25))
  expect_identical(x$ms, c(1, 1500, 0))
  expect_identical(x$frame_pixels, c(5e5, 1e6, 1.5e6))
  expect_identical(x$byte_days, c(0, 5e8, 0))
  expect_identical(x$score, c(1250, 1000, 1250))
  expect_identical(x$devices, c(2, 2, 2))
  expect_identical(x$node, c(1L, 2L, 1L))
  expect_identical(clockpigeon:::usage_activities[x$activity], rep("render", 3))
})

test_that("what is no amount is refused by its column", {
  expect_refusal(whole(seconds = "5"), "type", "column `seconds`")
  expect_refusal(whole(seconds = Inf), "type", "column `seconds`")
  expect_refusal(whole(frames = 1.5), "type", "whole numbers")
  expect_refusal(whole(gb = 1e9), "type", "column `gb`")
  expect_refusal(whole(seconds = 1, status = "done"), "choice", "column `status`")
})

test_that("an unknown time is not a free one, where the card charges for it", {
  site <- read_site(demo_file("sites/quayside.yaml"))
  usage <- data.frame(node = c("a", "b"), seconds = c(4000, NA))
  expect_refusal(bill(usage, site), "type",
                 c("row 2 has no known seconds", "0 where it was nothing"))
  expect_refusal(bill_many(cbind(usage, usage = 1:2), site), "type", "row 2 has no known seconds")
  # What the card does not charge for may be unknown.
  usage$seconds[2] <- 0
  expect_equal(sum(bill(cbind(usage, days = NA), site)$amount), sum(bill(usage, site)$amount))
})

test_that("a discount's days are the site's own", {
  site <- read_site(demo_file("sites/quayside.yaml"))
  site$time_zone <- "Asia/Tokyo"
  site$discounts <- list(list(discount = "day", percent = 50, from = as.Date("2026-11-25"),
                              to = as.Date("2026-11-25")))
  usage <- data.frame(node = "a", seconds = 36000)
  full <- sum(bill(usage, site, on = as.POSIXct("2026-11-24 12:00", tz = "UTC"))$amount)
  # 05:00 of the 25th in Tokyo is still the 24th in UTC.
  half <- sum(bill(usage, site, on = as.POSIXct("2026-11-24 20:00", tz = "UTC"))$amount)
  expect_equal(half, full / 2, tolerance = 0.01)
})
