film_choice <- function(..., shot = "gears", only = NULL, change = identity) {
  project <- read_project(demo_file())
  job <- render_job(project$shots[shot], "sundew", example_timings(), rates = project$rates,
                    time_zone = "Europe/Lisbon")
  options <- plan_options(job, project$sites, only = only,
                          now = as.POSIXct("2026-11-24 20:00", tz = "UTC"))
  choose_option(forecast_job(change(options), draws = 200), ...)
}

test_that("half the samples, the night and doing nothing are held against the pick", {
  x <- film_choice("3 h", "60 EUR")
  w <- as.data.frame(worth_tests(x))
  expect_setequal(w$test, c("limit", "nothing"))
  half <- w[w$test == "limit", ]
  expect_equal(half$noise, sqrt(2))
  expect_gt(half$saves, 0.4 * x$options$cost_p50[x$options$pick])
  expect_match(half$says, "1.41 times the noise", fixed = TRUE)
  expect_match(w$says[w$test == "nothing"], "it would not fit")
  night <- worth_tests(film_choice("30 h", rule = "fastest",
                                   only = c("loftnights", "now", "Tue 22:00")))
  expect_match(night$says[night$test == "wait"], "Waiting until Tue 22:00 at loftnights")
})

test_that("a feature that was measured on and off says what leaving it out would give", {
  rows <- some_timings(c(10, 12, 5, 6), frame = c(1L, 2L, 1L, 2L), scene = "gears",
                       features = c('{"glow":"on"}', '{"glow":"on"}', '{"glow":"off"}',
                                    '{"glow":"off"}'))
  glowing <- function(scenario) {
    scenario$jobs[[1]]$featured <- rows
    scenario
  }
  w <- worth_tests(film_choice("3 h", "60 EUR", change = glowing))
  expect_match(w$says[w$test == "feature"],
               "With glow off instead of on (0.50 times the time, 2 pairs measured)",
               fixed = TRUE)
})
