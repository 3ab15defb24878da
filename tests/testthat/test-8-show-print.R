sample_job <- function() {
  project <- read_project(demo_file())
  render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
}
sample_forecast <- function() {
  job <- sample_job()
  forecast_job(plan_options(job, read_project(demo_file())$sites), draws = 100)
}

test_that("a stale card is doubted under the forecast, in the figure's caption, and in the report's unknowns", {
  project <- read_project(demo_file())
  project$sites$quayside$as_of <- as.Date("2025-02-01")
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  forecast <- forecast_job(plan_options(job, project$sites), draws = 20)
  stale <- "quayside: its prices are of 2025-02-01"
  expect_match(clockpigeon:::forecast_lines(forecast, 200), stale, all = FALSE)
  expect_match(clockpigeon:::figure_basis(forecast), stale)
  expect_match(clockpigeon:::unknown_words(forecast), stale, all = FALSE)
})

test_that("a comparison says factor, interval and verdict, and that samples are samples", {
  x <- example_timings()
  found <- compare_timings(x[x$engine == "sundew", ], "engine_version")
  for (width in c(60, 200)) {
    text <- gsub("\\s+", " ", paste(clockpigeon:::comparison_lines(found, width), collapse = " "))
    for (
      part in c("Compared by engine version: ratio = old time / new time, with its 95 % interval",
                paste(
                  "Throughout: left out: 18 timings without a partner; sample data, invented; chance adjusted",
                  "for 3 scenes"),
                "sundew: 4.2 \\(new\\) against 4.1 \\(old\\) gears", "total work.*faster"))
                  expect_match(text, part)
  }
  # The answer first, and the other way round where the new one is slower.
  expect_match(clockpigeon:::comparison_lines(found, 200)[1], paste(
    "^sundew: 4.2 is [0-9.]+ times as fast as 4.1 over all scenes .95 %: [0-9.]+ to [0-9.]+.[.]$"))
  back <- found
  back$ratio <- 1 / found$ratio
  back[c("lower", "upper")] <- list(1 / found$upper, 1 / found$lower)
  back$verdict <- "slower"
  expect_identical(clockpigeon:::comparison_answer(back),
                   gsub("as fast as", "as slow as", clockpigeon:::comparison_answer(found)))
  both <- clockpigeon:::comparison_lines(compare_timings(x, "engine_version"), width = 200)
  expect_length(grep("^Throughout: sample data, invented", both), 1)
  expect_length(
    grep("^millrace: 2.1 .new. against 2.0 .old.; left out: 16 timings without a partner$", both),
    1)
})

test_that("a forecast says its evidence, its draws and its exchange rate", {
  text <- paste(clockpigeon:::forecast_lines(sample_forecast(), width = 300), collapse = "\n")
  for (part in c("720 frames with sundew 4.2", "100 draws", "sample data, invented", "cost, EUR",
                 "loft-1 = 1: attic 1.71, measured (2 trial frames there)",
                 "1 GBP = 1.1485 EUR on 2026-11-02")) expect_match(text, part, fixed = TRUE)
})

test_that("a choice marks the pick, and prints at any width", {
  choice <- choose_option(sample_forecast(), "40 h")
  for (width in c(60, 80, 200)) {
    lines <- clockpigeon:::choice_lines(choice, width)
    expect_length(grep(paste0("^>  ", choice$pick), lines), 1)
    expect_false(any(grepl("^ +option.*budget", lines)))
  }
  expect_output(print(choice), "Plan      Render all 720 frames at", fixed = TRUE)
  none <- choose_option(sample_forecast(), "1 s")
  expect_output(print(none), "No plan keeps your limits.*a\\s+deadline .* later\\s+would\\s+admit")
})

test_that("every print method returns its object invisibly and has a header", {
  ledger <- memory_ledger()
  for (x in list(sample_job(), frame_curve(1, 2, 1:3), ledger, sample_forecast())) {
    shown <- capture.output(back <- withVisible(print(x)))
    expect_false(back$visible)
    expect_identical(back$value, x)
    expect_match(shown[1], "^(Job|Frame curve|Ledger|Cheapest)")
  }
})
