test_that("a figure made in R stands in the page with its numbers, as texts", {
  skip_if_not_installed("shiny")
  x <- list(src = "data:image/svg+xml;base64,AA==", alt = "Two <points>", width = 10, height = 5,
            rows = list(c("at", "who"), list(1, "<b>")))
  html <- as.character(clockpigeon:::page_picture("points", "Points", x))
  expect_match(html, "data-kind=\"csv\"", fixed = TRUE)
  expect_match(html, "data-of=\"points\"", fixed = TRUE)
  expect_no_match(html, "<b>|<points>")
  expect_null(clockpigeon:::page_picture("points", "Points", NULL))
})

test_that("a decision has its stages and its lines of cost as figures, and none where nothing can be done", {
  skip_if_not(capabilities("cairo"))
  forecast <- forecast_job(plan_options(x_job(), read_project(demo_file())$sites), draws = 100)
  made <- clockpigeon:::decided_figures(choose_option(forecast, "40 h"))
  expect_match(made$timeline$src, "^data:image/svg")
  expect_match(made$cost$alt, ".")
  expect_null(clockpigeon:::decided_figures(list(pick = NA)))
})
