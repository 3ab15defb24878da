skip_if_not_installed("htmltools")
skip_if_not(capabilities("cairo"))

sample_choice <- function(...) {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  choose_option(forecast_job(plan_options(job, project$sites), draws = 100), ...)
}
page_of <- function(path) paste(readLines(path, warn = FALSE), collapse = "\n")

test_that("the page is self-contained and says question, answer, plan, options, evidence and what is not known", {
  path <- file.path(scratch(), "r.html")
  x <- example_timings()
  choice <- sample_choice(deadline = "40 h", budget = "900 EUR")
  report(choice, path, compare_timings(x[x$engine == "sundew", ], "engine_version"),
         title = "<b>A film</b>")
  page <- page_of(path)
  for (part in c("The plan", "The options", "The evidence", "Unknown", "To make it again",
                 choice$pick, "Invented sample data", "alt=\"Cost against finish time",
                 "data:image/svg", "&lt;b&gt;A film", "@page { size: A4", "Versions of the engine"))
                   {
      expect_match(page, part, fixed = TRUE)
    }
  for (text in clockpigeon:::answer_words(choice))
    expect_match(page, htmltools::htmlEscape(text), fixed = TRUE)
  # Nothing is fetched from anywhere, and nothing runs.
  expect_no_match(page, "(src|href)=\"(http|/|[a-z]+/)|<script|@import|url\\(")
  # What a producer needs comes before the rest.
  first <- regexpr("class=\"lead\"", page)
  expect_lt(regexpr("alt=\"Cost against finish time", page), regexpr("The plan<", page))
  expect_lt(first, regexpr("<img", page))
})

test_that("a plan with a fallback says when to look and what is done then", {
  facts <- clockpigeon:::report_facts(sample_choice())
  expect_true(all(c("Part", "Frames", "Count") %in% names(facts$parts)))
  expect_true(any(grepl("seed 1", facts$record)))
  facts[c("title", "policy")] <-
    list("A film", "Look at 12:00: with fewer than 9 frames send the rest.")
  page <- as.character(clockpigeon:::report_page(facts, list()))
  expect_match(page, "Look at 12:00: with fewer than 9 frames", fixed = TRUE)
  expect_no_match(page, "<img")
})

test_that("what is not known follows from the evidence", {
  facts <- clockpigeon:::report_facts(sample_choice())
  expect_true(any(grepl("sample data, invented", facts$unknown)))
  expect_false(any(grepl("claim", facts$unknown)))
  expect_match(facts$question, "^gears with sundew 4.2: 720 frames, no deadline")
  expect_identical(nrow(facts$others), nrow(facts$options) - 1L)
})

test_that("of a job that was settled it says what was promised and what became of it", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-8")
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  settled <- settle_job(x$project, x$ledger, "review-1")
  path <- file.path(scratch(), "r.html")
  report(sample_choice(), path, settled = settled)
  page <- page_of(path)
  expect_match(page, "Promise and outcome of job review-1", fixed = TRUE)
  expect_match(page, htmltools::htmlEscape(clockpigeon:::settle_head(settled)), fixed = TRUE)
})

test_that("report validates its inputs and leaves nothing half-done", {
  expect_refusal(report(1), "type", "choose_option()")
  expect_refusal(report(sample_choice(), "/no/such/folder/r.html"), "file", "/no/such/folder")
  expect_refusal(report(sample_choice(), settled = 1), "type", "settle_job()")
})
