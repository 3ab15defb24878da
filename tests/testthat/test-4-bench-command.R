trial <- list(scene = "a b; rm -rf $HOME", frame = 7, width = 320, height = 180, samples = 100000, noise = NA,
              time_s = NA, threads = NA, version = "1.1")

test_that("fields are filled, and groups without a value fall out whole", {
  values <- clockpigeon:::trial_values(trial, "/tmp/o.png")
  filled <- clockpigeon:::fill_arguments(list("+I{scene}", c("--size", "{width}x{height}"), c("--noise", "{noise}"),
                                              c("--n", "{samples}"), "plain"), values)
  expect_identical(filled, c("+Ia b; rm -rf $HOME", "--size", "320x180", "--n", "100000", "plain"))
})

test_that("the last match of a pattern counts, and what is not there is NA", {
  text <- "load 1.5 s\npass 1 compute 2\npass 2 compute 4.25\n"
  found <- clockpigeon:::parse_output(text, list(load_s = "load ([0-9.]+) s", compute_s = "compute ([0-9.]+)",
                                                noise = "noise ([0-9.]+)"))
  expect_identical(found[["load_s"]], 1.5)
  expect_identical(found[["compute_s"]], 4.25)
  expect_true(is.na(found[["noise"]]))
})

test_that("POV-Ray's own words are read", {
  profile <- read_engine(system.file("engines", "povray.yaml", package = "clockpigeon"))
  text <- paste(c("Parse Time:       0 hours  0 minutes  0 seconds (0.012 seconds)",
                  "Trace Time:       0 hours  1 minutes  2 seconds (62.345 seconds)"), collapse = "\n")
  found <- clockpigeon:::parse_output(text, profile$reads)
  expect_identical(found[["load_s"]], 0.012)
  expect_identical(found[["compute_s"]], 62.345)
})

test_that("pictures that are missing, empty, cut off or of another kind are told", {
  folder <- scratch()
  good <- one_pixel(folder)
  expect_null(clockpigeon:::picture_fault(good, "png"))
  expect_match(clockpigeon:::picture_fault(file.path(folder, "none.png"), "png"), "no picture")
  file.create(file.path(folder, "empty.png"))
  expect_match(clockpigeon:::picture_fault(file.path(folder, "empty.png"), "png"), "empty")
  bytes <- readBin(good, "raw", 1e4)
  cut <- file.path(folder, "cut.png")
  writeBin(bytes[seq_len(length(bytes) - 6)], cut)
  expect_match(clockpigeon:::picture_fault(cut, "png"), "cut off")
  expect_match(clockpigeon:::picture_fault(write_file(folder, "words.png", "hello, this is text"), "png"), "no PNG")
})
