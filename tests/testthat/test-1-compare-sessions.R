test_that("sessions add what was measured in others, and what both rest on cancels", {
  load <- clockpigeon:::session_load
  expect_equal(load(c(a = 1)), 2)
  expect_equal(load(c(a = 0.25, b = 0.25, c = 0.25, d = 0.25)), 1 + 1 / 4)
  expect_equal(load(c(a = 1), list(here = c(a = 1), there = c(b = 1))), 2)
  expect_equal(load(c(a = 1), list(here = c(c = 1), there = c(b = 1))), 4)
})

test_that("the mean of some rows is spread over their sessions, each frame once", {
  rows <- rbind(some_timings(c(1, 1), frame = 1L, plan_id = "a"),
                some_timings(1, frame = 2L, plan_id = "b"))
  expect_equal(clockpigeon:::session_shares(rows), c(a = 0.5, b = 0.5))
  expect_equal(clockpigeon:::session_shares(some_timings(1)), c("2026-11-01" = 1))
})

test_that("the drift between days is told from that within one", {
  set.seed(8)
  cells <- paste0("c", 1:8)
  drift <- c(0, 0.01, 0.3, 0.31)
  means <- outer(rep(0, 8), drift, `+`) + rnorm(32, 0, 0.001)
  dimnames(means) <- list(cells, letters[1:4])
  starts <- c(a = 0, b = 3600, c = 5 * 86400, d = 5 * 86400 + 3600)
  found <- clockpigeon:::session_sd(means, 0.001, starts)
  expect_identical(c(found$basis, found$hour_basis), c("measured", "measured"))
  # Four pairs of days at about 0.3 of difference, three assumed at 0.1.
  expect_equal(found$sd, sqrt((2 * 0.3^2 + 0.29^2 / 2 + 0.31^2 / 2 - 0.3^2 + 3 * 0.01) / 7),
               tolerance = 0.1)
  expect_lt(found$hour_sd, 0.05)
  expect_identical(clockpigeon:::session_sd(means[, 1, drop = FALSE], 0.001)$basis, "assumed")
})

test_that("a job is forecast for a session of its own: the drift counts for it and for each that measured", {
  shot <- read_project(demo_file())$shots$gears
  rows <- function(plan, frames, level) {
    some_timings(30 * exp(level + 0.01 * seq_along(frames)), frame = frames, scene = shot$scene,
                 plan_id = plan, width = shot$size[["width"]], height = shot$size[["height"]],
                 limit_value = shot$limit$samples)
  }
  frames <- as.integer(shot$frames[c(5, 50, 95, 140)])
  one <- render_job(shot, "e", rows("a", frames, 0))
  expect_equal(clockpigeon:::session_drift(one), one$drift_sd * sqrt(2))
  two <- render_job(shot, "e", rbind(rows("a", frames[1:2], 0), rows("b", frames[3:4], 0.05)))
  expect_equal(clockpigeon:::session_drift(two), two$drift_sd * sqrt(1.5))
})
