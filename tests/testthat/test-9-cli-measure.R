test_that("a plan is typed, or a plan's file with fields typed anew", {
  folder <- local_project(sample = FALSE)
  plan <- function(...) {
    ran <- run_command_line("bench", ..., "--dry-run", "--format", "csv", wd = folder)
    if (ran$status != 0) return(ran$stderr)
    read.csv(text = ran$stdout)
  }
  typed <- plan("--shots", "gears-review", "--engines", "pebble 1.0", "--frames", "1,5", "--limits",
                "1,4,noise 20%", "--sizes", "32x18,64x36", "--threads", "1,2", "--repeats", "1")
  main <- typed[typed$repeat. > 0, ]
  expect_identical(nrow(main), 2L * 3L * 2L * 2L)
  expect_setequal(main$samples, c(1, 4, NA))
  expect_identical(unique(main$version), 1)
  over <- plan("review", "--repeats", "1")
  expect_identical(nrow(over[over$repeat. > 0, ]), 18L)
  expect_match(plan("--limits", "noise"), "option --limits")
  expect_match(plan("--shots", "nobody"), "nobody")
  expect_match(plan("--devices", "card 1"), "gpu 0+1", fixed = TRUE)
  expect_match(run_command_line("bench", "--resume", "--repeats", "2", wd = folder)$stderr,
               "Leave one of the two out")
})

test_that("probe measures a shot from the command line, and says what it rests on", {
  folder <- local_project(sample = FALSE)
  run <- function(...) run_command_line(..., wd = folder)
  said <- run("probe", "gears-review", "--target", "25%", "--cheap", "no", "--figure", "curve.png")
  expect_identical(said$status, 0L)
  expect_match(said$stdout, "Probe of gears-review with pebble 1.1 at 160x90")
  expect_match(said$stdout, "narrow enough after")
  expect_match(said$stdout, "Total on one node: .* to .*, 80 %")
  expect_true(file.exists(file.path(folder, "curve.png")))
  rows <- utils::read.csv(text = run("probe", "gears-review", "--target", "50%", "--format",
                                     "csv")$stdout)
  expect_identical(rows$probes >= 3, TRUE)
  expect_identical(run("probe", "gears-review", "--target", "none")$status, 2L)
  expect_identical(run("probe", "--cheap", "perhaps")$status, 2L)
})

test_that("backtest speaks of the project's own evidence", {
  folder <- local_project()
  said <- run_command_line("backtest", "--figure", "back.png", wd = folder)
  expect_identical(said$status, 0L)
  expect_match(said$stdout, "sample data, invented")
  expect_match(said$stdout, "Other hardware: rig speeds")
  expect_true(file.exists(file.path(folder, "back.png")))
  empty <- local_project(sample = FALSE)
  expect_identical(run_command_line("backtest", wd = empty)$status, 2L)
})

