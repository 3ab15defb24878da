test_that("a renderer that nobody saw is described, tried and timed from the command line", {
  folder <- scratch()
  run <- function(...) run_command_line(..., wd = file.path(folder, "mill"))
  expect_identical(run_command_line("new", "mill", wd = folder)$status, 0L)
  quern <- system.file("examples/quern", package = "clockpigeon")
  file.copy(file.path(quern, "yard.discs"), file.path(folder, "mill/scenes"))
  program <- file.path(folder, "quern")
  file.copy(file.path(quern, "quern"), program)
  Sys.chmod(program, "755")
  made <- run("engine", "new", "quern", "--command",
              paste(program, "{scene} -q {log2(samples)} -n {frame}",
              "-w {width} -h {height} -to {stem}"), "--ask-version=-about", "--output-as",
              "{stem}{frame:03}.png")
  expect_identical(made$stdout, "engines/quern.yaml\n")
  tried <- run("engine", "try", "quern", "scenes/yard.discs", "--frame", "7")
  expect_identical(tried$status, 0L)
  for (part in c("Engine quern 0.3", "-q 2 -n 7", "'milled in ([0-9.,]+) *s'", "Good: ")) {
    expect_match(tried$stdout, part, fixed = TRUE)
  }
  # It exits with 0 on errors: the picture that is not there tells.
  tried <- run("engine", "try", "quern", "scenes/none.discs")
  expect_identical(tried$status, 1L)
  expect_match(tried$stdout, "no such scene", fixed = TRUE)
  write_file(folder, "mill/shots/yard.yaml", "shot: yard", "scene: 'scenes/{shot}.discs'",
             "frames: 1-24", "size: 32x18", "limit: {samples: 4}")
  cat("reads: {compute_s: 'milled in ([0-9,]+) s', work: 'stones turned: ([0-9]+)'}\n",
      append = TRUE,
      file = file.path(folder, "mill/engines/quern.yaml"))
  timed <- run("bench", "--shots", "yard", "--engines", "quern", "--frames", "1,24", "--limits",
               "2,4,5", "--repeats", "1", "--format", "csv")
  rows <- read.csv(text = timed$stdout)
  rows <- rows[rows$repeat. > 0, ]
  expect_identical(sort(rows$status), c(rep("ok", 4), rep("unsupported", 2)))
  expect_match(rows$note[rows$limit_value == 5][1],
               "quern can do 1, 2, 4, 8, 16, 32, ... or 65536 samples, not 5",
               fixed = TRUE)
  good <- rows[rows$status == "ok", ]
  expect_equal(good$work, good$limit_value * 32 * 18)
  expect_true(all(good$compute_s > 0 & good$engine_version == "0.3"))
})

test_that("engines are listed, and what cannot be asked is refused", {
  folder <- local_project(sample = FALSE)
  run <- function(...) run_command_line("engine", ..., wd = folder)
  expect_match(run("list")$stdout, "pebble +built-in +yes")
  expect_identical(run("new")$status, 2L)
  expect_match(run("new", "a/b", "--command", "x {output}")$stderr,
               "cannot be part of a file's name")
  expect_match(run("new", "x")$stderr, "needs --command")
  expect_match(run("try", "nobody", "gears")$stderr, "pebble")
  expect_match(run("mend", "x")$stderr, "list, new or try")
  expect_identical(run("try", "pebble", "gears-review", "--size", "32x18", "--limits", "1")$status,
                   0L)
  expect_match(run_command_line("help", "engine")$stdout, "{frame:04} pads with zeros",
               fixed = TRUE)
  expect_identical(run_command_line("new", wd = folder)$status, 2L)
})
