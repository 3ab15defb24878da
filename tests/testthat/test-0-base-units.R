test_that("one duration in every way of writing it", {
  expect_equal(parse_duration(c("12m40s", "00:12:40", "760 s", "PT12M40S", "12 min 40 s",
                                "760000ms")), rep(760, 6))
  expect_equal(parse_duration(c("1.5 h", "2d", "P1DT1H", "0 s", NA)), c(5400, 172800, 90000, 0, NA))
})

test_that("what can be read in two ways is refused with both readings", {
  expect_refusal(parse_duration("8.20"), "duration", c("8.20 s", "8m20s"))
  expect_refusal(parse_duration("12:40"), "duration", c("12m40s", "12h40m"))
  expect_refusal(parse_duration("90"), "duration", c("90 s", "90 min"))
})

test_that("what cannot be a duration is refused", {
  for (bad in c("2:75", "00:75:00", "-3 s", "1,5 min", "soon", "", "5 s 3 m", "3 m 3 m", "P", "PT",
                "1e3 s")) {
    expect_refusal(parse_duration(bad, "field x"), "duration", "field x")
  }
  expect_refusal(parse_duration(760), "duration")
})

test_that("durations are written and read back", {
  seconds <- c(0.84, 0.0052, 7.5, 42, 59.97, 760, 3599.7, 11100, 86399, 187200)
  text <- format_duration(seconds)
  expect_identical(text[c(1, 5, 6, 7, 8, 10)],
                   c("0.840s", "1m00s", "12m40s", "1h00m", "3h05m", "2d04h"))
  expect_lt(max(abs(parse_duration(text) / seconds - 1)), 0.01)
  expect_identical(format_duration(c(NA, Inf, -90)), c("unknown", "never", "-1m30s"))
})

test_that("sizes, speeds and powers need their unit, and MB is not MiB", {
  expect_equal(clockpigeon:::parse_size("700 MB"), 7e8)
  expect_equal(clockpigeon:::parse_size("700 MiB"), 700 * 2^20)
  expect_equal(clockpigeon:::parse_rate("100 Mbit/s"), 12.5e6)
  expect_equal(clockpigeon:::parse_power("1.2 kW"), 1200)
  for (bad in list("700", "700 mb", "MB", 700, "7e2 MB", NULL))
    expect_refusal(clockpigeon:::parse_size(bad,
      "field size"), "unit", c("field size", "MiB"))
  expect_identical(clockpigeon:::parse_resolution("1920x1080"), c(width = 1920L, height = 1080L))
  for (bad in c("1920", "0x10", "1920*1080", "x"))
    expect_refusal(clockpigeon:::parse_resolution(bad), "size")
})
