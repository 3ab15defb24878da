shot_rows <- function(scene, seconds, limit = 64) {
  some_timings(seconds, scene = scene, frame = seq_along(seconds), limit_value = limit)
}

calm <- function(seed, n = 80) {
  set.seed(seed)
  20 * exp(0.1 * sin(1:n / 12 + seed) + rnorm(n, 0, 0.02))
}

test_that("complete shots teach spread and smoothness, and few probes then know more", {
  rows <- do.call(rbind, lapply(1:6, function(k) shot_rows(paste0("hall-", k), calm(k))))
  prior <- learn_curve_prior(rows)
  expect_identical(prior$shots, 6L)
  expect_lt(prior$full$sd[1], 0.25)
  expect_lt(prior$full$own[1], 0.04)
  expect_lt(prior$rate[1], 0.01)
  width <- function(prior) {
    total <- total_time(frame_curve(20, 22, 1:80, prior = prior))
    log(total$upper / total$lower)
  }
  expect_lt(width(prior), 0.7 * width(curve_prior()))
  expect_match(frame_curve(20, 22, 1:80, prior = prior)$says, "6 complete shots taught",
               all = FALSE)
})

test_that("a shot complete at two limits teaches what a cheap pass leaves", {
  full <- calm(1)
  rows <- rbind(shot_rows("hall", full), shot_rows("hall", full^0.9 / 20, limit = 2))
  prior <- learn_curve_prior(rows)
  expect_lt(prior$cheap$sd[1], curve_prior()$cheap$sd[1])
})

test_that("shots that are not complete teach nothing", {
  rows <- shot_rows("hall", calm(1))
  expect_identical(learn_curve_prior(rows[seq(1, 80, by = 9), ])$shots, 0L)
  expect_identical(learn_curve_prior(rows[0, ]), curve_prior())
})

test_that("twelve versions of one shot are one shot, and leave the next one room", {
  set.seed(9)
  calm <- 20 * exp(0.03 * sin(1:80 / 9))
  rows <- do.call(rbind, lapply(1:12, function(v) {
    some_timings(calm * exp(rnorm(80, 0, 0.005)), frame = 1:80, engine_version = paste0("1.", v))
  }))
  prior <- learn_curve_prior(rows)
  expect_identical(prior$shots, 1L)
  ordinary <- exp(0.5 * sin(1:80 / 14))
  t <- total_time(frame_curve(c(15, 40, 65), ordinary[c(15, 40, 65)], 1:80, prior = prior))
  expect_true(t$lower <= sum(ordinary) && sum(ordinary) <= t$upper)
  expect_lte(max(prior$full$sd[2], prior$full$own[2], prior$full$range[2]), 1)
})
