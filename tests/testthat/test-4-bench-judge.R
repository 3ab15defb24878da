run <- function(..., env = parent.frame()) {
  folder <- scratch(env)
  pixel <- one_pixel(folder)
  engine <- script_engine(folder, gsub("PIXEL", pixel, c(...), fixed = TRUE))
  plan <- plan_bench(small_shot(), engine, frames = 1, repeats = 1,
                     options = bench_options(warmups = 0))
  as.data.frame(run_bench(plan, memory_ledger(env), folder = folder, progress = FALSE))
}

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
  expect_match(clockpigeon:::picture_fault(write_file(folder, "words.png", "hello, this is text"),
                                           "png"), "no PNG")
})

test_that("a picture of another size, cut short inside, or a folder in its place is told", {
  folder <- scratch()
  small <- one_pixel(folder, 3, 2)
  judge <- function(...) clockpigeon:::picture_fault(small, "png", list(...))
  expect_null(judge(width = 3, height = 2))
  expect_match(judge(width = 3, height = 4), "of 3x2, required: 3x4", fixed = TRUE)
  expect_null(judge(width = 3, height = 9, band_first = 4, band_last = 5))
  dir.create(file.path(folder, "d.png"))
  expect_match(clockpigeon:::picture_fault(file.path(folder, "d.png"), "png"), "made a folder")
})

test_that("a failed trial keeps the first and last lines, and names the files that appeared instead", {
  row <- run("for i in 1 2 3 4 5 6 7 8; do echo line $i; done; exit 1")
  expect_identical(row$note, "exit status 1: line 1 | line 2 | ... | line 6 | line 7 | line 8")
  row <- run("echo load 1 compute 1; touch \"$(dirname $1)/frame0001.png\"")
  expect_match(
    row$note, "wrote no picture; these appeared: .*frame0001.png.* .say so in `output_as`")
  expect_match(run("echo load 1 compute 1; mkdir $1")$note,
               "made a folder where its picture was to be")
})

test_that("whatever an engine prints, a finished render gives its row", {
  odd <- c("echo load -1 compute 2", "echo load 1e999 compute 1",
           "printf 'load 1 compute 9999999999999999999999\\n'",
           "printf 'load \\377\\376 compute 2\\n'", "printf '\\000\\000load 1 compute 1'",
           "echo load . compute ..")
  for (text in odd) {
    row <- run(paste0(text, "; cp PIXEL $1"))
    expect_identical(row$status, "ok", info = text)
    expect_true(row$wall_s > 0)
  }
  expect_match(run("echo load -1 compute 2; cp PIXEL $1")$note, "not found in the output: load_s",
               fixed = TRUE)
})

test_that("a device that did not do the work is told", {
  engine <- list(devices = list(gpu = list(used = "on card ([0-9]+)")))
  judge <- function(text, ...)
    clockpigeon:::device_fault(engine, list(kind = "gpu", ..., share = 1), text)
  expect_null(judge("on card 1\non card 0", index = c("0", "1"), name = c("A", "B")))
  expect_match(judge("on card 0", index = "1", name = "B"),
               "asked for gpu 1 (B), and 0 did the work", fixed = TRUE)
  expect_match(judge("rendering", index = "1", name = "B"), "does not say that it did the work")
  expect_null(clockpigeon:::device_fault(list(devices = list(cpu = NULL)), NULL, "x"))
})
