test_that("a view is told from its address, and an address brings back what it is of", {
  skip_if_not_installed("shiny")
  expect_identical(clockpigeon:::asked_view("?view=running&job=a"), "running")
  expect_identical(clockpigeon:::asked_view("?view=elsewhere"), "decide")
  expect_identical(clockpigeon:::asked_view(NULL), "decide")
  address <- clockpigeon:::view_address("after", job = "cut&run 1%")
  expect_identical(clockpigeon:::asked_of_view(sub("^/", "", address), "job"), "cut&run 1%")
  expect_null(clockpigeon:::asked_of_view("?view=after", "job"))
})

test_that("texts of a view are texts, and its head has all views", {
  skip_if_not_installed("bslib")
  bad <- "<img onerror=alert(1)>"
  said <- as.character(clockpigeon:::answer_block(bad, c(Do = bad), bad))
  listed <- as.character(clockpigeon:::page_choices("sites", "site", c(bad, "b"), "b", c(bad, "x")))
  page <- as.character(clockpigeon:::page_shell(bad, "sites", NULL))
  for (text in c(said, listed, page)) expect_no_match(text, "<img", fixed = TRUE)
  expect_match(listed, "aria-current=\"true\">b", fixed = TRUE)
  for (view in names(clockpigeon:::page_views))
    expect_match(page, paste0("?view=", view), fixed = TRUE)
  expect_match(page, "aria-current=\"page\">Sites", fixed = TRUE)
})

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
