test_that("an order is written down once, with who gave it, and a stopped job takes none", {
  project <- read_project(demo_file())
  ledger <- open_ledger(":memory:")
  on.exit(close_ledger(ledger))
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  forecast <- forecast_job(plan_options(job, project$sites, only = "quayside"), draws = 100)
  record_job(ledger, choose_option(forecast, "30 h"), "gears-final")
  expect_equal(clockpigeon:::order_job(project, ledger, "gears-final", "resumed")$says,
               " is not paused")
  expect_equal(clockpigeon:::order_job(project, ledger, "gears-final", "paused", "page"),
               list(says = ": paused"))
  expect_equal(clockpigeon:::order_job(project, ledger, "gears-final", "paused")$says,
               " is paused already")
  events <- job_events(ledger, "gears-final")
  told <- events[events$what == "paused", ]
  expect_equal(c(told$source, told$detail), c("page", paste("by", clockpigeon:::user_name())))
  expect_equal(clockpigeon:::order_job(project, ledger, "gears-final", "stopped")$says, ": stopped")
  expect_error(clockpigeon:::order_job(project, ledger, "gears-final", "resumed"),
               class = "clockpigeon_error_job")
  expect_equal(clockpigeon:::job_orders(ledger, "gears-final"), c("paused", "stopped"))
  expect_false(clockpigeon:::has_reporting_site(project, ledger, "gears-final"))
})
