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
             "frames: 1-24", "size: 640x360", "limit: {samples: 4}")
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
  expect_equal(good$work, good$limit_value * 640 * 360)
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

test_that("check finds what blocks, ends with 3 then, and with 0 when nothing does", {
  folder <- local_project()
  run <- function(...) run_command_line("check", ..., "--engine", "sundew", wd = folder)
  x <- run("--format", "csv")
  expect_identical(x$status, 3L)
  rows <- read.csv(text = x$stdout)
  expect_setequal(rows$shot, c("gears", "basin", "gallery"))
  expect_true(all(c("textures/engraving.png", "particles spray",
                    "job Gears-Final") %in% rows$about[rows$weight == "blocks"]))
  one <- run("gears", "--site", "quayside")
  expect_match(one$stdout, "1 of 1 site fits.")
  # Mended, the shot may go.
  write_file(folder, "assets/textures/engraving.png", "x")
  writeLines(sub("Gears-Final", "gears-final-2",
                 readLines(file.path(folder, "manifests/gears.yaml"))),
             file.path(folder, "manifests/gears.yaml"))
  mended <- run("gears", "--site", "quayside")
  expect_identical(mended$status, 0L)
  expect_match(mended$stdout, "Ready to send")
  expect_identical(run("gears", "--site", "undertow")$status, 3L)
  expect_identical(run("cogs")$status, 2L)
})

test_that("what scan prints is a manifest", {
  folder <- local_project(sample = FALSE)
  write_file(folder, "assets/scenes/quay.pov", 'image_map { png "stone.png" }')
  said <- run_command_line("scan", "assets/scenes/quay.pov", "--engine", "povray", wd = folder)
  expect_identical(said$status, 0L)
  write_file(folder, "quay.csv", said$stdout)
  manifest <- read_manifest(file.path(folder, "quay.csv"))
  expect_identical(c(manifest$scene, manifest$assets$path),
                   c("assets/scenes/quay.pov", "stone.png"))
  expect_identical(run_command_line("scan", "assets/scenes/quay.pov", "--engine", "pebble",
                                    wd = folder)$status, 2L)
})

test_that("pack makes a parcel once, and unpack gives the files back", {
  skip_if_not_installed("zip")
  skip_if_not_installed("openssl")
  folder <- local_project(sample = FALSE)
  run <- function(...) run_command_line(..., wd = folder)
  refused <- run("pack", "gears")
  expect_identical(refused$status, 2L)
  expect_match(refused$stderr, "textures/engraving.png is missing")
  write_file(folder, "assets/textures/engraving.png", "x")
  made <- read.csv(text = run("pack", "gears", "--format", "csv")$stdout)
  expect_true(made$made)
  expect_match(run("pack", "gears")$stdout, "as before")
  back <- run("unpack", made$parcel)
  expect_identical(back$status, 0L)
  expect_match(back$stdout, "each as listed")
  expect_true(file.exists(file.path(folder, sub("\\.zip$", "", basename(made$parcel)),
                                    "textures/engraving.png")))
  expect_identical(run("unpack", made$parcel)$status, 2L)
})
