effect <- function(...) clockpigeon:::busy_effect(rbind(...))

test_that("what other work costs is told by frames measured both ways, or by CPU seconds, or assumed", {
  idle <- some_timings(c(10, 12, 9, 11), frame = 1:4, busy = FALSE)
  slow <- some_timings(c(15, 18, 13.5, 16.5), frame = 1:4, busy = TRUE)
  both <- effect(idle, slow)
  expect_equal(both$effect, log(1.5))
  expect_identical(both$basis, "measured")
  cpu <- some_timings(c(20, 24, 18, 22), frame = 1:4, busy = TRUE, cpu_s = c(10, 12, 9, 11),
                      threads = 1L)
  by_cpu <- effect(cpu, some_timings(10, frame = 9L, busy = FALSE, cpu_s = 9.9, threads = 1L))
  expect_equal(by_cpu$effect, log(0.99 / 0.5), tolerance = 1e-6)
  expect_gte(by_cpu$error, 0.15)
  none <- effect(slow)
  expect_identical(c(none$basis, none$effect), c("assumed", "0"))
})

test_that("a job from busy evidence is wide, says so, and may ask for an idle machine", {
  shot <- read_project(demo_file())$shots$gears
  at <- as.integer(shot$frames[c(10, 60, 110, 160, 210)])
  rows <- function(wall, busy) {
    some_timings(wall, frame = at, scene = shot$scene, width = shot$size[["width"]],
                 height = shot$size[["height"]], limit_value = shot$limit$samples, busy = busy,
                 cpu_s = 30, threads = 1L, plan_id = if (busy) "b" else "a")
  }
  calm <- render_job(shot, "e", rows(rep(30.3, 5), FALSE))
  busy <- render_job(shot, "e", rows(rep(45.5, 5), TRUE))
  speed <- function(job) clockpigeon:::drifted_speed(job, list(log_factor = 0, se = 0))
  expect_gt(speed(busy)$se, 1.5 * speed(calm)$se)
  expect_null(clockpigeon:::busy_words(calm$busy))
  expect_match(clockpigeon:::evidence_line(busy),
               "100 % of the runs beside other work: taken as busy again")
  expect_match(clockpigeon:::busy_advice(busy$busy), "--machine idle", fixed = TRUE)
  idle <- render_job(shot, "e", rbind(rows(rep(45.5, 5), TRUE), rows(rep(30.3, 5), FALSE)),
                     machine = "idle")
  # Half of the runs were busy, half as slow again: off by the mean of both.
  expect_equal(speed(idle)$log_factor, 0.5 * log(45.5 / 30.3), tolerance = 0.01)
  expect_refusal(render_job(shot, "e", rows(rep(30, 5), TRUE), machine = "asleep"), "choice",
                 "busy or idle")
})

test_that("times of other threads are another machine's: the capacity with most frames is taken", {
  rows <- rbind(some_timings(c(10, 11, 12), frame = 1:3, threads = 2L),
                some_timings(c(5, 6), frame = 4:5, threads = 4L))
  expect_identical(clockpigeon:::one_capacity(rows)$frame, 1:3)
})
