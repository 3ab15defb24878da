test_that("a job file, or options over it, ask the question; the answer fits 80 columns", {
  withr::local_dir(local_project())
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1")
  status <- NULL
  # The film's Friday is near or far by the day this runs: the file is read, and a time from now put
  # over it.
  expect_identical(clockpigeon:::cli_question(read_project(), list(), "film")$deadline, "fri 18:00")
  asked <- c("choose", "film", "--deadline", "45h", "--draws", "200", "--test-frames", "3",
             "--only", "attic,quayside,loftnights,now")
  short <- capture.output(status <- cli(setdiff(asked, c("--test-frames", "3"))), type = "output")
  expect_lte(max(nchar(short)), 80)
  # The answer is said first, in the order in which it is asked, in at most 24 lines below the
  # question.
  expect_lte(length(short), 27)
  heads <- sub(" .*", "", grep("^(Plan|Finish|Cost|Evidence|Risk) ", short, value = TRUE))
  expect_identical(heads, c("Plan", "Finish", "Cost", "Evidence", "Risk"))
  out <- capture.output(status <- cli(c(asked, "--changes", "--why", "--all")), type = "output")
  expect_identical(status, 0L)
  expect_lte(max(nchar(out)), 80)
  expect_match(out, "in 1d21h\\s+for at most", all = FALSE)
  expect_match(out, "^Changes that would move the pick:", all = FALSE)
  expect_match(out, "^Trial frames:", all = FALSE)
  csv <- capture.output(status <- cli(c("choose", "film", "--draws", "100", "--deadline", "1min",
                                        "--format", "csv")))
  expect_identical(status, 3L)
  table <- utils::read.csv(text = csv)
  expect_false(any(table$fits))
})

test_that("only, without, rule, limits and a record are taken from the command line", {
  withr::local_dir(local_project())
  table <- function(...) {
    utils::read.csv(text = capture.output(cli(c("choose", "film", "--deadline", "45h", "--draws",
                                                "100", "--format", "csv", ...))))
  }
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1")
  wide <- capture.output(cli(c("choose", "film", "--draws", "60", "--only", "quayside", "--limits",
                               "own,50%", "--all")))
  expect_lte(max(nchar(wide)), 80)
  expect_match(wide, "^sundew 4.2, samples 256", all = FALSE)
  only <- table("--only", "quayside,nodes=8", "--limits", "own,50%", "--record", "decided")
  expect_identical(only$site, rep("quayside", 2))
  expect_equal(sort(only$noise), c(1, sqrt(2)))
  expect_true(all(file.exists(c("decided.json", "decided.md"))))
  expect_identical(table("--rule", "fastest")$option[table("--rule", "fastest")$pick],
                   "quayside standard, 8 nodes")
})

test_that("a slip in the question is told before anything is simulated", {
  withr::local_dir(local_project())
  says <- function(...) {
    status <- NULL
    text <- capture.output(status <- cli(c("choose", "film", ...)), type = "message")
    expect_identical(status, 2L)
    paste(text, collapse = " ")
  }
  expect_match(says("--deadline", "2020-01-01 10:00"), "has passed")
  expect_match(says("--budget", "5 JPY"), "no exchange rate to EUR")
  expect_match(says("--only", "quaysid"), "Did you mean quayside")
  expect_match(says("--only", "undertow"), "undertow is left out: .*does not take exr")
  expect_match(says("--only", "quayside", "--without", "quayside"),
               "nothing is both 'quayside' and not 'quayside'")
  expect_match(says("--done", "gears 1-900"), "frames that are not of gears")
  writeLines("parts: [{option: 'attic day, 2 nodes'}]\nlook: {at: 2020-01-01 10:00, fewer: 5}",
             "mine.yaml")
  expect_match(says("--plan", "mine.yaml", "--draws", "50"), "a look and no rescue")
  expect_match(says("--plan", "none.yaml"), "none.yaml")
  expect_match(says("--limits", "half"), "50 %")
  expect_match(says("--rule", "dearest"), "cheapest, fastest or best")
  expect_match(says("--confidence", "90"), "confidence")
})

