test_that("facts with other draws of one option have its medians, and leave the others alone", {
  facts <- clockpigeon:::option_facts(given_forecast(finish, cost))
  now <- clockpigeon:::with_draws(facts, 2, list(finish_s = rep(20, 10), cost = c(rep(4, 9), 9)))
  expect_equal(now$table$finish_p50, c(100, 20, 50))
  expect_equal(now$table$cost_p50, c(1, 4, 7))
  expect_equal(now$table$cost_mean, c(1, 4.5, 7))
  expect_identical(now$draws[-2], facts$draws[-2])
})

test_that("the leading options are the pick, then what nothing beats, the cheapest first", {
  x <- choose_option(given_forecast(finish, cost), 160, 5)
  expect_identical(x$options$option[clockpigeon:::leading_options(x)], c("middle", "cheap", "dear"))
  none <- choose_option(given_forecast(finish, cost), 60, 5)
  # dear is in time and 2.00 over; middle and cheap are late within the budget, middle by less.
  expect_identical(none$options$option[clockpigeon:::leading_options(none)][1], "middle")
})

test_that("counting draws says of every option what the distances say, together or each alone", {
  set.seed(11)
  for (turn in 1:60) {
    draws <- lapply(1:12, function(i) {
      d <- list(finish_s = exp(rnorm(200, runif(1, 8, 10), 0.5)),
                cost = exp(rnorm(200, runif(1, 2, 4), 0.5)))
      if (runif(1) < 0.3) d$finish_s[sample(200, sample(60, 1))] <- Inf
      d
    })
    asked <- list(deadline_s = sample(c(exp(runif(1, 8, 10)), Inf), 1),
                  budget = sample(c(exp(runif(1, 2, 4)), Inf), 1),
                  confidence = sample(c(0.5, 0.9, 0.95), 1), rule = "cheapest",
                  together = runif(1) < 0.6)
    table <- data.frame(option = paste("o", 1:12), noise = 1, finish_p50 = 1:12, cost_p50 = 12:1,
                        cost_mean = 12:1, own = FALSE)
    facts <- list(table = table, draws = draws)
    expect_identical(judge_options(facts, asked, distances = FALSE)[["fits"]],
                     judge_options(facts, asked)[["fits"]])
  }
})
