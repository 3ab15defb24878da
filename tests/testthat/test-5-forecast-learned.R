gears_scenario <- function(learned = NULL) {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  plan_options(job, project$sites, only = "saltmill", learned = learned)
}
correction <- function(bias = log(1.5), width = 1, what = "finish_s", known = NULL, jobs = 6L) {
  options <- gears_scenario()$options
  known <- if (is.null(known)) clockpigeon:::speed_known(options$evidence)[1] else known
  data.frame(site = "saltmill", tier = unique(options$tier), known = known, what = what,
             hours = NA_character_, bias = bias, width = width, jobs = jobs, inside = 4L,
             changed = NA_integer_)
}

test_that("draws are moved and widened about their median, stages with them, and ranks stay", {
  plain <- as.data.frame(forecast_job(gears_scenario(), draws = 200)$draws)
  moved <- as.data.frame(forecast_job(gears_scenario(correction()), draws = 200)$draws)
  expect_equal(moved$finish_s, plain$finish_s * 1.5)
  expect_equal(moved$render_s, plain$render_s * 1.5)
  expect_identical(moved$cost, plain$cost)
  wide <- as.data.frame(forecast_job(gears_scenario(correction(0, 2, "cost")), draws = 200)$draws)
  one <- plain$option == plain$option[1]
  sd_of <- function(x) stats::sd(log(x$cost[one]))
  expect_equal(sd_of(wide), 2 * sd_of(plain), tolerance = 0.01)
  expect_equal(stats::median(wide$cost[one]), stats::median(plain$cost[one]), tolerance = 0.01)
  expect_identical(rank(wide$cost[one], ties.method = "min") <= 100,
                   rank(plain$cost[one], ties.method = "min") <= 100)
  # What was learned while a speed was only said is nothing to one that was measured.
  other <- as.data.frame(forecast_job(gears_scenario(correction(known = "said")),
                                      draws = 200)$draws)
  expect_identical(other$finish_s, plain$finish_s)
})

test_that("what never ends and what costs nothing stays so", {
  x <- c(0, Inf, 10, 20, 40)
  moved <- clockpigeon:::correct_draws(x, list(bias = 0.3, width = 1.4))
  expect_equal(moved, c(1, 1, exp(0.3 + 0.4 * log(10 / 20)), exp(0.3),
                        exp(0.3 + 0.4 * log(40 / 20))))
  expect_identical(clockpigeon:::correct_draws(x, NULL), rep(1, 5))
})

test_that("queue, start, link and failing runs are corrected each by itself, a queue by its hours", {
  stage <- function(what, bias, width = 1, hours = NA) {
    data.frame(site = "saltmill", tier = "brisk", known = NA, what = what, hours = hours,
               bias = bias, width = width, jobs = 5L, inside = 4L, changed = NA)
  }
  forecast <- function(fix, now = as.POSIXct("2026-11-25 20:00", tz = "UTC")) {
    project <- read_project(demo_file())
    job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
    as.data.frame(forecast_job(plan_options(job, project$sites,
                                            only = c("saltmill", "brisk", "nodes=10"), now = now,
                                            learned = fix), draws = 400)$draws)
  }
  plain <- forecast(NULL)
  queue <- forecast(stage("wait_s", log(3), hours = c("0 to 6", "18 to 24")[2]))
  expect_equal(queue$wait_s, 3 * plain$wait_s, tolerance = 1e-4)
  expect_equal(queue$finish_s - plain$finish_s, 2 * plain$wait_s, tolerance = 1e-3)
  expect_equal(queue$cost, plain$cost)
  # In other hours the queue is another.
  expect_equal(forecast(stage("wait_s", log(3), hours = "6 to 12")), plain)
  start <- forecast(stage("start_s", log(2)))
  expect_equal(start$start_s, 2 * plain$start_s, tolerance = 1e-4)
  expect_equal(forecast(stage("upload_s", log(2)))$upload_s, 2 * plain$upload_s, tolerance = 1e-4)
  wide <- forecast(stage("wait_s", 0, 2, "18 to 24"))
  expect_equal(stats::sd(log(wide$wait_s)), 2 * stats::sd(log(plain$wait_s)), tolerance = 1e-3)
  failing <- forecast(stage("failed", log(0.2)))
  # A fifth of the runs fails after half of its time on the mean, and runs again: a quarter more
  # runs of that kind.
  expect_equal(mean(failing$cost) / mean(plain$cost), 1 + 0.5 * 0.2 / 0.8, tolerance = 0.05)
})

test_that("what a plan does at its look is corrected too: it is halted so much earlier in the job", {
  plain <- gears_scenario()
  longer <- gears_scenario(correction(log(2)))
  half <- stats::median(simulate_option(plain, 1, draws = 100)$draws$finish_s)
  a <- simulate_option(plain, 1, what_if(halt_s = half), draws = 100)
  b <- simulate_option(longer, 1, what_if(halt_s = 2 * half), draws = 100)
  expect_identical(a$run$begun, b$run$begun)
  expect_equal(b$draws$finish_s, 2 * a$draws$finish_s)
  fewer <- simulate_option(longer, 1, what_if(halt_s = half), draws = 100)
  expect_lt(sum(fewer$run$begun), sum(a$run$begun))
})

test_that("a choice says what it learned, and its record keeps it for placing and watching", {
  forecast <- forecast_job(gears_scenario(rbind(correction(), correction(0.2, 1.3, "cost"))),
                           draws = 100)
  said <- clockpigeon:::learned_words(forecast$scenario)
  expect_match(said, "saltmill: time times 1.5 \\(2 of 6 jobs ended outside\\)", perl = TRUE)
  expect_match(said, "ranges widened by 1.3", fixed = TRUE)
  expect_match(said, "--as-is", fixed = TRUE)
  expect_null(clockpigeon:::learned_words(gears_scenario()))
  expect_null(clockpigeon:::learned_words(forecast$scenario, "attic"))
  expect_match(clockpigeon:::answer_words(choose_option(forecast, "40 h"))[["rests"]],
               "Learned from past jobs")
  ledger <- open_ledger(":memory:")
  withr::defer(close_ledger(ledger))
  record_job(ledger, choose_option(forecast, "40 h"), "night")
  kept <- clockpigeon:::decision_corrections(clockpigeon:::job_decision(ledger, "night"))
  expect_equal(kept$bias, forecast$scenario$corrections$bias)
  expect_identical(names(kept), clockpigeon:::correction_columns)
  expect_refusal(gears_scenario("yes"), "type", "learned()")
  queue <- data.frame(site = "saltmill", tier = "brisk", known = NA,
                      what = c(rep("wait_s", 4), "failed"), hours = c(clockpigeon:::day_parts, NA),
                      bias = c(0, 0, log(c(1.5, 1.5, 0.04))), width = 1, jobs = 8L, inside = 6L,
                      changed = NA)
  said <- clockpigeon:::learned_words(list(corrections = queue))
  expect_match(said, "waiting times 1.5 from 12 to 18 and from 18 to 24 h UTC (8 jobs)",
               fixed = TRUE)
  expect_match(said, "4 % of runs fail (8 jobs)", fixed = TRUE)
})
