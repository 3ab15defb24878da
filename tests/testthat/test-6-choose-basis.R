test_that("what is not known is told by code, once each", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  f <- forecast_job(plan_options(job, project$sites), draws = 20)
  unknown <- clockpigeon:::unknown_words(f)
  expect_true(all(c("sample", "stages", "troubles") %in% names(unknown)))
  expect_false("claimed" %in% names(unknown))
  expect_match(unknown[["stages"]], "pack at quayside")
  expect_match(clockpigeon:::left_out_words(f$scenario),
               "Cannot run this job: broadloom: does not run sundew",
               all = FALSE)
  expect_match(clockpigeon:::left_out_words(f$scenario, FALSE),
               "sites left out: [0-9]+ cannot run this job, 1 to measure, [0-9]+ to ask")
  f$scenario$options$evidence[1] <- "claimed"
  f$scenario$doubts <- "attic: old"
  unknown <- clockpigeon:::unknown_words(f)
  expect_match(unknown[["claimed"]], "spread is taken as 25 %", fixed = TRUE)
  expect_identical(unknown[["prices"]], "Prices to confirm: attic: old")
})
