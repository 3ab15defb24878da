test_that("what is not known is told by code, once each", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  f <- forecast_job(plan_options(job, project$sites), draws = 20)
  unknown <- clockpigeon:::unknown_words(f)
  expect_true(all(c("sample", "stages", "troubles") %in% names(unknown)))
  expect_false("claimed" %in% names(unknown))
  expect_match(unknown[["stages"]], "pack at quayside")
  expect_match(clockpigeon:::left_out_words(f$scenario),
               "cannot do it as it is: broadloom: does not run sundew",
               all = FALSE)
  expect_match(clockpigeon:::left_out_words(f$scenario, FALSE),
               "ask: .*tollhouse, treadle; measure: highgarret; ")
  f$scenario$options$evidence[1] <- "claimed"
  f$scenario$doubts <- "attic: old"
  unknown <- clockpigeon:::unknown_words(f)
  expect_match(unknown[["claimed"]], "spread of 25 %", fixed = TRUE)
  expect_identical(unknown[["prices"]], "Doubtful prices: attic: old")
})
