now <- as.POSIXct("2026-11-24 12:00", tz = "UTC")  # a Tuesday
said <- function(x, zone = "Europe/Lisbon", at = now)
  format(parse_deadline(x, at, zone), "%Y-%m-%d %H:%M", tz = "UTC")

test_that("deadlines are durations, days of the week, dates, with the project's zone or their own", {
  expect_identical(said("30 h"), "2026-11-25 18:00")
  expect_identical(said(3600), "2026-11-24 13:00")
  expect_identical(said("fri 18:00"), "2026-11-27 18:00")
  expect_identical(said("Friday 18:00", "America/New_York"), "2026-11-27 23:00")
  expect_identical(said("tue 11:00"), "2026-12-01 11:00")         # today's has passed: the next
  expect_identical(said("tue 13:00"), "2026-11-24 13:00")
  expect_identical(said("18:00"), "2026-11-24 18:00")
  expect_identical(said("09:00"), "2026-11-25 09:00")
  expect_identical(said("tomorrow 9:00"), "2026-11-25 09:00")
  expect_identical(said("2026-12-01 18:00"), "2026-12-01 18:00")
  expect_identical(said("2026-12-01T18:00+01:00", NULL), "2026-12-01 17:00")
  expect_identical(said("2026-12-01 18:00 Z", NULL), "2026-12-01 18:00")
  expect_identical(said("2027-07-01 18:00 Europe/Lisbon", NULL), "2027-07-01 17:00")
})

test_that("moments are written alike in every locale, in their zone", {
  at <- as.POSIXct("2026-11-27 18:00", tz = "UTC")
  expect_identical(clockpigeon:::format_moment(at, "Europe/Lisbon"),
                   "Fri 27 Nov 18:00 (Europe/Lisbon)")
  expect_identical(clockpigeon:::clock_text(at + c(0, 3 * 86400), "Asia/Tokyo"),
                   c("Sat 03:00", "Tue 03:00"))
})

test_that("a deadline that has passed, has no zone, or is no one moment is refused", {
  expect_identical(format(parse_deadline("2026-11-27T18:00:30Z", now), "%H:%M:%S", tz = "UTC"),
                   "18:00:30")
  expect_refusal(parse_deadline("2026-11-27T18:00:61Z", now), "deadline")
  expect_refusal(parse_deadline("2026-11-01 18:00", now, "UTC"), "deadline",
                 c("has passed", "2026-11-24 12:00"))
  expect_refusal(parse_deadline("today 9:00", now, "UTC"), "deadline", "has passed")
  expect_refusal(parse_deadline("fri 18:00", now), "deadline", "no time zone")
  expect_refusal(parse_deadline("2027-03-28 01:30", now, "Europe/Lisbon"), "deadline",
                 "skip that day")
  expect_refusal(parse_deadline("2026-10-25 01:30", now - 86400 * 60, "Europe/Lisbon"), "deadline",
                 c("show twice", "offset"))
  expect_identical(said("2026-10-25 01:30 +01:00", at = now - 86400 * 60), "2026-10-25 00:30")
  expect_refusal(parse_deadline("friday", now, "UTC"), "deadline", "fri 18:00")
  expect_refusal(parse_deadline("fri 18:00 Atlantis/Harbour", now), "deadline", "Atlantis/Harbour")
  expect_refusal(parse_deadline("2026-02-30 18:00", now, "UTC"), "deadline", "date that there is")
  expect_refusal(parse_deadline("fri 25:00", now, "UTC"), "deadline", "such as 18:00")
  expect_refusal(parse_deadline("8.20", now), "duration", "8m20s")
  expect_refusal(parse_deadline(-1, now), "type", "above 0")
})

test_that("the clock is what CLOCKPIGEON_NOW says, and a bad one is refused", {
  old <- Sys.getenv("CLOCKPIGEON_NOW")
  on.exit(Sys.setenv(CLOCKPIGEON_NOW = old))
  Sys.setenv(CLOCKPIGEON_NOW = "2027-06-01T22:30:00Z")
  expect_identical(clockpigeon:::this_day("Europe/Lisbon"), as.Date("2027-06-01"))
  expect_identical(clockpigeon:::this_day("Asia/Tokyo"), as.Date("2027-06-02"))
  Sys.setenv(CLOCKPIGEON_NOW = "soon")
  expect_refusal(clockpigeon:::this_moment(), "type", c("CLOCKPIGEON_NOW", "2027-06-01T12:00:00Z"))
  Sys.setenv(CLOCKPIGEON_NOW = "")
  expect_lt(abs(as.numeric(clockpigeon:::this_moment()) - as.numeric(Sys.time())), 5)
})

test_that("a simulated clock stands in a file, and moves when somebody says so", {
  path <- withr::local_tempfile()
  clockpigeon:::set_clock_file(path, as.POSIXct("2026-11-26 22:00:00", tz = "UTC"))
  withr::local_envvar(CLOCKPIGEON_NOW = paste0("@", path))
  expect_identical(format(clockpigeon:::this_moment(), tz = "UTC"), "2026-11-26 22:00:00")
  elapsed <- clockpigeon:::job_timer()
  clockpigeon:::set_clock_file(path, clockpigeon:::this_moment() + 30.5)
  expect_equal(elapsed(), 30.5)
  writeLines("noon", path)
  expect_refusal(clockpigeon:::this_moment(), "type", "CLOCKPIGEON_NOW")
  unlink(path)
  expect_refusal(clockpigeon:::this_moment(), "type", "there is no file")
})

test_that("a moment of another year says which", {
  at <- as.POSIXct(c("2026-06-14 10:00", "2027-05-14 10:00"), tz = "UTC")
  today <- as.POSIXct("2026-11-26", tz = "UTC")
  expect_identical(clockpigeon:::clock_text(at, "UTC", today = today),
                   c("Sun 10:00", "Fri 14 May 2027 10:00"))
  expect_identical(clockpigeon:::clock_text(at, "UTC", date = TRUE, today = today),
                   c("Sun 14 Jun 10:00", "Fri 14 May 2027 10:00"))
})
