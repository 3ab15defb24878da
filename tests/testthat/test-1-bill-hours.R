hour <- 3600e3
within <- function(began, ms, ..., zone = "Europe/Lisbon") {
  windows <- list(...)
  clockpigeon:::ms_within(as.POSIXct(began, tz = zone), ms, windows, zone)
}
window <- function(from, to, days = clockpigeon:::week_days)
  list(days = days, from = from * 3600, to = to * 3600)

test_that("time is split at the hours of the day, over midnight too", {
  # 21:00 to 03:00; 05:00 to 11:00 a day later
  expect_equal(within("2026-11-03 21:00", 6 * hour, window(22, 6)), 5 * hour)
  expect_equal(within("2026-11-03 21:00", 6 * hour, window(8, 20)), 0)
  expect_equal(within("2026-11-03 05:00", 30 * hour, window(22, 6)), (1 + 8) * hour)
  expect_equal(within("2026-11-03 05:00", 0, window(22, 6)), 0)
})

test_that("days are those on which a window begins; overlapping windows count once", {
  # Friday 2026-11-06, 20:00, for 60 hours: to Monday 08:00
  expect_equal(within("2026-11-06 20:00", 60 * hour, window(0, 24, c("sat", "sun"))), 48 * hour)
  expect_equal(within("2026-11-06 20:00", 60 * hour,
                      window(19, 8, c("mon", "tue", "wed", "thu", "fri"))), 12 * hour)
  expect_equal(within("2026-11-06 20:00", 60 * hour, window(0, 24, c("sat", "sun")),
                      window(19, 8, "fri")), 52 * hour)
})

test_that("a night with a change of the clock has the hours it has", {
  # Lisbon puts the clock back on 2026-10-25 at 02:00 and forward on 2026-03-29 at 01:00
  expect_equal(within("2026-10-24 20:00", 24 * hour, window(22, 6)), 9 * hour)
  expect_equal(within("2026-03-28 20:00", 24 * hour, window(22, 6)), 7 * hour)
})

test_that("hours that do not come in the days looked at are none", {
  hours <- list(list(days = c("mon", "fri"), from = 9 * 3600, to = 18 * 3600))
  friday_evening <- as.POSIXct("2026-11-27 19:00", tz = "UTC")
  expect_identical(dim(clockpigeon:::hours_after(hours, friday_evening, "UTC", days = 2)),
                   c(0L, 2L))
  expect_identical(nrow(clockpigeon:::hours_after(hours, friday_evening, "UTC", days = 7)), 2L)
})
