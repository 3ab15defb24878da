test_that("limit probes, answers, prices, and draws what it says", {
  folder <- local_project(sample = FALSE)
  run <- function(..., input = NULL) run_command_line(..., wd = folder, input = input)
  said <- run("limit", "gears-review", "--samples", "2,8", "--frames", "1", "--noise", "20%",
              "--site", "attic", "--sheet", "sheet.png", "--figure", "limit.png")
  expect_identical(said$status, 0L, info = said$stderr)
  expect_match(said$stdout, "Target: noise 20 % of the frame and 40 % of its worst tile")
  expect_match(said$stdout, "What each doubling costs and buys")
  expect_match(said$stdout, "all 720 frames\\s+as if")
  expect_match(said$stdout, "all three +1 ")
  expect_true(all(file.size(file.path(folder, c("sheet.png", "limit.png"))) > 5000))
  data <- jsonlite::fromJSON(run("limit", "gears-review", "--samples", "2,8", "--frames", "1",
                                 "--noise", "0.2", "--format", "json")$stdout)
  expect_identical(data$frame, 1L)
  expect_gt(data$samples, 1)
  expect_match(run("limit", "nowhere")$stderr, "Write basin")
  expect_match(run("limit", "gears-review", "--noise", "clean")$stderr, "such as 2% or 0.02")
  expect_match(run("limit", "gears-review", "--samples", "4")$stderr, "one count of samples")
  expect_match(run("limit", "gears-review", "--engine", "povray")$stderr, "takes no seed")
})

test_that("a blind sheet asks first, reveals then, and sets the target", {
  folder <- local_project(sample = FALSE)
  run <- function(..., input = NULL) run_command_line(..., wd = folder, input = input)
  ask <- c("limit", "gears-review", "--samples", "2,8", "--frames", "1")
  said <- run(ask, "--blind", "blind.png", input = "A B C D E F\n")
  expect_match(said$stderr, "Which letters are clean enough")
  expect_match(said$stdout, "clean enough")
  expect_match(said$stderr, "target: what was judged clean enough for gears-review")
  expect_match(run(ask)$stderr, "target: what was judged")
  expect_match(run(ask, "--blind", "blind.png", input = "Z\n")$stderr, "got 'Z'")
})

test_that("picture tells two files apart", {
  folder <- scratch()
  for (seed in 1:2)
    run_pebble("--scene", "gears", "--frame", 1, "--size", "96x54", "--samples", "4", "--seed",
               seed, "--out", file.path(folder, paste0(seed, ".pfm")))
  run_pebble("--scene", "gears", "--frame", 300, "--size", "96x54", "--samples", "4", "--out",
             file.path(folder, "3.pfm"))
  run <- function(...) run_command_line("picture", ..., wd = folder)
  expect_match(run("1.pfm", "2.pfm")$stdout, "Verdict: same but for noise")
  expect_match(run("1.pfm", "1.pfm")$stdout, "Verdict: same picture")
  other <- run("1.pfm", "3.pfm", "--figure", "d.png")
  expect_match(other$stdout, "Verdict: different")
  expect_identical(other$status, 1L)
  expect_true(file.exists(file.path(folder, "d.png")))
  expect_match(run("1.pfm")$stderr, "help picture")
})

test_that("an engine that does certain counts only is probed at these, and one of them is proposed", {
  folder <- local_project(sample = FALSE)
  write_file(folder, "engines/steps.yaml", "extend: pebble", "engine: steps",
             "values: {samples: {1: '1', 3: '3', 9: '9', 27: '27', 81: '81', 243: '243'}}")
  run <- function(...)
    run_command_line("limit", "gears-review", "--engine", "steps", "--size", "64x36", "--frames",
                     "1", ..., wd = folder)
  ran <- run("--noise", "20%", "--format", "csv")
  expect_true(ran$status %in% c(0L, 3L))
  rows <- read.csv(text = ran$stdout)
  expect_true(rows$samples %in% c(1, 3, 9, 27, 81, 243, NA))
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
  expect_true(all(timings(ledger)$limit_value[timings(ledger)$limit_kind == "samples"] %in%
                  c(9, 27, 81)))
  close_ledger(ledger)
  wrong <- run("--samples", "4,16")
  expect_identical(wrong$status, 2L)
  expect_match(wrong$stderr, "steps can do 1, 3, 9, 27, 81 or 243 samples, not 4", fixed = TRUE)
})
