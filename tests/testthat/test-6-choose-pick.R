test_that("an option fits when both chances reach the confidence; the pick is the cheapest that fits", {
  x <- choose_option(given_forecast(finish, cost), deadline = "160 s", budget = "5 EUR")
  expect_identical(x$pick, "middle")
  expect_identical(x$options$fits, c(FALSE, TRUE, FALSE))
  expect_equal(x$options$p_deadline, c(0.8, 1, 1))
  expect_equal(x$options$p_budget, c(1, 0.9, 0))
  expect_equal(x$options$late_s, c(140, 0, 0))
  expect_equal(x$options$over, c(0, 0, 2))
  expect_identical(choose_option(given_forecast(finish, cost), 160, 5, confidence = 0.8)$pick,
                   "cheap")
  expect_identical(choose_option(given_forecast(finish, cost), 160, 8, rule = "fastest")$pick,
                   "dear")
})

test_that("the distance is the smallest change that lets an option in", {
  f <- given_forecast(finish, cost)
  x <- choose_option(f, 160, 5)
  expect_true(choose_option(f, 160 + x$options$late_s[1], 5)$options$fits[1])
  expect_false(choose_option(f, 160 + x$options$late_s[1] - 1e-6, 5)$options$fits[1])
  expect_true(choose_option(f, 160, 5 + x$options$over[3])$options$fits[3])
  expect_false(choose_option(f, 160, 5 + x$options$over[3] - 1e-6)$options$fits[3])
})

test_that("deadline and budget are asked of the same draws, and each alone on request", {
  # Late in two draws, dear in two others: 90 % each would do with 0.8, both together hold in 60 %.
  f <- given_forecast(cbind(a = c(rep(100, 8), 300, 310)), cbind(a = c(9, 8, rep(1, 8))))
  both <- choose_option(f, 200, 5, confidence = 0.8)
  expect_equal(both$options$p_both, 0.6)
  expect_true(is.na(both$pick))
  expect_false(both$options$both_miss)
  expect_true(choose_option(f, 200 + both$options$late_s, 5, confidence = 0.8)$options$fits)
  expect_true(choose_option(f, 200, 5 + both$options$over, confidence = 0.8)$options$fits)
  expect_match(explain(both)[["a"]],
               "on time 80 %, within budget 80 %, but both only 60 %",
               fixed = TRUE)
  expect_match(explain(both)[[1]], "more budget would admit a")
  expect_identical(choose_option(f, 200, 5, confidence = 0.8, together = FALSE)$pick, "a")
})

test_that("no deadline and no budget let everything in; none fits is NA", {
  expect_true(all(choose_option(given_forecast(finish, cost))$options$fits))
  expect_true(is.na(choose_option(given_forecast(finish, cost), "10 s")$pick))
  expect_identical(choose_option(given_forecast(finish, cost))$options$non_dominated,
                   c(TRUE, FALSE, TRUE))
})

test_that("choose_option validates its inputs", {
  f <- given_forecast(finish, cost)
  expect_refusal(choose_option(f, "8.20"), "duration", "8m20s")
  expect_refusal(choose_option(f, "1 h", "5 GBP"), "rates", c("GBP", "EUR"))
  expect_refusal(choose_option(f, "fri 18:00"), "deadline", "no time zone")
  expect_refusal(choose_option(f, "2026-11-01 18:00 Europe/Lisbon"), "deadline", "has passed")
  expect_refusal(choose_option(f, "1 h", 5, confidence = 90), "type", "confidence")
  expect_refusal(choose_option(f, -1), "type", "deadline")
  expect_refusal(choose_option(f, rule = "dearest"), "choice", "cheapest, fastest or best")
  expect_refusal(choose_option(list()), "type", "forecast_job()")
})

test_that("a budget in another currency is converted by the rates", {
  f <- given_forecast(finish, cost)
  f$scenario$jobs[[1]]$rates <- data.frame(date = "2026-11-02", from = "GBP", to = "EUR",
                                           rate = 1.2, source = "x")
  expect_equal(choose_option(f, budget = "5 GBP")$budget, 6)
})

test_that("the best is the least noisy that fits; of equals the cheapest; quality counts for what is dominated", {
  f <- given_forecast(finish, cost, noise = c(1, 2, 1))
  expect_identical(choose_option(f, 400, 8, rule = "best")$pick, "cheap")
  f$scenario$options$noise <- c(2, 1.5, 1)
  expect_identical(choose_option(f, 400, 8, rule = "best")$pick, "dear")
  expect_identical(choose_option(f)$options$non_dominated, c(TRUE, TRUE, TRUE))
  f$scenario$options$noise <- c(NA, 1, 2)
  expect_identical(choose_option(f, 400, 8, rule = "best")$pick, "middle")
})

test_that("draws that never finish are no success, and their frames are paid for", {
  f <- given_forecast(cbind(a = c(rep(100, 5), rep(Inf, 5)), b = rep(200, 10)),
                      cbind(a = rep(1, 10), b = rep(3, 10)))
  x <- choose_option(f, budget = 5)
  expect_identical(x$pick, "b")
  expect_equal(x$options$p_deadline, c(0.5, 1))
  expect_identical(x$options$late_s, c(Inf, 0))
  # 10 EUR for 5 x 10 + 5 x 4 frames; all 10 frames at that price
  expect_equal(x$options$cost_per_usable[1], 10 / 70)
  expect_equal(x$options$cost_whole[1], 10 / 70 * 10)
  expect_match(explain(x)[["a"]], "does not finish: only 50 % of draws do")
  expect_match(explain(x)[["a"]], "70 % of the frames are usable")
})

test_that("chances carry the error that so many draws leave, and near misses are said to be near", {
  many <- given_forecast(cbind(a = c(rep(1, 899), rep(9, 101))), cbind(a = rep(1, 1000)))
  x <- choose_option(many, 5)
  expect_equal(x$options$p_deadline_se, sqrt(0.899 * 0.101 / 1000))
  expect_true(x$options$close)
  expect_false(x$options$fits)
  expect_false(choose_option(many, 5, confidence = 0.7)$options$close)
})

test_that("a rate card that changed since the forecast is told", {
  job <- exact_job(10)
  site <- exact_site()
  forecast <- forecast_job(plan_options(job, site), draws = 20)
  expect_identical(choose_option(forecast)$stale, character())
  path <- attr(site, "path")
  writeLines(sub("3.6 EUR", "4.6 EUR", readLines(path)), path)
  x <- choose_option(forecast)
  expect_identical(x$stale, "x")
  expect_match(paste(trimws(clockpigeon:::choice_lines(x)), collapse = " "), "changed since the forecast")
})

test_that("no eligible site is an error that names each reason", {
  expect_refusal(plan_options(exact_job(10),
                              read_project(demo_file())$sites[c("attic", "quayside")]), "option",
                 c("no site can do this job", "attic does not run e", "quayside"))
})

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
