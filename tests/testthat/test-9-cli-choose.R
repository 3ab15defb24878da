test_that("a job file, or options over it, ask the question; the answer fits 80 columns", {
  withr::local_dir(local_project())
  withr::local_envvar(COLUMNS = "80", NO_COLOR = "1")
  status <- NULL
  # The film's Friday is near or far by the day this runs: the file is read, and a time from now put
  # over it.
  expect_identical(clockpigeon:::cli_asked(read_project(), list(), "film")$deadline, "fri 18:00")
  asked <- c("choose", "film", "--deadline", "45h", "--draws", "200", "--test-frames", "3",
             "--only", "attic,quayside,loftnights,now")
  short <- capture.output(status <- cli(setdiff(asked, c("--test-frames", "3"))), type = "output")
  expect_lte(max(nchar(short)), 80)
  # The answer is said first, in the order in which it is asked, in at most 24 lines below the
  # question.
  expect_lte(length(short), 27)
  heads <- sub(" .*", "", grep("^(Do|Done|Cost|Rests|Risk) ", short, value = TRUE))
  expect_identical(heads, c("Do", "Done", "Cost", "Rests", "Risk"))
  out <- capture.output(status <- cli(c(asked, "--changes", "--why", "--all")), type = "output")
  expect_identical(status, 0L)
  expect_lte(max(nchar(out)), 80)
  expect_match(out, "1d21h from now, at most", all = FALSE)
  expect_match(out, "^What would change the pick:", all = FALSE)
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
  expect_match(one_line(idle$stdout), "each with a chance of 90 %")
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
  expect_match(half$text, "^1420 of 2250 frames are done. Asked: ")
  expect_match(half$text, "basin 701-[0-9]+|all 830 frames")
  writeLines(c("parts:", "  - {option: 'attic day, 2 nodes'}", "look: {at: fri 10:00, fewer: 1200}",
               "rescue: {option: 'quayside standard, 8 nodes'}"), "mine.yaml")
  mine <- ask("--deadline", "20h", "--plan", "mine.yaml")
  expect_match(
    mine$text, paste(
    "Do As written: render all 2250 frames at attic day, 2 nodes. Look Fri 10:00: if fewer",
    "than 1200 of the 2250 frames are done"), fixed = TRUE)
  expect_match(mine$text, "attic, else quayside Fri", fixed = TRUE)
  expect_match(ask("--budget", "0EUR")$text, "too dear")
  soon <- ask("--deadline", "5min")
  expect_identical(soon$status, 3L)
  expect_match(soon$text, "Nothing keeps what was asked")
})
