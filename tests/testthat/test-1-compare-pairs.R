pairs_of <- function(old, new, cell = 1) {
  data.frame(scene = "s", frame = cell, cell = cell, old_s = old, new_s = new)
}
estimate <- function(...) clockpigeon:::scene_estimate(pairs_of(...), 0.95)

test_that("the ratio of a scene is that of its total work; the frames' own is told beside", {
  x <- estimate(c(60, 10, 10, 10, 10, 10), c(66, 8, 8, 8, 8, 8), 1:6)
  expect_equal(exp(x$mean), 110 / 106)
  expect_equal(exp(x$frames), exp(mean(log(c(60 / 66, rep(10 / 8, 5))))))
  expect_false(x$of_frames)
})

test_that("repeats of few frames say how runs vary, and that they are of these frames only", {
  set.seed(2)
  old <- rep(c(10, 30), each = 10) * exp(rnorm(20, 0, 0.02))
  x <- estimate(old, old / rep(c(1.5, 1.1), each = 10) * exp(rnorm(20, 0, 0.02)),
                rep(1:2, each = 10))
  expect_true(x$of_frames)
  expect_lt(x$se, 0.02)
  expect_equal(x$df, 18, tolerance = 0.6)
})

test_that("frames as the sample: the interval covers the ratio of the whole scene", {
  set.seed(3)
  covered <- replicate(200, {
    work <- exp(rnorm(100, 0, 0.6))
    ratio <- exp(rnorm(100, 0.1, 0.15))
    at <- sample(100, 10)
    x <- estimate(work[at] * ratio[at], work[at], 1:10)
    abs(x$mean - log(sum(work * ratio) / sum(work))) <= qt(0.975, x$df) * x$se
  })
  expect_gte(mean(covered), 0.88)
})

test_that("runs that drift together count for fewer; few or independent ones as they are", {
  share <- clockpigeon:::effective_share
  expect_identical(share(rnorm(5)), 1)
  set.seed(4)
  expect_gt(mean(replicate(100, share(rnorm(40)))), 0.9)
  expect_lt(mean(replicate(100, share(as.numeric(arima.sim(list(ar = 0.7), 60))))), 0.5)
})

test_that("times rounded alike are all off by the same; times that vary carry it in their spread", {
  rounding <- clockpigeon:::rounding_variance
  expect_equal(rounding(rep(10, 5)), (1 / 10)^2 / 12)
  expect_equal(rounding(c(10, 12, 9, 11)), 0)
  expect_equal(rounding(10.2371), (1e-4 / 10.2371)^2 / 12)
  x <- estimate(rep(10, 5), rep(9, 5))
  expect_true(x$coarse)
  expect_gt(x$se, 0.04)
})

test_that("the robust interval is Wilcoxon's, and a bad run does not move it far", {
  set.seed(5)
  d <- rnorm(9, 0.2, 0.05)
  x <- clockpigeon:::robust_interval(d, 0.95)
  truth <- wilcox.test(d, conf.int = TRUE, conf.level = 0.95)
  expect_equal(x[1], unname(truth$estimate), tolerance = 1e-6)
  expect_equal(x[2:3], as.numeric(truth$conf.int), tolerance = 1e-6)
  expect_equal(clockpigeon:::robust_interval(c(d[-1], 5), 0.95)[1], x[1], tolerance = 0.2)
  expect_true(all(is.na(clockpigeon:::robust_interval(d[1:4], 0.95))))
  five <- clockpigeon:::robust_interval(c(d[1:4], -3), 0.95)
  expect_gt(five[1], 0.1)
})

test_that("a verdict is not made or hidden by one bad run, which is named from three pairs on", {
  rows <- function(old) rbind(some_timings(old), some_timings(c(10, 10.1, 9.9, 10.05, 9.95, 10.02,
                                                                9.98)[seq_along(old)],
                                                              engine_version = "1.1"))
  good <- c(13, 13.1, 12.9, 13.02, 12.98, 13.05, 12.95)
  bad <- compare_timings(rows(replace(good, 4, 39)), "engine_version")
  expect_identical(bad$verdict, "faster")
  expect_match(bad$note, "1 pair far from the others")
  expect_match(compare_timings(rows(c(13, 13.1, 39)), "engine_version")$note,
               "1 pair far from the others")
})

test_that("levels of two sessions get no verdict, but what it would take", {
  old <- some_timings(10 * exp(c(0.01, -0.01, 0, 0.02)), plan_id = "a")
  new <- some_timings(9 * exp(c(0.01, -0.01, 0, 0.02)), engine_version = "1.1", plan_id = "b")
  x <- compare_timings(rbind(old, new), "engine_version")
  expect_identical(x$verdict, "no clear difference")
  expect_match(x$note, "never measured in one session")
  expect_lt(x$lower, 1)
  expect_gt(x$upper, 1)
  # In one plan the same times are told apart.
  new$plan_id <- "a"
  expect_identical(compare_timings(rbind(old, new), "engine_version")$verdict, "faster")
})

test_that("a failed first run costs its own pair, and the others stay with their repeat", {
  trend <- exp(0.05 * 1:6)
  x <- rbind(some_timings(10 * trend, plan_id = "p"),
             some_timings(10 * trend, engine_version = "1.1", plan_id = "p"))
  out <- compare_timings(x[-1, ], "engine_version")
  expect_equal(out$ratio, 1)
  expect_identical(out$pairs, 5L)
})

test_that("verdicts of many scenes are adjusted, and the raw chance stays beside", {
  set.seed(6)
  x <- do.call(rbind, lapply(1:20, function(s) {
    rbind(some_timings(10 * exp(rnorm(5, 0, 0.04)), scene = paste0("s", s)),
          some_timings(10 * exp(rnorm(5, 0, 0.04)), scene = paste0("s", s), engine_version = "1.1"))
  }))
  out <- compare_timings(x, "engine_version", smallest = 0)
  scenes <- out[out$scene != "all scenes", ]
  expect_equal(scenes$adjusted_chance, p.adjust(scenes$chance, "holm"))
  expect_true(all(scenes$verdict == "no clear difference"))
})

test_that("where light frames got faster and heavy ones slower, the total decides and the note says so", {
  set.seed(7)
  one <- function(old, new, frame) {
    rbind(some_timings(old * exp(rnorm(4, 0, 0.005)), frame = frame),
          some_timings(new * exp(rnorm(4, 0, 0.005)), frame = frame, engine_version = "1.1"))
  }
  x <- compare_timings(rbind(one(100, 125, 1L),
                             do.call(rbind, lapply(2:6, function(f) one(5, 4, f)))),
                       "engine_version")
  expect_lt(x$ratio, 1)
  expect_gt(x$frame_ratio, 1)
  expect_lt(x$time_saved, 0)
  expect_match(x$note, "the total is more, most frames are faster: the heavy frames decide (1)",
               fixed = TRUE)
})
