test_that("facts with other draws of one option have its medians, and leave the others alone", {
  facts <- clockpigeon:::option_facts(given_forecast(finish, cost))
  now <- clockpigeon:::with_draws(facts, 2, list(finish_s = rep(20, 10), cost = c(rep(4, 9), 9)))
  expect_equal(now$table$finish_p50, c(100, 20, 50))
  expect_equal(now$table$cost_p50, c(1, 4, 7))
  expect_identical(now$draws[-2], facts$draws[-2])
})

test_that("the leading options are the pick, then what nothing beats, the cheapest first", {
  x <- choose_option(given_forecast(finish, cost), 160, 5)
  expect_identical(x$options$option[clockpigeon:::leading_options(x)], c("middle", "cheap", "dear"))
  none <- choose_option(given_forecast(finish, cost), 60, 5)
  # dear is in time and 2.00 over; middle and cheap are late within the budget, middle by less.
  expect_identical(none$options$option[clockpigeon:::leading_options(none)][1], "middle")
})
