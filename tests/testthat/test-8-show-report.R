skip_if_not_installed("rmarkdown")
skip_if(!rmarkdown::pandoc_available("1.12.3"))

sample_choice <- function(...) {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  choose_option(forecast_job(plan_options(job, project$sites), draws = 100), ...)
}

test_that("the page is self-contained and says question, choice, options, evidence and what is not known", {
  path <- file.path(scratch(), "r.html")
  x <- example_timings()
  choice <- sample_choice(deadline = "40 h", budget = "900 EUR")
  report(choice, path, compare_timings(x[x$engine == "sundew", ], "engine_version"))
  page <- paste(readLines(path, warn = FALSE), collapse = "\n")
  for (part in c("The question", "The choice", "The options", "The evidence", "What is not known", choice$pick,
                 "Sample data, invented", "alt=\"Cost against finish time", "data:image/png")) {
    expect_match(page, part, fixed = TRUE)
  }
  expect_false(grepl("(src|href)=\"(http|/|[a-z]+/)", page))
})

test_that("what is not known follows from the evidence", {
  facts <- clockpigeon:::report_facts(sample_choice())
  expect_true(any(grepl("sample data, invented", facts$unknown)))
  expect_false(any(grepl("claim", facts$unknown)))
  expect_match(facts$question, "720 frames of gears with sundew 4.2")
  expect_identical(nrow(facts$others), nrow(facts$options) - 1L)
})

test_that("report validates its inputs and leaves nothing half-done", {
  expect_refusal(report(1), "type", "choose_option()")
  expect_refusal(report(sample_choice(), "/no/such/folder/r.html"), "file", "/no/such/folder")
})
