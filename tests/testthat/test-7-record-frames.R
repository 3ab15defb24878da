test_that("frames of a folder are its numbered pictures, each once, by the shot that their path names", {
  folder <- scratch()
  moment <- as.POSIXct("2026-11-24 12:00", tz = "UTC")
  write_at <- function(path, seconds, ...) {
    Sys.setFileTime(write_file(folder, path, ...), moment + seconds)
  }
  write_at("gears/gears-0002.png", 20, "x")
  write_at("gears-review/gears-review-0001.png", 10, "x")
  write_at("again/gears-0002.exr", 5, "x")
  write_at("gears/notes.txt", 1, "x")
  file.create(file.path(folder, "gears/gears-0003.png"))
  found <- clockpigeon:::folder_frames(folder, c("gears", "gears-review"))
  expect_identical(found$shot, c("gears", "gears-review"))
  expect_identical(found$frame, 2:1)
  expect_equal(found$time - as.numeric(moment), c(5, 10))
  expect_refusal(clockpigeon:::folder_frames(file.path(folder, "none"), "gears"), "file", "none")
})

test_that("a text names the longest shot that is in it", {
  expect_identical(clockpigeon:::shot_named(c("a/gears-review-1", "a/gears-1", "b/1"),
                                            c("gears", "gears-review")),
                   c(2L, 1L, NA))
})

test_that("events are timed from the placing, and events without a time are dropped", {
  x <- data.frame(what = c("sent", "arrived", "note"),
                  time = c("2026-11-24T12:00:00Z", "2026-11-24T12:00:02.5Z", "soon"))
  placed <- as.POSIXct("2026-11-24 12:00", tz = "UTC")
  expect_identical(clockpigeon:::seconds_since_placing(x, placed)$time, c(0, 2.5))
  expect_identical(nrow(clockpigeon:::seconds_since_placing(NULL, placed)), 0L)
})