test_that("busy evidence is said and may be forecast as idle; each limit may be asked alone", {
  withr::local_dir(local_project())
  withr::local_envvar(COLUMNS = "200", NO_COLOR = "1")
  ledger <- open_ledger("ledger.sqlite")
  x <- example_timings()
  x <- x[x$engine == "sundew" & x$engine_version == "4.2" & x$node %in% "loft-1", ]
  x$busy <- TRUE
  x$id <- NULL
  add_timings(ledger, x)
  close_ledger(ledger)
  said <- function(...) {
    run_command_line(wd = getwd(), "choose", "--engine", "sundew", "--shots", "gears", "--draws",
                     "100", "--deadline", "45h", "--only", "attic", "--why", ...)
  }
  busy <- said()
  expect_match(busy$stderr, "of the runs that the frame times rest on were made beside other work")
  one_line <- function(text) gsub("\\s+", " ", text)
  expect_match(one_line(busy$stdout), "of the runs beside other work: taken as busy again")
  idle <- said("--machine", "idle", "--budget", "50EUR", "--each")
  expect_match(one_line(idle$stdout), "taken for an idle machine")
  expect_match(one_line(idle$stdout), "each 90 % likely")
  bad <- said("--machine", "asleep")
  expect_identical(bad$status, 2L)
  expect_match(bad$stderr, "Write busy or idle")
})

test_that("a job half done, a plan of one's own, no money and no time have an answer", {
  withr::local_dir(local_project())
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1", CLOCKPIGEON_NOW = "2026-11-26T22:00:00Z")
  ask <- function(...) {
    status <- NULL
    out <- capture.output(status <- cli(c("choose", "film", "--draws", "100", "--only",
                                          "attic,quayside,now", ...)))
    list(status = status, text = gsub("\\s+", " ", paste(out, collapse = " ")))
  }
  half <- ask("--deadline", "20h", "--done", "gears 1-720; basin 1-700")
  expect_identical(half$status, 0L)
  expect_match(half$text, "^1,420 of 2,250 frames are finished. The other 830 frames ")
  expect_match(half$text, "basin 701-[0-9]+|all 830 frames")
  writeLines(c("parts:", "  - {option: 'attic day, 2 nodes'}", "look: {at: fri 10:00, fewer: 1200}",
               "rescue: {option: 'quayside standard, 8 nodes'}"), "mine.yaml")
  mine <- ask("--deadline", "20h", "--plan", "mine.yaml")
  expect_match(
    mine$text, paste(
    "Plan As written: render all 2,250 frames at attic day, 2 nodes. Checkpoint Fri 10:00: with fewer",
    "than 1,200 frames finished"), fixed = TRUE)
  expect_match(mine$text, "attic, then quayside Fri", fixed = TRUE)
  expect_match(ask("--budget", "0EUR")$text, "Over budget in 100 %")
  soon <- ask("--deadline", "5min")
  expect_identical(soon$status, 3L)
  expect_match(soon$text, "No plan keeps your limits")
})

test_that("next says what to find out, and does it within a budget of time", {
  folder <- local_project(sample = FALSE)
  run <- function(...) run_command_line(..., wd = folder)
  expect_identical(run("probe", "gears-review", "--first", "2", "--target", "90%", "--cheap",
                       "no")$status, 0L)
  asked <- c("--shots", "gears-review", "--deadline", "30min", "--budget", "20 EUR", "--draws",
             "200")
  said <- run("next", asked)
  expect_identical(said$status, 0L)
  expect_match(said$stdout, "Plan now: ")
  expect_match(said$stdout, "worth")
  rows <- utils::read.csv(text = run("next", asked, "--format", "csv")$stdout)
  expect_true(all(c("what", "about", "takes_s", "price", "changes", "saves", "worth",
                    "command") %in% names(rows)))
  # Frames that are done are no time to spend.
  expect_match(run("next", asked, "--done", "gears-review 1-700")$stdout,
               "700 of 720 frames are finished")
  done <- run("next", asked, "--do", "5s")
  expect_true(done$status %in% c(0L, 3L))
  expect_match(done$stderr, "measured")
  expect_identical(run("next", asked, "--do", "soon")$status, 2L)
})

