log_engine <- function() {
  engine <- pebble()
  engine$log$wall <- "took (\\S+)"
  engine
}

test_that("many frames of a real engine's log are read, the first not warm", {
  frames <- c(5, 300, 600)
  picture <- tempfile(fileext = ".png")
  text <- lapply(frames, function(f) {
    run_pebble("--scene", "gears", "--frame", f, "--size", "16x9", "--samples", "2", "--out",
               picture)$stdout
  })
  path <- write_file(scratch(), "gears.log", unlist(text))
  x <- import_timings(path, engine = pebble(), set = list(scene = "gears", node = "loft-1"))
  expect_identical(x$frame, as.integer(frames))
  expect_equal(x$wall_s, x$load_s + x$compute_s)
  expect_identical(x$samples_done, c(2, 2, 2))
  expect_identical(x$warm, c(FALSE, TRUE, TRUE))
  expect_identical(unique(x$kind), "reported")
  in_parts <- clockpigeon:::import_log(path, pebble(), lines_at_once = 3L)
  expect_identical(in_parts, clockpigeon:::import_log(path, pebble()))
})

test_that("a log that breaks off, or a clock that was set back, leaves incomplete rows", {
  path <- write_file(scratch(), "x.log", "noise", "frame 1 of 9", "took 12m40s", "frame 2 of 9",
                     "took -3", "frame 3 of 9", "too")
  x <- import_timings(path, engine = log_engine())
  expect_identical(x$status, c("ok", "incomplete", "incomplete"))
  expect_identical(x$wall_s, c(760, NA, NA))
  expect_match(x$note[2], "set back")
  expect_match(x$note[3], "before it says a time")
})

test_that("logs that are empty, binary or of something else are refused", {
  folder <- scratch()
  empty <- file.path(folder, "a.log")
  file.create(empty)
  expect_refusal(import_timings(empty, engine = pebble()), "import", "empty")
  binary <- file.path(folder, "b.log")
  writeBin(as.raw(c(60, 0, 61)), binary)
  expect_refusal(import_timings(binary, engine = pebble()), "import", "binary")
  expect_refusal(import_timings(write_file(folder, "c.log", "words"), engine = pebble()), "import",
                 "begins no frame")
  silent <- pebble()
  silent$log <- NULL
  expect_refusal(import_timings(write_file(folder, "c.log", "words"), engine = silent), "engine",
                 "no `log`")
})
