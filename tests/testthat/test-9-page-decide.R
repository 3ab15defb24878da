test_that("the inputs stand for a question; a range at its end asks nothing", {
  made <- list(forecast = 1)
  input <- list(deadline = 3600, budget = "none", confidence = 0.8, rule = "fastest", each = TRUE, without = c("b", "a"))
  asked <- clockpigeon:::page_asked(input, made)
  expect_identical(asked$question, list(deadline_s = 3600, budget = Inf, confidence = 0.8, rule = "fastest",
                                        together = FALSE))
  expect_identical(asked$without, c("a", "b"))
  expect_null(clockpigeon:::page_asked(input, NULL))
  expect_refusal(clockpigeon:::page_asked(utils::modifyList(input, list(rule = "dearest")), made), "choice", "cheapest")
})

test_that("the browser gets each option's draws as 32-bit floats, and what it begins with", {
  forecast <- forecast_job(plan_options(x_job(), read_project(demo_file())$sites), draws = 100)
  asked <- clockpigeon:::question_of(forecast, "30 h", NULL, 0.9, "cheapest", TRUE)
  x <- clockpigeon:::page_facts(forecast, asked)
  finish <- readBin(openssl::base64_decode(x$finish), "numeric", 1e6, size = 4, endian = "little")
  expect_length(finish, 100 * length(x$options))
  expect_equal(finish, forecast$draws$finish_s, tolerance = 1e-6)
  cost <- readBin(openssl::base64_decode(x$cost), "numeric", 1e6, size = 4, endian = "little")
  expect_equal(cost, forecast$draws$cost, tolerance = 1e-6)
  expect_identical(as.character(x$options), forecast$scenario$options$option)
  expect_identical(x$asked$budget, "none")
  expect_gte(x$longest, 30 * 3600)
})
