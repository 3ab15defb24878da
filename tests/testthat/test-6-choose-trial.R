test_that("a trial is worth it where its result can overturn the pick for more than its price", {
  x <- pair_of_sites(se = c(0.001, 0.5))
  # The quick site is 3 times as fast, give or take a factor of 1.6, and 10 times as dear an hour:
  # it costs 2.00 EUR beside 0.60. It would have to be more than 10 times as fast to win.
  v <- as.data.frame(trial_value(x))
  expect_identical(v$site, "quick")
  expect_lt(v$overturns, 0.1)
  expect_match(v$says, "not worth it")
  # At nearly equal prices one half of the results overturn it.
  even <- pair_of_sites(se = c(0.001, 0.5), prices = c("36", "120"))
  v <- as.data.frame(trial_value(even, frames = 4))
  expect_equal(v$overturns, 0.45, tolerance = 0.25)
  expect_equal(v$price, 4 * 10 / 3 * 120 / 3600, tolerance = 0.25)
  expect_gt(v$saves, 0)
  expect_identical(v$wins, "quick t, 1 node")
  # Where all is known there is nothing to try.
  expect_identical(nrow(trial_value(pair_of_sites(se = c(0.001, 0.001)))), 0L)
})

test_that("what a trial saves on average agrees with the closed form of two normal costs", {
  # Costs of the quick site are log-normal; what perfect knowledge saves is E max(0, 600 s x 36 -
  # cost).
  x <- pair_of_sites(se = c(0.001, 0.4), prices = c("36", "130"), draws = 4000)
  for (i in seq_along(x$forecast$scenario$jobs)) x$forecast$scenario$jobs[[i]]$run_sd <- 0
  v <- trial_value(x, frames = 1000)
  median_cost <- 600 / 3 * 130 / 3600
  d <- (log(6) - log(median_cost)) / 0.4
  saving <- 6 * pnorm(d) - median_cost * exp(0.4^2 / 2) * pnorm(d - 0.4)
  expect_equal(v$saves, saving, tolerance = 0.15)
})

test_that("sites left out for an unknown speed are tried on too", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates,
                    time_zone = "UTC")
  options <- plan_options(job, project$sites[c("attic", "highgarret")],
                          now = as.POSIXct("2026-11-24 20:00", tz = "UTC"))
  x <- choose_option(forecast_job(options, draws = 200), "3 h")
  v <- as.data.frame(trial_value(x))
  expect_identical(v$evidence[v$site == "highgarret"], "unknown")
  expect_gt(v$overturns[v$site == "highgarret"], 0.5)
  expect_true(v$worth[v$site == "highgarret"])
})
