test_that("a file goes into the ledger once, and all of it or nothing", {
  ledger <- memory_ledger()
  folder <- scratch()
  path <- write_file(folder, "a.csv", "frame,wall_s,scene", "1,80,gears", "2,1m35s,gears")
  expect_identical(nrow(import_timings(path, ledger = ledger)), 2L)
  file.copy(path, file.path(folder, "copy.csv"))
  again <- import_timings(file.path(folder, "copy.csv"), ledger = ledger)
  expect_identical(nrow(again), 0L)
  expect_identical(clockpigeon:::known_imports(file.path(folder, "copy.csv"), ledger),
                   file.path(folder, "copy.csv"))
  expect_identical(timings(ledger)$wall_s, c(80, 95))
  expect_identical(timings(ledger)$kind, rep("reported", 2))
  bad <- write_file(folder, "bad.csv", "frame,wall_s", "1,80", "two,95")
  expect_refusal(import_timings(bad, ledger = ledger), "timing", "row 2 has frame")
  expect_identical(nrow(timings(ledger)), 2L)
  expect_refusal(import_timings(file.path(folder, "none.csv")), "import", "no such file")
  expect_refusal(import_timings(path, set = list(sene = "x")), "field")
})

test_that("a folder of frames that real writers filled gives their times", {
  folder <- scratch()
  dir.create(file.path(folder, "loft-1"))
  frames <- 1:6
  clock <- vapply(frames, function(f) {
    started <- as.numeric(Sys.time())
    run_pebble("--scene", "gears", "--frame", 100 + f, "--size", "64x36", "--samples", "16",
               "--out", file.path(folder, "loft-1", sprintf("gears-%04d.png", f)))
    as.numeric(Sys.time()) - started
  }, 0)
  x <- import_timings(folder, set = list(shot = "gears"))
  ok <- x$status == "ok"  # a machine that stalls while a frame is made leaves a gap, and may
  expect_identical(x$status[1], "incomplete")
  expect_gte(sum(ok), 3)
  expect_identical(unique(x$node), "loft-1")
  expect_lt(median(abs(log(x$wall_s[ok] / clock[ok]))), log(1.5))
  expect_refusal(import_timings(scratch()), "import", "no numbered pictures")
})

test_that("pictures say their times by the keys of the profile", {
  folder <- scratch()
  for (f in 1:2) png::writePNG(array(0.5, c(1, 1, 3)), file.path(folder, paste0("a", f, ".png")),
                               text = if (f == 1) c(Time = "00:01:20", Spp = "64") else
                               c(Other = "x"))
  engine <- pebble()
  engine$metadata <- list(wall_s = "Time", samples_done = "Spp")
  x <- import_timings(folder, as = "pictures", engine = engine)
  expect_identical(x$wall_s, c(80, NA))
  expect_identical(x$status, c("ok", "incomplete"))
  expect_identical(x$frame, 1:2)
  expect_refusal(import_timings(folder, as = "pictures", engine = pebble()), "engine",
                 "no `metadata`")
})

test_that("import and record work from the command line", {
  folder <- local_project(sample = FALSE)
  write_file(folder, "a.csv", "Nr;Zeit", "1;80,5", "2;95")
  run <- function(...) run_command_line(..., wd = folder)
  said <- run("import", "a.csv", "--map", "frame=Nr,wall_s=Zeit", "--scene", "gears")
  expect_match(said$stdout, "2 timings added; 2 with a time, median 1m28s, 1m20s to 1m35s",
               fixed = TRUE)
  expect_match(run("import", "a.csv", "--map", "frame=Nr,wall_s=Zeit")$stderr,
               "imported before; no rows were added")
  expect_match(run("record", "--time", "about 15 min", "--shot", "gears")$stdout,
               "recorded: render, 15m00s a frame, ok, typed, about")
  expect_identical(run("record", "--time", "8.20")$status, 2L)
})
