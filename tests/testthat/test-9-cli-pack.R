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
