asked_of_table <- function(search = "", order = list(), start = 0, length = 15) {
  list(draw = "3", search = list(value = search), order = order, start = start, length = length)
}

test_that("the table finds, orders and pages as going through all rows would", {
  x <- withr::with_seed(5, data.frame(
    scene = factor(sample(c("gears", "basin", "Gearbox", NA), 400, TRUE)),
    engine = sample(c("pebble", "sundew"), 400, TRUE),
    seconds = round(stats::rexp(400), 3), note = sample(c("a<b", "plain"), 400, TRUE)
  ))
  text <- apply(vapply(x, function(v) ifelse(is.na(v), "", as.character(v)), character(400)), 1,
                paste, collapse = "\n")
  words <- c("gear sun", "", "pebble", "0.1", "nothing here", "A<B  basin")
  for (search in words) {
    hit <- Reduce(`&`, lapply(strsplit(trimws(search), " +")[[1]],
                              function(w) grepl(tolower(w), tolower(text), fixed = TRUE)),
                  rep(TRUE, 400))
    got <- clockpigeon:::table_answer(x, asked_of_table(search, list(list(column = "2",
                                                                          dir = "desc")), 5, 10))
    expect_identical(got$recordsFiltered, sum(hit))
    want <- which(hit)[order(-x$seconds[hit])]
    expect_identical(got$DT_rows_current, utils::head(utils::tail(want, -5), 10))
  }
  expect_identical(got$draw, 3L)
  first <- clockpigeon:::table_answer(x, asked_of_table("a<b", length = 1))
  expect_identical(first$data[[1]][[4]], "a&lt;b")
  expect_length(clockpigeon:::table_answer(x, asked_of_table(length = -1))$data, 400)
})

test_that("what is known of the question's job is figures, sentences and measurements; timings are shown from the ledger", {
  skip_if_not_installed("DT")
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  rows <- clockpigeon:::compute_timings(folder)
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
  expect_identical(nrow(rows), nrow(timings(ledger)))
  close_ledger(ledger)
  expect_true(all(names(clockpigeon:::shown_columns) %in% names(rows)))
  expect_true(is.factor(rows$scene))
  expect_error(clockpigeon:::compute_timings(demo_file()), class = "clockpigeon_error_ledger")
  compared <- clockpigeon:::compute_comparison(folder, "engine_version")
  expect_match(compared$figure$src, "^data:image/svg")
  expect_true(all(c("Engine", "Verdict") %in% names(compared$table)))
  expect_match(clockpigeon:::compute_comparison(folder, "features")$none, "features")
  clockpigeon:::kept_question(function() list(
    forecast = forecast_job(plan_options(x_job(), read_project(demo_file())$sites), draws = 100),
    asked = list(deadline_s = 72000, budget = 60, confidence = 0.9, rule = "cheapest",
                 together = TRUE)
  ), list())
  known <- clockpigeon:::compute_known()
  expect_identical(known$curves[[1]]$shot, "gears")
  expect_true(all(c("command", "says") %in% names(known$measures)))
  html <- as.character(clockpigeon:::known_block(known))
  expect_match(html, "Unknown", fixed = TRUE)
})
