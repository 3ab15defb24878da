test_that("the answer is said in the order in which it is asked, by the clock of the project", {
  x <- pair_of_sites("300 s", draws = 100)
  said <- clockpigeon:::answer_words(x)
  expect_identical(names(said), c("do", "done", "cost", "rests", "risk", "first"))
  expect_match(said[["done"]], "^12:0[0-9]:[0-9]{2} .*On time: [0-9]+ %")
  expect_match(said[["cost"]], "EUR on average")
  expect_match(said[["rests"]], "Speeds .*slow")
})

test_that("times are as exact as their distance", {
  scenario <- list(now = as.POSIXct("2026-11-24 12:00", tz = "UTC"), time_zone = "UTC")
  at <- function(...) clockpigeon:::by_clock(c(...), scenario)
  expect_identical(at(90), "12:01:30")
  expect_identical(at(7200, Inf), c("Tue 14:00", "never"))
  expect_identical(at(8 * 86400), "Wed 02 Dec 12:00")
  scenario$time_zone <- NULL
  expect_identical(at(7200), "Tue 14:00")
})

test_that("the rows are the plan, what else fits, then the nearest misses, in the order of the rule", {
  x <- choose_option(given_forecast(finish, cost), 160, 5)
  rows <- clockpigeon:::answer_rows(x)
  expect_identical(rows$what, c("middle", "cheap", "dear"))
  expect_identical(rows$mark, c(">", " ", " "))
  expect_match(clockpigeon:::answer_title(x), "^middle: done .* EUR, 90 % likely$")
})

test_that("the fallback is said as it is to be carried out", {
  plan <- list(look = list(at_s = 3600, fewer = 12, of = 60),
               rescue = list(option = "quick t, 1 node"))
  scenario <- list(now = as.POSIXct("2026-11-24 12:00", tz = "UTC"), time_zone = "UTC")
  expect_identical(clockpigeon:::policy_words(plan, scenario),
                   paste(
                     "Checkpoint Tue 13:00: with fewer than 12 frames finished, send the rest to",
                     "quick t, 1 node."))
})
