

# 60 frames of 10 s: slow does one in 10 s for 0.01 EUR, quick in 10/3 s for 0.0333 EUR.
pair_split <- function(...) {
  skip_if_not_installed("lpSolve")
  x <- pair_of_sites(draws = 20)
  split_job(x$forecast$scenario, ..., draws = 20)
}

test_that("frames go to the cheapest site as far as the deadline lets them, the rest to the next", {
  # In 300 s slow renders 30 frames; the other 30 go to quick, which needs 100 s for them.
  s <- pair_split("300 s")
  expect_true(s$fits)
  expect_identical(s$parts$count, c(30L, 30L))
  expect_identical(s$parts$frames, c("s 1-30", "s 31-60"))
  expect_equal(s$draws$cost[1], 0.3 + 1)
  expect_equal(s$draws$finish_s[1], 300)
  # Time enough: all to the cheapest. Too little for both together (60 frames at 0.4 a second are
  # 150 s): no split.
  expect_identical(pair_split("700 s")$parts$option, "slow t, 1 node")
  expect_identical(nrow(pair_split("140 s")$parts), 0L)
})

test_that("the split costs no more than any other, by trying all", {
  for (deadline in c(160, 220, 450)) {
    s <- pair_split(deadline)
    cost <- vapply(0:60, function(slow) {
      if (max(slow * 10, (60 - slow) * 10 / 3) > deadline + 1e-6) Inf
      else round(slow * 0.01, 2) + round((60 - slow) * 10 / 3 * 0.01, 2)
    }, 0)
    expect_lte(s$draws$cost[1], min(cost) + 0.011)
  }
})

test_that("a budget binds the split", {
  expect_identical(nrow(pair_split("300 s", 1)$parts), 0L)
  expect_true(pair_split("300 s", 1.4)$fits)
})

test_that("a split of the film is simulated as a whole and keeps what was asked", {
  skip_if_not_installed("lpSolve")
  project <- read_project(demo_file())
  job <- render_job(project$shots[c("gears", "gallery")], "sundew", example_timings(),
                    rates = project$rates, time_zone = "UTC")
  options <- plan_options(job, project$sites, only = c("attic", "quayside"),
                          now = as.POSIXct("2026-11-24 20:00", tz = "UTC"))
  s <- split_job(options, "12 h", "100 EUR", draws = 200)
  expect_true(s$fits)
  expect_gte(mean(s$draws$finish_s <= 12 * 3600 & s$draws$cost <= 100), 0.85)
  expect_identical(s$parts$site[1], "attic")
  expect_identical(sum(s$parts$count),
                   length(job$shots[[1]]$frames) + length(job$shots[[2]]$frames))
})

test_that("two cards of the same machines are not side by side, and do not rescue each other", {
  skip_if_not_installed("lpSolve")
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  plan <- function(sites) {
    now <- as.POSIXct("2026-11-28 10:00", tz = "UTC")
    choose_option(forecast_job(plan_options(job, sites, now = now), draws = 100), "30 h",
                  rule = "fastest")
  }
  sites <- project$sites[c("attic", "loftnights")]
  same <- plan(sites)
  expect_identical(same$plan$kind, "one")
  state <- plan_state(same$forecast$scenario, list(deadline_s = 1e5), matrix(1, 2, 720), 1)
  expect_identical(unique(state$machines), "attic")
  state$lines <- rep(list(list(finish = matrix(1:2), cost = matrix(1:2))), nrow(state$options))
  expect_length(rescue_candidates(state, 1L), 0)
  sites$loftnights$same_nodes_as <- NULL
  expect_identical(sort(plan(sites)$plan$parts$site), c("attic", "loftnights"))
})
