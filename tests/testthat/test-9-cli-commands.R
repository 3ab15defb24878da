test_that("compare, forecast, choose and report run on the demo's evidence, in every format", {
  folder <- local_project()
  run <- function(...) run_command_line(..., wd = folder)
  compared <- read.csv(text = run("compare", "--by", "device", "--engine", "sundew", "--format",
                                  "csv")$stdout)
  expect_setequal(unique(compared$new), c("Fathom 12", "Quern 40", "Quern 80"))
  job <- c("--engine", "sundew", "--shots", "gears,basin", "--draws", "200")
  s <- jsonlite::fromJSON(run("forecast", job, "--format", "json")$stdout)
  expect_gte(nrow(s), 9)
  expect_true(all(s$finish_p10 <= s$finish_p90))
  chosen <- run("choose", job, "--deadline", "30h", "--budget", "2000 EUR", "--figure", "f.png")
  expect_identical(chosen$status, 0L)
  expect_match(chosen$stdout, "\n>  ")
  expect_true(file.exists(file.path(folder, "f.png")))
  none <- run("choose", job, "--deadline", "1s", "--format", "csv")
  expect_identical(none$status, 3L)
  expect_identical(nrow(read.csv(text = none$stdout)), nrow(s))
  skip_if_not_installed("htmltools")
  reported <- run("report", job, "--deadline", "30h", "--out", "r.html")
  expect_identical(reported$stdout, "r.html\n")
  expect_true(file.size(file.path(folder, "r.html")) > 1e4)
})

test_that("what is asked wrongly is refused with status 2, and the ledger keeps its rows", {
  folder <- local_project()
  before <- tools::md5sum(file.path(folder, "ledger.sqlite"))
  cases <- list(list(c("forecast", "--engine", "sundwe"), "sundew"),
                list(c("choose", "--engine", "sundew", "--shots", "gears", "--deadline", "8.20"),
                     "8m20s"),
                list(c("forecast", "--shots", "gear"), "gears"),
                list(c("bench", "nothing"), "review"),
                list(c("compare", "--by", "devise"), "Did you mean device?"),
                list("forecast", "pebble"))
  for (case in cases) {
    ran <- run_command_line(case[[1]], wd = folder)
    expect_identical(ran$status, 2L)
    expect_match(ran$stderr, case[[2]], fixed = TRUE)
  }
  expect_identical(tools::md5sum(file.path(folder, "ledger.sqlite")), before)
  writeLines("junk", file.path(folder, "ledger.sqlite"))
  expect_match(run_command_line("compare", wd = folder)$stderr, "ledger.sqlite")
})

test_that("bench runs a project's plan, tells progress on standard error, and adds to the ledger", {
  folder <- local_project(sample = FALSE)
  for (shot in c("gears", "basin", "gallery")) {
    path <- file.path(folder, "shots", paste0(shot, "-review.yaml"))
    writeLines(sub("160x90", "32x18", readLines(path)), path)
  }
  ran <- run_command_line("bench", "--format", "csv", "--keep", file.path(folder, "pictures"),
                          wd = folder)
  expect_identical(ran$status, 0L)
  rows <- read.csv(text = ran$stdout)
  expect_identical(nrow(rows), 38L)
  expect_match(ran$stderr, "38 trials in")
  expect_length(list.files(file.path(folder, "pictures")), 38)
  table <- run_command_line("compare", wd = folder, env = c(NO_COLOR = "1"))$stdout
  expect_match(table, "all, geometric mean")
  expect_identical(run_command_line("choose", "--draws", "100", "--deadline", "3h",
                                    wd = folder)$status, 0L)
})

test_that("the example script runs from start to end", {
  ran <- processx::run(file.path(R.home("bin"), "Rscript"),
                       system.file("examples", "main-job.R", package = "clockpigeon"),
                       error_on_status = FALSE)
  expect_identical(ran$status, 0L)
  expect_match(ran$stdout, "in 6m00s for at most\\s+5.00 EUR")
  expect_match(ran$stdout, "# A tibble: 1 .* 7")
})

test_that("pairs of names and values are read, and what is none is refused", {
  expect_identical(clockpigeon:::cli_weights("gears=2, basin=1"), c(gears = 2, basin = 1))
  expect_null(clockpigeon:::cli_weights(NULL))
  for (bad in c("gears", "gears=two", "gears=1=2"))
    expect_refusal(clockpigeon:::cli_weights(bad), "usage", "gears=2")
})
