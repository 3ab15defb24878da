# What once misled a user, each as it happened.

test_that("a typed or imported row never takes the evidence away that is there", {
  folder <- local_project()
  run <- function(...) run_command_line(..., wd = folder)
  expect_identical(run("record", "--time", "2 min", "--shot", "gears", "--frame", "3", "--engine",
                       "sundew")$status, 0L)
  said <- run("forecast", "--engine", "sundew", "--shots", "gears", "--draws", "50")
  expect_identical(said$status, 0L)
  expect_match(said$stdout, "sundew 4.2", fixed = TRUE)
  expect_false(grepl("\\bNA\\b", said$stdout))
  x <- example_timings()
  typed <- data.frame(activity = "render", scene = "gears", frame = 1L, engine = "sundew",
                      engine_version = "9.9", wall_s = 5, status = "ok", kind = "typed")
  typed <- clockpigeon:::as_timings(typed)
  project <- read_project(demo_file())
  expect_identical(render_job(project$shots["gears"], "sundew", rbind(x, typed))$version, "4.2")
  expect_refusal(render_job(project$shots["gears"], c(sundew = "9.9"), rbind(x, typed)), "evidence",
                 "sundew 9.9")
})

test_that("an engine or version that nobody measured is left out with what to do, and the others are forecast", {
  folder <- local_project()
  run <- function(...)
    run_command_line("forecast", "--shots", "gears", "--draws", "50", ..., wd = folder)
  some <- run("--engine", "sundew,nobody")
  expect_identical(some$status, 0L)
  expect_match(gsub("\\s+", " ", some$stdout),
               "Measure: nobody: no finished frame was measured with the engine nobody")
  version <- run("--engine", "sundew", "--engine-version", "4.2,7.7")
  expect_match(gsub("\\s+", " ", version$stdout), "Measure: sundew 7.7: no finished frame")
  expect_identical(run("--engine", "nobody")$status, 2L)
})

test_that("what can be compared is, and the level that cannot is named", {
  x <- rbind(some_timings(c(10, 10.1, 10.2, 9.9), node = "a"),
             some_timings(c(8, 8.1, 8.2, 7.9), node = "b"))
  lone <- some_timings(5, node = "A0", frame = 9L)
  found <- compare_timings(rbind(lone, x), "node")
  expect_identical(unique(found$old), "a")
  expect_match(found$note[nrow(found)], "left out: A0 (no timing like one of a)", fixed = TRUE)
})

test_that("what record and import take in can be compared: other activities, and CPU seconds", {
  x <- rbind(some_timings(c(4, 4.1, 4.2), activity = "playback", node = "a"),
             some_timings(c(2, 2.1, 2.2), activity = "playback", node = "b"))
  expect_refusal(compare_timings(x, "node"), "compare", "no finished render")
  expect_gt(compare_timings(x, "node", activity = "playback")$ratio[1], 1.8)
  ledger <- memory_ledger()
  add_timings(ledger, x)
  expect_equal(compare_timings(ledger, "node", activity = "playback")$ratio,
               compare_timings(x, "node", activity = "playback")$ratio)
  y <- rbind(some_timings(c(4, 9, 4.2), cpu_s = c(2, 2, 2), node = "a"),
             some_timings(c(3, 8, 5), cpu_s = 1, node = "b"))
  expect_equal(compare_timings(y, "node", time = "cpu")$ratio[1], 2)
  expect_refusal(compare_timings(x, "node", activity = "playback", time = "cpu"), "compare",
                 "CPU time")
})

test_that("check finds a shot whose scene is not there", {
  folder <- local_project(sample = FALSE)
  write_file(folder, "shots/lost.yaml", "shot: lost", "scene: 'scenes/{shot}-{frame:04}.dat'",
             "frames: 1-3", "size: 16x9", "limit: {samples: 1}", "upload: none", "pack: none")
  write_file(folder, "scenes/lost-0002.dat", "x")
  ran <- run_command_line("check", "lost", wd = folder)
  expect_identical(ran$status, 3L)
  expect_match(gsub("\\s+", " ", ran$stdout),
               "scenes/lost-0001.dat (and 1 more): is the scene of the shot, and is not there|lost-0001.dat")
  expect_identical(run_command_line("check", "gears-review", wd = folder)$status, 0L)
})

test_that("fields that a scene does not know are refused, and a scene is filled for each frame and engine", {
  shot <- function(...)
    read_shot(write_file(scratch(), "s.yaml", "shot: s", "frames: 1-3", "size: 16x9",
                         "limit: {samples: 1}", ...))
  expect_refusal(shot("scene: 'a-{samples}.dat'"), "field", c("{samples}", "{frame}"))
  expect_refusal(shot("about: no scene"), "field", "`scenes`")
  two <- shot("scenes: {left: a.l, right: 'b-{frame:03}.r'}")
  expect_identical(two$scene, "s")
  folder <- scratch()
  log <- file.path(folder, "log")
  engines <- lapply(c("left", "right"), function(name) {
    engine <- script_engine(folder, paste0("echo $3 >> ", log),
                            paste("cp", one_pixel(folder, 16, 9), "$1"), "echo load 1 compute 1")
    engine$engine <- name
    engine$arguments <- list("{output}", "{frame}", "{scene}")
    engine
  })
  rows <- run_bench(plan_bench(two, engines, frames = 2, repeats = 1,
                               options = bench_options(warmups = 0)),
                    memory_ledger(), progress = FALSE)
  expect_setequal(readLines(log), c("a.l", "b-002.r"))
  expect_identical(unique(rows$scene), "s")
})
