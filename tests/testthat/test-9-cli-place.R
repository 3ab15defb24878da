test_that("a job is placed from the command line: looked at, then rendered; paused and stopped by others", {
  skip_if_not_installed("mirai")
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1", CLOCKPIGEON_NOW = NA)  # pools go by the real clock
  x <- decided(frames = "1-6")
  withr::local_dir(x$folder)
  run <- function(...) {
    status <- NULL
    said <- NULL
    out <- capture.output(said <- capture.output(status <- cli(c(...)), type = "message"))
    list(status = status, out = paste(out, collapse = "\n"), said = paste(said, collapse = "\n"))
  }
  looked <- run("place", "review-1")
  expect_identical(looked$status, 0L)
  expect_match(looked$out, "It goes")
  expect_match(looked$said, "Nothing was placed. To place it: clockpigeon place review-1 --yes")
  expect_false(dir.exists("placed"))
  expect_identical(run("pause", "review-1")$status, 0L)
  expect_match(run("pause", "review-1")$said, "paused already")
  expect_match(run("resume", "review-1")$said, "review-1: resumed")
  done <- run("place", "review-1", "--yes", "--frame-limit", "20s")
  expect_identical(done$status, 0L)
  expect_match(done$out, "6 of 6 frames are there")
  expect_length(list.files("placed/review-1/frames", "png$", recursive = TRUE), 6)
  watched <- run("watch", "review-1")
  expect_match(watched$out, "6 of 6 frames are there")
  expect_identical(run("stop", "review-1")$status, 0L)
  expect_identical(run("resume", "review-1")$status, 2L)
  again <- run("place", "review-1", "--yes")
  expect_identical(again$status, 3L)
  expect_match(again$out, "The job was stopped. Decide anew about what is left")
  expect_match(run("place", "review-2")$said, "Did you mean review-1")
  expect_match(run("place", "review-1", "--despite", "rain")$said, "rain")
})

test_that("what does not go is status 3, with the code that lets it stand", {
  skip_if_not_installed("mirai")
  x <- decided(frames = "1-3")
  withr::local_dir(x$folder)
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1")
  card <- "sites/attic.yaml"
  writeLines(c(readLines(card), "# dearer soon"), card)
  said <- capture.output(status <- cli(c("place", "review-1", "--yes", "--format", "csv")))
  expect_identical(status, 3L)
  found <- utils::read.csv(text = said)
  expect_identical(found$code[found$weight == "stops"], "changed")
  capture.output(said <- capture.output(status <- cli(c("place", "review-1", "--yes", "--despite", "changed", "--format",
                                                        "csv"))), type = "message")
  expect_identical(status, 0L)
  expect_identical(utils::read.csv(text = said)$state, rep("done", 3))
})
