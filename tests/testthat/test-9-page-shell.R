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
