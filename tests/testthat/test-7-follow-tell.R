test_that("each alarm is told once, to a program with the alarm on its input, whoever watches", {
  at <- scratch()
  heard <- file.path(at, "heard")
  script <- write_file(at, "tell.sh", "#!/bin/sh", paste0("{ echo \"$1 \"; cat; } | tr -d '\\n' >> ", heard),
                       paste0("echo >> ", heard))
  Sys.chmod(script, "755")
  tell <- list(run = c(script, "a b"), quiet = 600)
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 300)
  late <- watched(x, list(slow = some_frames(scratch(), 1:30, 18 * (1:30))), 541)
  ledger <- ledger_of_job()
  told <- clockpigeon:::tell_alarms(late, ledger, tell, now = placed_at + 541)
  expect_identical(told$code, "late")
  expect_identical(told$status, 0L)
  line <- readLines(heard)
  expect_match(line, "^a b \\{")
  said <- jsonlite::fromJSON(sub("^a b ", "", line))
  expect_identical(said[c("job", "code", "level", "there", "frames")],
                   list(job = "night", code = "late", level = "now", there = 30L, frames = 60L))
  expect_match(said$action, "Send what is not begun to quick")
  expect_match(said$until, "^2026-11-24T12:0[0-9]")
  expect_null(clockpigeon:::tell_alarms(late, ledger, tell, now = placed_at + 541))
  expect_length(readLines(heard), 1)
  # Within the quiet time what is not urgent waits, and what is does not.
  soon <- late
  soon$alarms$code <- "slower"
  soon$alarms$level <- "soon"
  expect_null(clockpigeon:::tell_alarms(soon, ledger, tell, now = placed_at + 700))
  urgent <- soon
  urgent$alarms$level <- "now"
  urgent$alarms$code <- "gone"
  expect_identical(clockpigeon:::tell_alarms(urgent, ledger, tell, now = placed_at + 700)$code, "gone")
  expect_identical(clockpigeon:::tell_alarms(soon, ledger, tell, now = placed_at + 1400)$code, "slower")
  # The end.
  done <- watched(x, list(slow = some_frames(scratch(), 1:60, 10 * (1:60))), 700)
  expect_identical(clockpigeon:::tell_alarms(done, ledger, tell, now = placed_at + 1401)$code, "ended")
  expect_length(readLines(heard), 4)
})

test_that("a program that fails, hangs or is not there is told of, and holds nothing up", {
  run <- clockpigeon:::run_told
  expect_identical(run(c("/no/such/program"), "{}"), NA_integer_)
  expect_identical(run(c("/bin/sh", "-c", "exit 3"), "{}"), 3L)
  expect_identical(run(c("/bin/sh", "-c", "grep -q beacon"), "{\"beacon\": 1}"), 0L)
})