test_that("limit probes, answers, prices, and draws what it says", {
  folder <- local_project(sample = FALSE)
  run <- function(..., input = NULL) run_command_line(..., wd = folder, input = input)
  said <- run("limit", "gears-review", "--samples", "2,8", "--frames", "1", "--noise", "20%",
              "--site", "attic", "--sheet", "sheet.png", "--figure", "limit.png")
  expect_identical(said$status, 0L, info = said$stderr)
  expect_match(said$stdout, "Target: noise 20 % of the frame and 40 % of its worst tile")
  expect_match(said$stdout, "Cost and gain of each doubling")
  expect_match(said$stdout, "all\\s+720\\s+frames\\s+as\\s+if")
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

test_that("a table is shown before it is taken, taken, taken anew and withdrawn", {
  folder <- local_project(sample = FALSE)
  run <- function(...) run_command_line(..., wd = folder)
  write_file(folder, "farm.csv", "Nr;user;sys;Mem KB;what", "1;10,5;1;2000;x", "2;1m10s;2;3000;y")
  map <- "frame=Nr,wall_s=user + sys,peak_mem_mb=`Mem KB` / 1000"
  look <- run("import", "farm.csv", "--map", map, "--shot", "gears", "--engine", "sundew",
              "--dry-run")
  for (part in c("wall_s = user + sys", "ignored: what", "filled in: ", "2 timings read", "11.5s",
                 "1m12s", "Nothing was written")) {
    expect_match(look$stdout, part, fixed = TRUE)
  }
  expect_false(file.exists(file.path(folder, "ledger.sqlite")))
  taken <- run("import", "farm.csv", "--map", map, "--shot", "gears", "--engine", "sundew",
               "--format", "csv")
  rows <- read.csv(text = taken$stdout)
  expect_identical(rows$wall_s, c(11.5, 72))
  expect_equal(rows$peak_mem_mb, c(2, 3))
  expect_identical(unique(paste(rows$scene, rows$width, rows$limit_value)), "gears 1920 512")
  expect_match(run("import", "farm.csv", "--map", map)$stderr, "was imported before")
  again <- run("import", "farm.csv", "--map", "frame=Nr,wall_s=user", "--again", "--format", "csv")
  expect_identical(read.csv(text = again$stdout)$wall_s, c(10.5, 70))
  count <- function() {
    ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
    on.exit(close_ledger(ledger))
    c(nrow(timings(ledger)), nrow(timings(ledger, replaced = TRUE)))
  }
  expect_identical(count(), c(2L, 4L))
  expect_identical(run("import", "farm.csv", "--undo")$stdout,
                   "2 timings withdrawn; the ledger keeps the rows\n")
  expect_identical(count(), c(0L, 4L))
  expect_match(run("import", "farm.csv", "--undo")$stderr, "withdrawn")
  expect_match(run("import", "farm.csv", "--map", "wall_s=user + nothing")$stderr,
               "has no column 'nothing'")
  expect_match(run("import", "farm.csv", "--map", "wall_s=system('x')")$stderr, "has no column")
  expect_identical(run("import", "farm.csv", "--map", map, "--shot", "gears")$status, 0L)
  expect_identical(count(), c(2L, 6L))
})

test_that("frames copied to a second folder count once, and a beginning gives the first frame its time", {
  folder <- local_project(sample = FALSE)
  at <- as.POSIXct("2026-11-03 14:00:00", tz = "UTC")
  for (i in 1:45) for (sub in c("a", "b")) {
    path <- write_file(folder, sprintf("frames/%s/f-%04d.png", sub, i), paste("picture", i))
    Sys.setFileTime(path, at + 10 * i + if (sub == "b") 1000 else 0)
  }
  ran <- run_command_line("import", "frames", "--shot", "gears", "--engine", "sundew", "--begun",
                          "2026-11-03 14:00", "--format", "csv", wd = folder)
  rows <- read.csv(text = ran$stdout)
  expect_match(ran$stderr, "45 pictures are copies of some in another folder, and left out")
  expect_match(ran$stderr, "taken as one job: frames")
  expect_identical(rows$wall_s, rep(10L, 45))
  expect_identical(rows$measured_at[1], "2026-11-03T14:00:00.000Z")
  late <- run_command_line("import", "frames", "--begun", "2026-11-03 15:00", "--again",
                           wd = folder)
  expect_match(late$stderr, "after its first picture was written")
})

test_that("what a file says of its rows stands; only what it does not say is filled in from the shot", {
  folder <- local_project(sample = FALSE)
  write_file(folder, "t.csv", "frame,wall_s,width,height,limit_kind,limit_value",
             "1,2,960,540,noise,0.05", "2,3,,,,", "3,4,960,540,,")
  ran <- run_command_line("import", "t.csv", "--shot", "gears", "--engine", "sundew", "--format",
                          "csv", wd = folder)
  rows <- read.csv(text = ran$stdout)
  expect_identical(paste(rows$width, rows$height, rows$limit_kind, rows$limit_value),
                   c("960 540 noise 0.05", "1920 1080 samples 512", "960 540 samples 512"))
  typed <- run_command_line("record", "--time", "2 min", "--shot", "gears", "--engine", "sundew",
                            "--limit-kind", "noise", "--limit-value", "0.02", wd = folder)
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
  on.exit(close_ledger(ledger))
  last <- as.list(tail(as.data.frame(timings(ledger)), 1))
  expect_identical(last[c("limit_kind", "limit_value", "width", "scene")],
                   list(limit_kind = "noise", limit_value = 0.02, width = 1920L, scene = "gears"))
})

test_that("what is typed of a shot is held against the project", {
  folder <- local_project(sample = FALSE)
  run <- function(...) run_command_line("record", "--time", "2 min", ..., wd = folder)
  expect_match(run("--shot", "nobody")$stderr, "option --shot")
  expect_match(run("--shot", "gears", "--frame", "99999")$stderr, "It has frames 1-720")
  expect_identical(run("--shot", "gears", "--frame", "7", "--engine", "sundew")$status, 0L)
})
