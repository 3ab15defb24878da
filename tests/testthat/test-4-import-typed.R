test_that("what was said is kept with how sure it is", {
  ledger <- memory_ledger()
  record_timing(ledger, "just under 2 h", shot = "gears", frame = 3)
  record_timing(ledger, "3 h", frames_done = 120, frames_asked = 240)
  record_timing(ledger, "25 fps", activity = "playback")
  record_timing(ledger, status = "failed", note = "device memory full")
  record_timing(ledger, "2 h left")
  record_timing(ledger, began = "2026-11-03 14:05", ended = "2026-11-03 14:06:30")
  x <- timings(ledger)
  expect_equal(x$wall_s, c(7200, 90, 0.04, NA, 7200, 90))
  expect_identical(x$precision, c("about", "about", "exact", NA, "exact", "exact"))
  expect_identical(x$kind, c("typed", "typed", "typed", "typed", "estimated", "typed"))
  expect_identical(x$status, c("ok", "incomplete", "ok", "failed", "ok", "ok"))
  expect_match(x$note[2], "mean of 120 frames of 240 asked")
  expect_identical(x$note[4], "device memory full")
})

test_that("what cannot be is refused, and nothing is written", {
  ledger <- memory_ledger()
  expect_refusal(record_timing(ledger, "2 h left", kind = "measured"), "record", "as a measurement")
  expect_refusal(record_timing(ledger, began = "2026-11-03 14:05", ended = "2026-11-03 13:05"),
                 "record", "not after")
  expect_refusal(record_timing(ledger, began = "tomorrow", ended = "2026-11-03 13:05"), "record",
                 "2026-11-03")
  expect_refusal(record_timing(ledger), "record", "nothing says")
  expect_refusal(record_timing(ledger, "8.20"), "duration")
  expect_refusal(record_timing(ledger, "1 h", frames_done = 10, frames_asked = 5), "type")
  expect_identical(nrow(timings(ledger)), 0L)
})

test_that("words that come with a time say how sure it is", {
  cases <- list(list("about 15 min", 900, "about", "typed"),
                list("just under 2 h", 7200, "about", "typed"),
                list("~90 s", 90, "about", "typed"), list("1h20m", 4800, "exact", "typed"),
                list("2 h left", 7200, "exact", "estimated"),
                list("estimated 40 min", 2400, "exact", "estimated"),
                list("2 hours 5 minutes", 7500, "exact", "typed"),
                list("24 fps", 1 / 24, "exact", "typed"),
                list("about 12.5 frames per second", 0.08, "about", "typed"))
  for (case in cases) {
    x <- parse_typed_duration(case[[1]])
    expect_equal(unname(x[c("seconds", "precision", "kind")]), case[2:4])
    expect_identical(x$said, case[[1]])
  }
})

test_that("what can be read in two ways, or in none, is refused", {
  for (bad in c("8.20", "about 8.20", "2:75", "-3 s", "1,5 min", "soon", "0 fps", "15")) {
    expect_refusal(parse_typed_duration(bad), "duration")
  }
})