test_that("a spending limit is a time or money", {
  expect_identical(clockpigeon:::spending_limit("20min"), list(money = Inf, seconds = 1200))
  expect_identical(clockpigeon:::spending_limit("5 EUR"), list(money = 5, seconds = Inf))
})

test_that("clockpigeon week plans the project's job files, and says what a job file lacks", {
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  withr::local_dir(folder)
  withr::local_envvar(CLOCKPIGEON_NOW = "2026-11-24T10:00:00Z")
  writeLines(c("job: cut", "shots: [gears]", "engines: [sundew]", "deadline: 30h",
               "budget: 40 EUR"), "jobs/cut.yaml")
  x <- run_cli("week", "--draws", "200")
  expect_identical(x$status, 0L)
  expect_match(x$out, "2 of 2 jobs keep their limits")
  rows <- utils::read.csv(text = run_cli("week", "--draws", "200", "--format", "csv")$out)
  expect_identical(sort(rows$job), c("cut", "film"))
  alone <- utils::read.csv(text = run_cli("week", "cut", "--draws", "200", "--without",
                                          "loftnights", "--format", "csv")$out)
  expect_identical(alone$job, "cut")
  expect_no_match(alone$where, "loftnights")
  late <- run_cli("week", "--draws", "200", "--budget", "1EUR", "--figure", "week.png")
  expect_identical(late$status, 3L)
  expect_match(late$out, "Misses its limits")
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
    x$out, "Running first: review-1 at attic on 1 node until +about +.*1[01]:[0-9][0-9]")
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
  expect_match(x$out, "Already placed: review (as review-1).", fixed = TRUE)
  expect_match(week("review")$out, "of 1 job ")
  unlink("jobs/cut.yaml")
  none <- week()
  expect_identical(none$status, 0L)
  expect_match(none$out, "Progress: clockpigeon watch.", fixed = TRUE)
  expect_identical(nrow(utils::read.csv(text = week("--format", "csv")$out)), 0L)
})

test_that("sites and bill run in a project, in every format", {
  folder <- local_project()
  sites <- run_command_line(wd = folder, "sites")
  expect_identical(sites$status, 0L)
  expect_match(sites$stdout, "saltmill +device-hour")
  expect_match(run_command_line(wd = folder, "sites", "coppice")$stdout, "core-hour")
  expect_identical(nrow(read.csv(text = run_command_line(wd = folder, "sites", "--format",
                                                         "csv")$stdout)), 11L)
  x <- read.csv(text = run_command_line(wd = folder, "bill", "gears-saltmill", "--format",
                                        "csv")$stdout)
  expect_equal(sum(x$amount), 38.93)
  expect_equal(sum(x$converted), 44.71)
  shells <- run_command_line(wd = folder, "bill", "gallery-undertow")$stdout
  expect_match(shells, "To earn that again: 2d19h of a Quern 40", fixed = TRUE)
})

test_that("a table of rows is priced at the site named, and a bill without one is refused", {
  folder <- local_project()
  write.csv(data.frame(node = c("a", "b"), seconds = c(4000, 3700)), file.path(folder, "used.csv"),
            row.names = FALSE)
  x <- run_command_line(wd = folder, "bill", "used.csv", "--site", "quayside", "--format", "csv")
  expect_equal(sum(read.csv(text = x$stdout)$amount), 5.59)
  refused <- function(words, ...) {
    ran <- run_command_line(wd = folder, "bill", ...)
    expect_identical(ran$status, 2L)
    expect_match(ran$stderr, words)
  }
  refused("--site NAME", "used.csv")
  refused("gears-saltmill", "nothing")
  refused("names no usage")
  refused("no exchange rate", "used.csv", "--site", "quayside", "--to", "USD")
  refused("2026-10-01", "used.csv", "--site", "quayside", "--on", "today")
})
