test_that("the pick comes first, and each other option says why and by how much", {
  text <- explain(choose_option(given_forecast(finish, cost), 160, 5))
  expect_identical(names(text), c("middle", "cheap", "dear"))
  expect_match(text[["middle"]],
               paste(
                 "the cheapest that fits (90 % (+-19.0) within deadline and budget);",
                 "median 2m30s and 2.00 EUR"), fixed = TRUE)
  each <- explain(choose_option(given_forecast(finish, cost), 160, 5, together = FALSE))
  expect_match(each[["middle"]],
               paste(
    "(100 % on time, 90 % (+-19.0) within budget,",
    "90 % (+-19.0) both)"), fixed = TRUE)
  expect_match(text[["cheap"]],
               "too late: on time 80 % (required: 90 %); would fit with 2m20s more time",
               fixed = TRUE)
  expect_match(text[["dear"]],
               "too expensive: within budget 0 % (required: 90 %); would fit with 2.00 EUR more budget",
               fixed = TRUE)
  expect_match(explain(choose_option(given_forecast(finish, cost), 400))[["dear"]],
               "6.00 EUR more and 50.0s sooner than the pick")
})

test_that("when none fits, the smallest change of money and of time is named", {
  text <- explain(choose_option(given_forecast(finish, cost), 60, 5))
  expect_identical(names(text)[1], "no option fits")
  expect_match(text[[1]], "2.00 EUR more budget would admit dear", fixed = TRUE)
  expect_match(text[[1]], "a deadline 1m30s later would admit middle", fixed = TRUE)
  expect_refusal(explain(1), "type")
})

test_that("shares next to 0 and 1 keep a decimal", {
  expect_identical(clockpigeon:::format_percent(c(0, 0.004, 0.5, 0.994, 1, NA)),
                   c("0 %", "0.4 %", "50 %", "99.4 %", "100 %", "unknown"))
})

test_that("the pick's time and cost are explained with figures that follow from each other", {
  job <- exact_job(30, frames = 60L)
  options <- plan_options(job, exact_site(), only = "nodes=5",
                          now = as.POSIXct("2026-11-24 12:00", tz = "UTC"))
  options <- with_options(options, log_speed = log(2), speed_se = 0)
  text <- explain(choose_option(forecast_job(options, draws = 50), "1 h"))
  expect_identical(names(text), c("x t, 5 nodes", "time", "cost", "evidence"))
  expect_match(text[["time"]],
               "60 frames at 15.0s each on a node there (30.0s on n, divided by a speed of 2.00) are 15m00s",
               fixed = TRUE)
  expect_match(text[["time"]], "so 3m00s on 5 nodes", fixed = TRUE)
  expect_match(text[["cost"]], "0.25 node-hours; rendering, tier t 0.90 EUR: 0.90 EUR",
               fixed = TRUE)
  expect_match(text[["evidence"]], "speed measured", fixed = TRUE)
})
