test_that("waiting and speed have the spread that the card and the evidence give them", {
  job <- exact_job(10, frames = 2L)
  site <- exact_site(wait = "{median: 60 s, p90: 240 s}")
  scenario <- with_options(plan_options(job, site), rows = 1, log_speed = 0, speed_se = 0.25,
                           speed_df = Inf)
  d <- forecast_job(scenario, draws = 20000, seed = 2)$draws
  expect_equal(quantile(d$wait_s, c(0.5, 0.9), names = FALSE), c(60, 240), tolerance = 0.05)
  expect_equal(sd(log(d$render_s)), 0.25, tolerance = 0.03)
  expect_equal(sd(d$log_speed), 0.25, tolerance = 0.03)
})

test_that("jobs too large to hold go block by block, with the same draws", {
  job <- exact_job(10, frames = 40L)
  job$run_sd <- 0.2
  job$curves <- list(frame_curve(1:10, rep(10, 10), 1:40, run_sd = 0.2))
  options <- plan_options(job, exact_site())
  whole <- forecast_job(options, draws = 100)$draws
  local_value("most_cells", 40 * 24)
  expect_identical(forecast_job(options, draws = 100)$draws, whole)
})

test_that("one frame, and more nodes than frames, are forecast", {
  one <- exact_job(10, frames = 1L)
  expect_equal(exact_draws(one, exact_site())$finish_s[1], 5)
  path <- attr(exact_site(), "path")
  writeLines(sub("nodes: [1, 5]", "nodes: [0]", readLines(path), fixed = TRUE), path)
  expect_refusal(read_site(path), "type", c("nodes", "at least 1"))
})

test_that("the same seed gives the same forecast, and leaving an option out changes no other", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  options <- plan_options(job, project$sites)
  a <- forecast_job(options, draws = 50, seed = 3)
  expect_identical(a$draws, forecast_job(options, draws = 50, seed = 3)$draws)
  expect_false(identical(a$draws$finish_s,
                         forecast_job(options, draws = 50, seed = 4)$draws$finish_s))
  few <- forecast_job(with_options(options, rows = options$options$site == "saltmill"), draws = 50,
                      seed = 3)
  expect_identical(few$draws$finish_s, a$draws$finish_s[startsWith(a$draws$option, "saltmill")])
})

test_that("the summary is quantiles of the draws, and the exchange is said", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  f <- forecast_job(plan_options(job, project$sites), draws = 101)
  s <- summary(f)
  first <- f$draws$finish_s[f$draws$option == s$option[1]]
  expect_equal(s$finish_p50[1], sort(first)[51])
  expect_true(all(s$finish_p10 <= s$finish_p50 & s$finish_p50 <= s$finish_p90 &
                  s$cost_p10 <= s$cost_p90))
  expect_identical(f$exchange$date, "2026-11-02")
  expect_named(summary(f, probs = 0.25),
               c("option", "site", "tier", "nodes", "evidence", "finish_p25", "cost_p25",
                 "cost_se", "currency", "usable", "note"))
  expect_true(all(s$usable == 1))
  expect_refusal(forecast_job(data.frame()), "type", "plan_options()")
})
