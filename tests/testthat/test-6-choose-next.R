test_that("what could change the plan comes first, with what it takes, what it saves and the command", {
  project <- read_project(demo_file())
  job <- render_job(project$shots[c("gears", "gallery")], "sundew", example_timings(),
                    rates = project$rates, time_zone = "UTC")
  options <- plan_options(job, project$sites, only = c("attic", "quayside"),
                          now = as.POSIXct("2026-11-24 20:00", tz = "UTC"))
  x <- choose_option(forecast_job(options, draws = 300), "16 h")
  rows <- as.data.frame(next_measures(x))
  expect_true(all(c("probe", "cheap", "trial") %in% rows$what))
  expect_false(is.unsorted(!rows$worth))
  expect_true(all(rows$saves >= 0 & rows$changes >= 0 & rows$changes <= 1))
  expect_true(all(rows$saves[rows$worth] > rows$price[rows$worth]))
  expect_match(rows$command[rows$what == "cheap"][1],
               "clockpigeon probe (gears|gallery) --cheap yes")
  expect_identical(nrow(next_measures(x, most = 2)), 2L)
})

test_that("where nothing is open nothing is worth measuring", {
  x <- pair_of_sites("1000 s", draws = 50)
  expect_false(any(next_measures(x)$worth))
  expect_match(clockpigeon:::answer_words(x)[["first"]], "Nothing is worth measuring")
  expect_match(clockpigeon:::next_lines(x, next_measures(x)), "Nothing is worth measuring",
               all = FALSE)
})

test_that("an engine or version that nobody measured, and fewer samples, are worth what a plain reckoning gives", {
  project <- read_project(demo_file())
  ask <- function(engine)
    tryCatch(render_job(project$shots["gears"], engine, example_timings(), time_zone = "UTC"),
             clockpigeon_error_evidence = identity)
  jobs <- list(`sundew 4.2` = ask(c(sundew = "4.2")), `sundew 5.0` = ask(c(sundew = "5.0")),
               tallow = ask("tallow"))
  options <- plan_options(jobs, project$sites, only = "attic",
                          now = as.POSIXct("2026-11-24 20:00", tz = "UTC"))
  x <- choose_option(forecast_job(options, draws = 200), "30 h")
  rows <- as.data.frame(next_measures(x, most = 50))
  row <- function(about) rows[rows$about == about & rows$what == "version", ]
  worth <- function(sd)
    stats::integrate(function(z) pmax(0, 1 - exp(-z)) * stats::dnorm(z, 0, sd), 0, 10 * sd)$value
  expect_equal(row("sundew 5.0")$saves, x$plan$mean * worth(0.2), tolerance = 1e-6)
  expect_equal(row("tallow")$saves, x$plan$mean * worth(0.5), tolerance = 1e-6)
  expect_identical(row("sundew 5.0")$command,
                   "clockpigeon bench --engines 'sundew 5.0' --shots gears")
  expect_match(row("tallow")$says, "3 frames with tallow, never measured")
  half <- rows[rows$what == "samples", ]
  expect_false(half$worth)
  # A frame's loading stays, so that half the samples take more than half the time.
  expect_gt(half$saves, 0.4 * 0.5 * x$plan$mean)
  expect_lt(half$saves, 0.5 * 0.5 * x$plan$mean)
  expect_match(clockpigeon:::next_lines(x, rows), "Would fewer samples do?",
               all = FALSE)
})
