gears_scenario <- function(learned = NULL) {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  plan_options(job, project$sites, only = "saltmill", learned = learned)
}
correction <- function(bias = log(1.5), width = 1, what = "finish_s", known = NULL, jobs = 6L) {
  options <- gears_scenario()$options
  known <- if (is.null(known)) clockpigeon:::speed_known(options$evidence)[1] else known
  data.frame(site = "saltmill", tier = unique(options$tier), known = known, what = what, bias = bias, width = width,
             jobs = jobs, inside = 4L, changed = NA_integer_)
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
  expect_identical(rank(wide$cost[one], ties.method = "min") <= 100, rank(plain$cost[one], ties.method = "min") <= 100)
  # What was learned while a speed was only said is nothing to one that was measured.
  other <- as.data.frame(forecast_job(gears_scenario(correction(known = "said")), draws = 200)$draws)
  expect_identical(other$finish_s, plain$finish_s)
})

test_that("what never ends and what costs nothing stays so, and a correction can be taken back", {
  fix <- list(bias = 0.3, width = 1.4)
  x <- c(0, Inf, 10, 20, 40)
  expect_equal(clockpigeon:::corrected(x, fix)[1:2], c(1, 1))
  y <- log(c(10, 20, 40))
  moved <- y + log(clockpigeon:::corrected(exp(y), fix))
  expect_equal(clockpigeon:::uncorrected(moved, stats::median(moved), fix), y)
  expect_identical(clockpigeon:::corrected(x, NULL), rep(1, 5))
})

test_that("a choice says what it learned, and its record keeps it for placing and watching", {
  forecast <- forecast_job(gears_scenario(rbind(correction(), correction(0.2, 1.3, "cost"))), draws = 100)
  said <- clockpigeon:::learned_words(forecast$scenario)
  expect_match(said, "saltmill: time times 1.5 \\(2 of 6 jobs ended outside\\)", perl = TRUE)
  expect_match(said, "ranges widened by 1.3", fixed = TRUE)
  expect_match(said, "--as-is", fixed = TRUE)
  expect_null(clockpigeon:::learned_words(gears_scenario()))
  expect_null(clockpigeon:::learned_words(forecast$scenario, "attic"))
  expect_match(clockpigeon:::answer_words(choose_option(forecast, "40 h"))[["rests"]], "Learned from past jobs")
  ledger <- open_ledger(":memory:")
  withr::defer(close_ledger(ledger))
  record_job(ledger, choose_option(forecast, "40 h"), "night")
  kept <- clockpigeon:::decided_learned(clockpigeon:::job_decision(ledger, "night"))
  expect_equal(kept$bias, forecast$scenario$corrections$bias)
  expect_identical(names(kept), clockpigeon:::correction_columns)
  expect_refusal(gears_scenario("yes"), "type", "learned()")
})
