# What a command says, and its status.
cli_says <- function(..., status = 0L) {
  x <- run_cli(...)
  expect_identical(x$status, as.integer(status))
  paste(c(x$out, x$said), collapse = " ")
}

test_that("clockpigeon ledger says how it stands, moves it, and refuses what it cannot do", {
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  withr::local_dir(folder)
  said <- cli_says("ledger")
  expect_match(said, "786 timings measured", fixed = TRUE)
  expect_match(said, "It holds together", fixed = TRUE)
  expect_match(said, "loft-4", fixed = TRUE)
  moved <- cli_says("ledger", "move", "ledger.sqlite", "other.sqlite")
  expect_match(moved, "each table has the same hash", fixed = TRUE)
  other <- open_ledger("other.sqlite", read_only = TRUE)
  expect_identical(nrow(timings(other)), 786L)
  close_ledger(other)
  expect_match(cli_says("ledger", "move", "nowhere.sqlite", "b.sqlite", status = 2), "no such file",
               fixed = TRUE)
  expect_match(cli_says("ledger", "move", "ledger.sqlite", status = 2), "move FROM TO",
               fixed = TRUE)
  expect_match(cli_says("ledger", "polish", status = 2), "grant", fixed = TRUE)
  expect_match(cli_says("ledger", "grant", "guest", "read", status = 2), "is a file", fixed = TRUE)
})

test_that("clockpigeon ledger archive takes old timings out, and the same is compared and forecast", {
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  withr::local_dir(folder)
  withr::local_envvar(R_USER_CACHE_DIR = file.path(folder, "cache"))
  before <- lapply(list(c("compare", "--format", "csv"), c("backtest", "--format", "csv")),
                   function(x) do.call(run_cli, as.list(x))$out)
  ledger <- open_ledger("ledger.sqlite", read_only = TRUE)
  days <- sort(unique(substr(timings(ledger)$measured_at, 1, 10)))
  close_ledger(ledger)
  said <- cli_says("ledger", "archive", "--before", days[length(days)])
  expect_match(said, "They are read as if they were here", fixed = TRUE)
  expect_match(cli_says("ledger"), "timings more, measured", fixed = TRUE)
  after <- lapply(list(c("compare", "--format", "csv"), c("backtest", "--format", "csv")),
                  function(x) do.call(run_cli, as.list(x))$out)
  expect_identical(after, before)
  expect_match(cli_says("ledger", "archive", "--before", days[1]), "nothing is taken out",
               fixed = TRUE)
  expect_match(cli_says("ledger", "archive", status = 2), "archive --before 2025-01-01",
               fixed = TRUE)
  expect_match(cli_says("ledger", "state", "--before", days[1], status = 2),
               "It is for clockpigeon ledger archive", fixed = TRUE)
})
