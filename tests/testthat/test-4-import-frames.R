test_that("copies of frames are found by content, and frames of two writers are not copies", {
  folder <- scratch()
  paths <- c(write_file(folder, "a/1.png", "one"), write_file(folder, "b/1.png", "one"),
             write_file(folder, "a/2.png", "two"), write_file(folder, "b/2.png", "odd"))
  expect_identical(clockpigeon:::copied_frames(paths, c(1, 1, 2, 2), c(1, 2, 3, 4)), 2L)
  expect_identical(clockpigeon:::copied_frames(paths, c(1, 1, 2, 2), c(5, 2, 3, 4)), 1L)
  expect_identical(clockpigeon:::copied_frames(paths[c(1, 3)], 1:2, 1:2), integer())
})

test_that("a folder is timings, whose first frame has a time where the beginning is told", {
  folder <- scratch()
  at <- as.POSIXct("2026-11-03 14:00:00", tz = "UTC")
  for (i in 1:5) Sys.setFileTime(write_file(folder, sprintf("f%03d.png", i), paste(i)), at + 20 * i)
  plain <- import_timings(folder)
  expect_identical(plain$wall_s, c(NA, rep(20, 4)))
  told <- import_timings(folder, begun = "2026-11-03 14:00")
  expect_identical(told$wall_s, rep(20, 5))
  expect_refusal(import_timings(folder, begun = "yesterday"), "record", "2026-11-03")
})
