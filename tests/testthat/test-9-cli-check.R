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
  expect_match(mended$stdout, "nothing blocks")
  expect_identical(run("gears", "--site", "undertow")$status, 3L)
  expect_identical(run("cogs")$status, 2L)
})
