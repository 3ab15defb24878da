test_that("what could change the plan comes first, with what it takes, what it saves and the command", {
  project <- read_project(demo_file())
  job <- render_job(project$shots[c("gears", "gallery")], "sundew", example_timings(), rates = project$rates,
                    time_zone = "UTC")
  options <- plan_options(job, project$sites, only = c("attic", "quayside"),
                          now = as.POSIXct("2026-11-24 20:00", tz = "UTC"))
  x <- choose_option(forecast_job(options, draws = 300), "16 h")
  rows <- as.data.frame(next_measures(x))
  expect_true(all(c("probe", "cheap", "trial") %in% rows$what))
  expect_false(is.unsorted(!rows$worth))
  expect_true(all(rows$saves >= 0 & rows$changes >= 0 & rows$changes <= 1))
  expect_true(all(rows$saves[rows$worth] > rows$price[rows$worth]))
  expect_match(rows$command[rows$what == "cheap"][1], "clockpigeon probe (gears|gallery) --cheap yes")
  expect_identical(nrow(next_measures(x, most = 2)), 2L)
})

test_that("where nothing is open nothing is worth measuring", {
  x <- pair_of_sites("1000 s", draws = 50)
  expect_false(any(next_measures(x)$worth))
  expect_match(clockpigeon:::answer_words(x)[["first"]], "Nothing is worth measuring")
  expect_match(clockpigeon:::next_lines(x, next_measures(x)), "Nothing is worth measuring", all = FALSE)
})
