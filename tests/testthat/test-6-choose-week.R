# Jobs of the demo's shots with deadlines, forecast.
demo_week <- function(deadlines, budgets = "60 EUR", draws = 200, only = NULL) {
  project <- read_project(demo_file())
  now <- as.POSIXct("2026-11-28 10:00", tz = "UTC")
  shots <- rep(c("gears", "basin", "gallery"), length.out = length(deadlines))
  forecasts <- lapply(shots, function(shot) {
    job <- render_job(project$shots[shot], "sundew", example_timings(), rates = project$rates)
    forecast_job(plan_options(job, project$sites, only, now = now), draws = draws)
  })
  names(forecasts) <- paste0("job-", seq_along(deadlines))
  asked <- Map(function(forecast, deadline, budget)
               question_of(forecast, deadline, budget, 0.9, "cheapest", TRUE),
               forecasts, deadlines, budgets)
  list(forecasts = forecasts, asked = asked)
}

test_that("a week of forecasts is planned on some draws and judged on others", {
  x <- demo_week(c("40 h", "60 h", "90 h"))
  week <- choose_week(x$forecasts, x$asked)
  expect_identical(week$week$kept, 3L)
  expect_identical(nrow(week$week$ends), 100L)
  table <- week_table(week)
  expect_true(all(table$chance > 0.8))
  expect_identical(sort(table$job), names(x$forecasts))
  expect_true(all(c("attic", "loftnights") %in% names(week$week$pools)))
  # Both cards are of the same machines: of the nodes of the larger, and one more of these is one
  # for both.
  expect_identical(vapply(week$week$pools, `[[`, 0L, "nodes"), c(attic = 4L, loftnights = 4L))
  expect_identical(vapply(week$week$pools, most_nodes, 0L), c(attic = 2L, loftnights = 4L))
  expect_identical(c(week$more$pool, week$more$nodes), c("attic and loftnights", "5"))
  expect_true(all(week$more$kept >= week$more$kept_now))
  # One job alone on its nodes ends when its forecast says.
  alone <- demo_week("40 h", only = "attic")
  one <- choose_week(alone$forecasts, alone$asked)
  draws <- as.data.frame(alone$forecasts[[1]]$draws)
  expect_equal(one$week$ends[, 1], draws$finish_s[draws$option == week_table(one)$where][101:200])
})

test_that("what cannot be kept is named with when it could be, and what one more node brings", {
  x <- demo_week(c("7 h", "7 h", "7 h"), "3 EUR", only = "attic")
  week <- choose_week(x$forecasts, x$asked)
  expect_lt(week$week$kept, 3)
  expect_identical(nrow(week$late), 3L - week$week$kept)
  expect_true(all(week$late$at_s > 7 * 3600))
  said <- paste(week_lines(week), collapse = " ")
  expect_match(said, "Misses its limits: job-")
  expect_match(said, "Move the\\s+deadline, or decline the\\s+job")
  expect_match(said, "One more node at attic")
  poor <- demo_week("7 h", "0.01 EUR", only = "attic")
  expect_match(paste(week_lines(choose_week(poor$forecasts, poor$asked)), collapse = " "),
               "Raise the +budget")
})

test_that("the mixed integer program takes on what fits by itself", {
  skip_if_not_installed("lpSolve")
  x <- random_week(5, 5, 100)
  state <- list(jobs = x$jobs, pools = x$pools, budget = Inf,
                due = vapply(x$jobs, `[[`, 0, "deadline_s"))
  begun <- mixed_start(state)
  expect_identical(sort(begun$order), 1:5)
  expect_gt(sum(begun$way > 0), 0)
  # What can be kept by no way is in none; of a pool no more is due by a deadline than there is time
  # for.
  state$jobs[[2]]$deadline_s <- 1
  expect_identical(mixed_start(state)$way[2], 0L)
  own <- which(vapply(1:5, function(j) begun$way[j] > 0 &&
                      x$jobs[[j]]$ways[[begun$way[j]]]$kind == "own", NA))
  for (at in state$due[own]) {
    area <- vapply(own[state$due[own] <= at], function(j) {
      way <- x$jobs[[j]]$ways[[begun$way[j]]]
      way$nodes * stats::quantile(way$seconds, 0.6, type = 1, names = FALSE)
    }, 0)
    expect_lte(sum(area), 2 * open_seconds(x$pools$loft, at) + 1e-6)
  }
})

test_that("jobs that are under way on own nodes come before all others", {
  x <- demo_week(c("24 h", "40 h"), only = "attic")
  free <- choose_week(x$forecasts, x$asked)
  expect_null(free$running)
  held <- list(list(job = "night", site = "attic", nodes = 2L, left_s = c(36000, 43200)),
               list(job = "elsewhere", site = "cellar", nodes = 2L, left_s = 1e6))
  week <- choose_week(x$forecasts, x$asked, running = held)
  expect_identical(week$running$job, "night")
  expect_lte(week$week$kept, free$week$kept)
  expect_true(min(week$week$ends, na.rm = TRUE) >= 36000)
  said <- paste(week_lines(week, 200), collapse = " ")
  expect_match(said, "Running first: night at attic on 2 nodes until about")
  # A node more is a free one.
  expect_true(all(week$more$kept >= week$more$kept_now))
  # So is what another card of the same machines holds, though no job of the week may use it.
  other <- choose_week(x$forecasts, x$asked,
                       running = list(list(job = "night", site = "loftnights", nodes = 4L,
                                           left_s = c(36000, 43200))))
  expect_true(min(other$week$ends, na.rm = TRUE) >= 36000)
  held[[1]]$left_s <- Inf
  never <- choose_week(x$forecasts, x$asked, running = held)
  expect_identical(never$week$kept, 0L)
  expect_match(paste(week_lines(never, 200), collapse = " "), "on 2 nodes, end unknown")
})
