# Sixty frames of 10 s: slow does them in 600 s, quick in 200 s, each one after the other.
placed_at <- as.POSIXct("2026-11-24 12:00", tz = "UTC")
some_frames <- function(folder, frames, seconds, shot = "s", text = "x") {
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  for (k in seq_along(frames)) {
    path <- file.path(folder, sprintf("%s-%04d.png", shot, frames[k]))
    writeLines(text, path)
    Sys.setFileTime(path, placed_at + seconds[k])
  }
  folder
}
watched <- function(choice, folders, passed, draws = 300) {
  asked <- choice[clockpigeon:::question_fields]
  plan <- clockpigeon:::plan_record(choice)
  plan$parts <- lapply(seq_len(nrow(plan$parts)), function(k) as.list(plan$parts[k, ]))
  begun <- clockpigeon:::begun_job(plan, choice$forecast$scenario, asked, draws)
  clockpigeon:::watch_frames(plan, begun, folders, placed_at + passed)
}

test_that("pictures are told by shot and frame; what is empty or of no shot is not there", {
  at <- scratch()
  some_frames(at, c(1, 3), c(10, 20), "gears")
  some_frames(file.path(at, "node-2"), 3, 30, "gears-review")
  some_frames(at, 3, 90, "a-copy-of-gears")
  file.create(file.path(at, "gears-0004.png"))
  writeLines("x", file.path(at, "log.txt"))
  x <- clockpigeon:::frames_there(at, c("gears", "gears-review"))
  expect_identical(x$shot, c("gears", "gears", "gears-review"))
  expect_identical(x$frame, c(1L, 3L, 3L))
  expect_equal(x$time - as.numeric(placed_at), c(10, 20, 30))
  expect_identical(nrow(clockpigeon:::frames_there(scratch(), "s")), 0L)
  expect_refusal(clockpigeon:::frames_there("/no/such", "s"), "file", "/no/such")
})

test_that("a part's arrivals say when all is done and what it costs", {
  skip_if_not_installed("lpSolve")
  x <- pair_of_sites("190 s", se = c(0.1, 0.1), draws = 300)
  expect_identical(x$plan$kind, "sides")
  parts <- x$plan$parts
  first <- as.integer(sub("s ([0-9]+)-.*", "\\1", parts$frames))
  of <- function(site) which(parts$site == site)
  # Both are twice as slow as they were taken to be.
  slow <- some_frames(scratch(), first[of("slow")] + 0:2, 20 * (1:3))
  quick <- some_frames(scratch(), first[of("quick")] + 0:8, 20 / 3 * (1:9))
  found <- watched(x, list(slow = slow, quick = quick), 60)
  each <- c(slow = 20, quick = 20 / 3)[parts$site]
  expect_identical(found$parts$there, unname(c(slow = 3, quick = 9)[parts$site]))
  expect_equal(found$parts$work, unname(c(slow = 3, quick = 9)[parts$site]) / parts$count, tolerance = 0.02)
  expect_equal(found$parts$finish_p50, unname(parts$count * each), tolerance = 0.1)
  expect_gt(stats::median(found$draws$finish_s), 250)
  expect_lt(found$p_deadline, 0.1)
  expect_equal(found$mean, sum(parts$count * each / c(slow = 1000, quick = 100)[parts$site]), tolerance = 0.15)
  # Frames of nobody's, and those that are not of the part.
  some_frames(slow, setdiff(1:60, first[of("slow")] + seq_len(parts$count[of("slow")]) - 1)[1], 50)
  expect_identical(watched(x, list(slow = slow, quick = quick), 60)$unknown, 1L)
  # A frame of last week is of another job.
  some_frames(slow, first[of("slow")] + 5, -7 * 86400)
  old <- watched(x, list(slow = slow, quick = quick), 60)
  expect_identical(old$parts$there, found$parts$there)
  expect_identical(old$unknown, 2L)
  expect_refusal(watched(x, list(slow = slow), 60), "usage", "no folder for quick")
})

test_that("a fallback's look is due at its moment, and says what the plan says", {
  x <- pair_of_sites("500 s", se = c(0.4, 0), draws = 300)
  expect_identical(x$plan$kind, "fallback")
  look <- x$plan$look
  few <- some_frames(scratch(), seq_len(5), 30 * (1:5))
  before <- watched(x, list(slow = few), look$at_s / 2)
  expect_identical(before$look$due, "later")
  after <- watched(x, list(slow = few), look$at_s + 60)
  expect_identical(after$look$due, "send")
  expect_identical(after$look$there, sum(30 * (1:5) <= look$at_s))
  expect_equal(after$parts$overdue, 1)   # nothing came for long
  many <- some_frames(scratch(), 1:60, 4 * (1:60))
  expect_identical(watched(x, list(slow = many), look$at_s + 1)$look$due, "go on")
  done <- watched(x, list(slow = many), 600)
  expect_equal(unique(done$draws$finish_s), 240)
  expect_equal(done$parts$work, 1)
})
