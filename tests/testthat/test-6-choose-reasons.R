codes_of <- function(x, option) x$reasons$code[x$reasons$option == option]

test_that("each option has codes with the numbers that the sentences are made of", {
  x <- choose_option(given_forecast(finish, cost), 160, 5)
  expect_identical(codes_of(x, "middle"), "pick")
  expect_identical(codes_of(x, "cheap"), "late")
  expect_identical(codes_of(x, "dear"), "dear")
  late <- x$reasons[x$reasons$code == "late", ]
  expect_equal(c(late$share, late$seconds), c(0.8, 140))
  dear <- x$reasons[x$reasons$code == "dear", ]
  expect_equal(c(dear$share, dear$money), c(0, 2))
  both <- choose_option(given_forecast(finish, cost), 40, 0.5)
  expect_identical(codes_of(both, "cheap"), c("late", "dear"))
  apart <- given_forecast(cbind(a = c(rep(100, 8), 300, 310)), cbind(a = c(9, 8, rep(1, 8))))
  expect_identical(codes_of(choose_option(apart, 200, 5, confidence = 0.8), "a"), "not_both")
  endless <- given_forecast(cbind(a = c(rep(100, 5), rep(Inf, 5))), cbind(a = rep(1, 10)))
  expect_identical(codes_of(choose_option(endless), "a"), "unfinished")
})

test_that("a pick that rests on a claim, and a card that changed, are warnings by code", {
  x <- given_forecast(finish, cost)
  x$scenario$options$evidence <- "claimed"
  expect_identical(choose_option(x, 160, 5)$warnings$code, "claimed_speed")
  expect_identical(nrow(choose_option(given_forecast(finish, cost), 160, 5)$warnings), 0L)
  choice <- choose_option(x)
  stale <- clockpigeon:::warnings_of(as.data.frame(choice$options), choice$plan, "x")
  expect_identical(stale$code[1], "stale_card")
})

test_that("every code has its words", {
  x <- choose_option(given_forecast(finish, cost), 160, 5)
  expect_identical(setdiff(x$reasons$code, names(clockpigeon:::reason_words)), character())
})
