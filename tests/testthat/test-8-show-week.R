test_that("a week is a table in the order of the plan, sentences and a figure", {
  project <- read_project(demo_file())
  now <- as.POSIXct("2026-11-28 10:00", tz = "UTC")
  forecasts <- lapply(c(cut = "gears", film = "basin"), function(shot) {
    job <- render_job(project$shots[shot], "sundew", example_timings(), rates = project$rates,
                      time_zone = "Europe/Lisbon")
    forecast_job(plan_options(job, project$sites, now = now), draws = 100)
  })
  asked <- lapply(forecasts, question_of, deadline = "30 h", budget = "60 EUR", confidence = 0.8,
                  rule = "cheapest", together = TRUE)
  week <- choose_week(forecasts, asked)
  out <- capture.output(print(week))
  expect_match(out[1], "2 of 2 jobs keep their limits")
  expect_true(any(grepl("^job +plan +finish", out)))
  p <- ggplot2::autoplot(week)
  expect_s3_class(p, "ggplot")
  expect_match(p$labels$alt, "deadlines")
  expect_identical(levels(p$data$job), rev(week_table(week)$job))
  path <- tempfile(fileext = ".png")
  write_figure(p, path)
  expect_gt(file.size(path), 5000)
})
