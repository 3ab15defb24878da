test_that("the inputs stand for a question; a range at its end asks nothing", {
  made <- list(forecast = 1)
  input <- list(deadline = 3600, budget = "none", confidence = 0.8, rule = "fastest", each = TRUE,
                without = c("b", "a"))
  asked <- clockpigeon:::page_request(input, made)
  expect_identical(asked$question,
                   list(deadline_s = 3600, budget = Inf, confidence = 0.8, rule = "fastest",
                        together = FALSE))
  expect_identical(asked$kept, list(only = character(), without = c("a", "b"), noise = Inf))
  pinned <- utils::modifyList(input, list(only = "saltmill", nodes = "nodes=10", noise = 1.2))
  expect_identical(clockpigeon:::page_request(pinned, made)$kept$only, c("nodes=10", "saltmill"))
  expect_identical(clockpigeon:::page_request(pinned, made)$kept$noise, 1.2)
  expect_null(clockpigeon:::page_request(input, NULL))
  expect_refusal(clockpigeon:::page_request(utils::modifyList(input, list(rule = "dearest")), made),
                 "choice", "cheapest")
})

test_that("the browser gets each option's draws as whole minor units, and what it begins with", {
  forecast <- forecast_job(plan_options(x_job(), read_project(demo_file())$sites), draws = 100)
  asked <- clockpigeon:::question_of(forecast, "30 h", NULL, 0.9, "cheapest", TRUE)
  x <- clockpigeon:::page_facts(forecast, asked)
  finish <- readBin(openssl::base64_decode(x$finish), "numeric", 1e6, size = 8, endian = "little")
  expect_length(finish, 100 * length(x$options))
  expect_identical(finish, forecast$draws$finish_s)
  cost <- readBin(openssl::base64_decode(x$cost), "numeric", 1e6, size = 8, endian = "little")
  expect_identical(cost, round(100 * forecast$draws$cost))
  expect_identical(x$digits, 2L)
  expect_identical(as.character(x$options), forecast$scenario$options$option)
  expect_identical(x$asked$budget, "none")
  expect_gte(x$longest, 30 * 3600)
})

test_that("R and the browser keep a budget alike, to the minor unit", {
  # The same cases run in the browser (tests/page/page.mjs).
  cases <- jsonlite::read_json(test_path("fixtures", "budget-cases.json"))
  for (case in cases) {
    cost <- clockpigeon:::from_minor(case$minor, case$currency)
    most <- clockpigeon:::whole_budget(case$budget, case$currency)
    expect_identical(cost <= most, case$kept, info = paste(case$minor, case$budget, case$currency))
  }
  expect_identical(clockpigeon:::whole_budget(Inf, "EUR"), Inf)
})
