test_that("an option fits when both chances reach the confidence; the pick is the cheapest that fits", {
  x <- choose_option(given_forecast(finish, cost), deadline = "160 s", budget = "5 EUR")
  expect_identical(x$pick, "middle")
  expect_identical(x$options$fits, c(FALSE, TRUE, FALSE))
  expect_equal(x$options$p_deadline, c(0.8, 1, 1))
  expect_equal(x$options$p_budget, c(1, 0.9, 0))
  expect_equal(x$options$late_s, c(140, 0, 0))
  expect_equal(x$options$over, c(0, 0, 2))
  expect_identical(choose_option(given_forecast(finish, cost), 160, 5, confidence = 0.8)$pick, "cheap")
  expect_identical(choose_option(given_forecast(finish, cost), 160, 8, prefer = "fastest")$pick, "dear")
})

test_that("the distance is the smallest change that lets an option in", {
  f <- given_forecast(finish, cost)
  x <- choose_option(f, 160, 5)
  expect_true(choose_option(f, 160 + x$options$late_s[1], 5)$options$fits[1])
  expect_false(choose_option(f, 160 + x$options$late_s[1] - 1e-6, 5)$options$fits[1])
  expect_true(choose_option(f, 160, 5 + x$options$over[3])$options$fits[3])
  expect_false(choose_option(f, 160, 5 + x$options$over[3] - 1e-6)$options$fits[3])
})

test_that("no deadline and no budget let everything in; none fits is NA", {
  expect_true(all(choose_option(given_forecast(finish, cost))$options$fits))
  expect_true(is.na(choose_option(given_forecast(finish, cost), "10 s")$pick))
  expect_identical(choose_option(given_forecast(finish, cost))$options$non_dominated, c(TRUE, FALSE, TRUE))
})

test_that("choose_option validates its inputs", {
  f <- given_forecast(finish, cost)
  expect_refusal(choose_option(f, "8.20"), "duration", "8m20s")
  expect_refusal(choose_option(f, "1 h", "5 GBP"), "currency", c("GBP", "EUR"))
  expect_refusal(choose_option(f, "1 h", 5, confidence = 90), "type", "confidence")
  expect_refusal(choose_option(f, -1), "type", "deadline")
  expect_refusal(choose_option(f, prefer = "best"), "choice", "cheapest or fastest")
  expect_refusal(choose_option(list()), "type", "forecast_job()")
})
