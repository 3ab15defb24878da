test_that("clockpigeon week plans the project's job files, and says what a job file lacks", {
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  withr::local_dir(folder)
  withr::local_envvar(CLOCKPIGEON_NOW = "2026-11-24T10:00:00Z")
  writeLines(c("job: cut", "shots: [gears]", "engines: [sundew]", "deadline: 30h",
               "budget: 40 EUR"), "jobs/cut.yaml")
  x <- run_cli("week", "--draws", "200")
  expect_identical(x$status, 0L)
  expect_match(x$out, "2 of 2 jobs are kept")
  rows <- utils::read.csv(text = run_cli("week", "--draws", "200", "--format", "csv")$out)
  expect_identical(sort(rows$job), c("cut", "film"))
  alone <- utils::read.csv(text = run_cli("week", "cut", "--draws", "200", "--without",
                                          "loftnights", "--format", "csv")$out)
  expect_identical(alone$job, "cut")
  expect_no_match(alone$where, "loftnights")
  late <- run_cli("week", "--draws", "200", "--budget", "1EUR", "--figure", "week.png")
  expect_identical(late$status, 3L)
  expect_match(late$out, "Not kept")
  expect_true(file.exists("week.png"))
  writeLines(c("job: open", "shots: [gears]", "engines: [sundew]"), "jobs/open.yaml")
  broken <- run_cli("week", "open")
  expect_identical(broken$status, 2L)
  expect_match(broken$said, "Write `deadline` into its file")
  expect_match(run_cli("week", "nowhere")$said, "nowhere")
})

test_that("a job that was placed on own nodes and is under way comes before the week's", {
  at <- decided(frames = "1-60", seconds = c(60, 62), deadline = "4h")
  withr::local_dir(at$folder)
  withr::local_envvar(CLOCKPIGEON_NOW = "2026-11-24T10:00:00Z")
  writeLines(c("job: cut", "shots: [gears]", "engines: [sundew]", "deadline: 40h",
               "budget: 40 EUR"), "jobs/cut.yaml")
  expect_no_match(run_cli("week", "cut", "--draws", "200", "--only", "attic")$out, "Under way")
  dir.create("placed/review-1/frames", recursive = TRUE)
  clockpigeon:::add_events(at$ledger, "review-1", data.frame(
    what = c("placed", "rendering"), time = c("2026-11-24T09:59:00Z", "2026-11-24T09:59:02Z"),
    place = "attic", detail = c("placed/review-1/frames", NA), node = c(NA, "here"),
    frame = c(NA, 1L), shot = c(NA, "gears-review")
  ))
  x <- run_cli("week", "cut", "--draws", "200", "--only", "attic")
  expect_match(
    x$out, "Under way, before all of these: review-1 at attic on 1 node until +about +.*1[01]:[0-9][0-9]")
  # What is all there holds up nobody.
  to <- sprintf("placed/review-1/frames/gears-review-%04d.png", 1:60)
  file.copy(rep(one_pixel(at$folder), 60), to)
  Sys.setFileTime(to, as.POSIXct("2026-11-24 09:59:30", tz = "UTC"))
  expect_no_match(run_cli("week", "cut", "--draws", "200", "--only", "attic")$out, "Under way")
})

test_that("a job file whose frames were placed is not planned again unless it is named", {
  at <- decided(frames = "1-60", seconds = c(60, 62), deadline = "4h")
  withr::local_dir(at$folder)
  withr::local_envvar(CLOCKPIGEON_NOW = "2026-11-24T10:00:00Z")
  unlink(list.files("jobs", full.names = TRUE))
  writeLines(c("job: cut", "shots: [gears]", "engines: [sundew]", "deadline: 40h",
               "budget: 40 EUR"), "jobs/cut.yaml")
  writeLines(c("job: review", "shots: [gears-review]", "engines: [pebble]", "deadline: 40h"),
             "jobs/review.yaml")
  week <- function(...) run_cli("week", ..., "--draws", "200", "--only", "attic")
  expect_match(week()$out, "of 2 jobs")
  clockpigeon:::add_events(at$ledger, "review-1",
                           data.frame(what = "placed", place = "attic", detail = scratch()))
  x <- week()
  expect_match(x$out, "of 1 job ")
  expect_match(x$out, "Left out, since placed: review (as review-1).", fixed = TRUE)
  expect_match(week("review")$out, "of 1 job ")
  unlink("jobs/cut.yaml")
  none <- week()
  expect_identical(none$status, 0L)
  expect_match(none$out, "how they go: clockpigeon watch.", fixed = TRUE)
  expect_identical(nrow(utils::read.csv(text = week("--format", "csv")$out)), 0L)
})
