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
