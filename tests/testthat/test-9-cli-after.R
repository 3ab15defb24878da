test_that("settle shows the steps, writes what was asked for, and ends with 3 where something is too much", {
  x <- rendered_job("prices=1.6")
  withr::local_dir(x$folder)
  # The command reads the project's own file.
  cat("bill: {as: csv, map: {kind: Sort, item: What, quantity: Hours, unit: Per, price: Rate, amount: Cost,",
      "currency: Cur, node: Machine, began: From, ended: To, frames: Frame, job: Job}, kinds: {usage: [use]},",
      "units: {device-hour: [device hours], job: [order]}}\n", file = "sites/saltmill.yaml",
      append = TRUE)
  close_ledger(x$ledger)
  told <- run_cli("settle", "review-1")
  expect_identical(told$status, 3L)
  expect_match(paste(told$out, collapse = " "), "overcharged [0-9.]+")
  bill <- write_bill(farm_lines(x))
  honest <- run_cli("settle", "--bill", bill, "--figure", "steps.png", "--export", "lines.csv")
  expect_identical(honest$status, 0L)
  expect_true(file.exists("steps.png"))
  expect_true(clockpigeon:::is_standard_bill(utils::read.csv("lines.csv")))
  # What was written is of that job, and of no other.
  utils::write.csv(transform(utils::read.csv("lines.csv"), Tags = "{\"job\": \"saltmill-9\"}"),
                   "other.csv", row.names = FALSE)
  expect_match(paste(run_cli("settle", "--bill", "other.csv")$said, collapse = " "),
               "is of another job, 'saltmill-9'")
  steps <- utils::read.csv(text = run_cli("settle", "--format", "csv")$out)
  expect_identical(names(steps), c("step", "after", "difference"))
  expect_match(paste(run_cli("settle", "--bill", "nowhere.csv")$said, collapse = " "),
               "there is no such file")
  refused <- run_cli("settle", "--dispute", "d.md", "--site", "quayside")
  expect_identical(refused$status, 2L)
})

test_that("what is asked too much is written for the site", {
  x <- rendered_job("prices=1.6")
  withr::local_dir(x$folder)
  close_ledger(x$ledger)
  told <- run_cli("settle", "review-1", "--dispute", "dispute")
  expect_identical(told$status, 3L)
  expect_true(all(file.exists(c("dispute.md", "dispute.json"))))
  findings <- utils::read.csv(text = run_cli("settle", "review-1", "--list", "findings", "--format",
                                             "csv")$out)
  expect_equal(sum(findings$amount), jsonlite::fromJSON("dispute.json")$too_much)
})

test_that("learned shows scores, and forecasts take them or leave them", {
  x <- rendered_job("prices=2")
  x$settle()
  withr::local_dir(x$folder)
  close_ledger(x$ledger)
  told <- run_cli("learned")
  expect_identical(told$status, 0L)
  expect_match(paste(told$out, collapse = " "), "1 settled job")
  fixes <- utils::read.csv(text = run_cli("learned", "--list", "corrections", "--format",
                                          "csv")$out)
  expect_identical(names(fixes)[1:4], c("site", "tier", "known", "what"))
  ask <- c("forecast", "--shots", "gears-review", "--engine", "pebble", "--only",
           "saltmill,brisk,nodes=10", "--format", "csv", "--draws", "200")
  with <- utils::read.csv(text = do.call(run_cli, as.list(ask))$out)
  without <- utils::read.csv(text = do.call(run_cli, as.list(c(ask, "--as-is")))$out)
  expect_identical(dim(with), dim(without))
  expect_gt(sum(with$cost_p50 != without$cost_p50) + sum(with$finish_p50 != without$finish_p50), 0)
  expect_match(paste(run_cli("learned", "--list", "odd")$said, collapse = " "), "scores")
})

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
  expect_match(cli_says("ledger", "archive", "--before", days[1]), "no timings are moved",
               fixed = TRUE)
  expect_match(cli_says("ledger", "archive", status = 2), "archive --before 2025-01-01",
               fixed = TRUE)
  expect_match(cli_says("ledger", "state", "--before", days[1], status = 2),
               "It is for clockpigeon ledger archive", fixed = TRUE)
})
