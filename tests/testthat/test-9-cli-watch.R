test_that("a job placed by hand is followed by the frames in its folders", {
  withr::local_dir(local_project())
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1", CLOCKPIGEON_NOW = "2026-11-26T22:00:00Z")
  placed <- as.POSIXct("2026-11-26 22:00", tz = "UTC")
  capture.output(cli(c("choose", "film", "--draws", "100", "--deadline", "45h", "--only",
                       "attic,now", "--record", "film-1")))
  says <- function(...) {
    status <- NULL
    text <- capture.output(status <- cli(c("watch", ...)), type = "message")
    expect_identical(status, 2L)
    paste(text, collapse = " ")
  }
  expect_match(says("film-1"), "Write --frames FOLDER, where its frames appear")
  expect_match(says("film-2"), "Did you mean film-1")
  expect_match(says("gears-final"), "no plan")
  expect_match(says("film-1", "--frames", "nowhere"), "no such folder")
  expect_match(says("film-1", "--frames", "saltmill=."), "no site 'saltmill'")
  dir.create("frames")
  for (k in 1:200) {
    path <- sprintf("frames/gears-%04d.png", k)
    writeLines("x", path)
    Sys.setFileTime(path, placed + 60 * k)
  }
  expect_match(says("film-1", "--frames", "frames", "--placed", "2026-12-24 10:00"),
               "still to come")
  withr::local_envvar(CLOCKPIGEON_NOW = "2026-11-27T01:20:30Z")
  status <- NULL
  out <- capture.output(status <- cli(c("watch", "film-1", "--frames", "frames")))
  expect_identical(status, 0L)
  expect_lte(max(nchar(out)), 80)
  text <- gsub("\\s+", " ", paste(out, collapse = " "))
  expect_match(text, "200 of 2250 frames are there, the last 30.0s ago", fixed = TRUE)
  expect_match(text, "when it was decided")
  # Where the folders are is known from then on.
  again <- utils::read.csv(text = capture.output(cli(c("watch", "film-1", "--format", "csv"))))
  expect_identical(again$there, 200L)
  expect_identical(again$frames, 2250L)
  events <- utils::read.csv(text = capture.output(cli(c("jobs", "film-1", "--format", "csv"))))
  expect_identical(sum(events$what == "placed"), 1L)
  # What the site says of the time left stands beside it.
  claimed <- paste(capture.output(cli(c("watch", "film-1", "--claim", "3h20m"))), collapse = "\n")
  expect_match(claimed, "Claimed   the site said Fri 04:40")
  expect_match(says("film-1", "--claim", "soon"), "option --claim")
  expect_match(says("film-1", "--claim", "saltmill=3h"), "saltmill")
  running <- utils::read.csv(text = capture.output(cli(c("watch", "--format", "csv"))))
  expect_identical(running$job, "film-1")
  expect_identical(running$there, 200L)
  expect_match(says("--ways"), "is of one job, and none is named")
  # What is told later counts.
  dir.create("elsewhere")
  moved <- utils::read.csv(text = capture.output(cli(c("watch", "film-1", "--frames", "elsewhere",
                                                       "--format", "csv"))))
  expect_identical(moved$there, 0L)
})

test_that("what rings is told to the project's program, and that it did not run is said", {
  skip_if_not_installed("mirai")
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1", CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-3")
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  withr::local_dir(x$folder)
  said <- function(...)
    paste(capture.output(capture.output(cli(c("watch", "review-1", ...))), type = "message"),
          collapse = " ")
  expect_match(said("--tell", "--once"), "names nobody to be told.*Write `tell")
  cat("tell: {run: [/no/such/program], quiet: 1min}\n", file = "clockpigeon.yaml", append = TRUE)
  expect_match(said("--tell", "--once"), "telling of ended: /no/such/program did not run")
  expect_no_match(said("--tell", "--once"), "telling of")
  ways <- utils::read.csv(text = capture.output(cli(c("watch", "review-1", "--ways", "--format",
                                                      "csv"))))
  expect_identical(ways$option, c("go on", "stop"))
  stream <- capture.output(cli(c("watch", "review-1", "--format", "json")))
  expect_identical(jsonlite::fromJSON(stream)$there, 3L)
})
