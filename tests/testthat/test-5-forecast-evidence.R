test_that("the newest version on the node with most frames is the evidence", {
  x <- rbind(own(c(5, 6), 1:2, engine_version = "1.10"),
             own(4, 1, engine_version = "1.10", node = "other"),
             own(9, 1, engine_version = "1.9"))
  job <- render_job(shot_s(), "e", x)
  expect_identical(job$version, "1.10")
  expect_identical(job$node, "n")
  expect_identical(job$curves[[1]]$frame, 1:2)
  expect_identical(job$run_basis, "assumed")
  expect_output(print(job), "2 runs of 2 frames on n")
})

test_that("repeats give the spread from run to run", {
  job <- render_job(shot_s(), "e", own(c(5, 5.5, 8, 9), c(1, 1, 2, 2)))
  expect_identical(job$run_basis, "measured")
  expect_equal(job$run_sd, clockpigeon:::run_sd_of(c(1, 1, 2, 2), c(5, 5.5, 8, 9)))
})

test_that("times at another size or limit are refused, not scaled", {
  expect_refusal(render_job(shot_s(size = c(width = 1920L, height = 1080L)), "e", own(1, 1)),
                 "evidence",
                 c("1920x1080", "160x90 at samples 8"))
  expect_refusal(render_job(shot_s(limit = list(samples = 64L, noise = NULL, time = NULL)), "e",
                            own(1, 1)),
                 "evidence", "samples 64")
  expect_refusal(render_job(shot_s(), "f", own(1, 1)), "evidence", c("engine f", "e."))
  expect_refusal(render_job(shot_s(), "e", own(1, 1, site = "x", node = NA)), "evidence",
                 "no node of yours")
})

test_that("cheap times of half of the frames shape the curve, a few of a short shot do not stand in the way", {
  shot <- small_shot(frames = 1:8)
  rows <- function(seconds, frame, samples) {
    some_timings(seconds, scene = shot$scene, frame = frame, limit_value = samples, width = 32L,
                 height = 18L)
  }
  full <- rows(c(4, 5, 6), c(1, 4, 8), 2)
  few <- render_job(shot, "e", rbind(full, rows(rep(0.5, 4), c(1, 3, 5, 7), 1)))
  expect_null(few$curves[[1]]$cheap)
  many <- render_job(shot, "e", rbind(full, rows(4:11 / 8, 1:8, 1)))
  expect_identical(many$curves[[1]]$cheap$timed, 8L)
})

test_that("half the samples take what the limit fit of the ledger's counts says, or loads as they are", {
  shot <- structure(list(shot = "s", scene = "s", frames = 1:4, cuts = integer(),
                         size = c(width = 160L, height = 90L), limit = list(samples = 8L),
                         upload = 0, frame_size = 0), class = "cp_shot")
  # 3 s and 0.5 s a sample: 7 s at 8 samples, 5 s at 4
  times <- function(n) some_timings((3 + 0.5 * n) * c(1, 1.1, 0.9, 1), frame = 1:4, limit_value = n)
  both <- clockpigeon:::as_timings(rbind(as.data.frame(times(8)), as.data.frame(times(2)),
                                         as.data.frame(times(4))))
  job <- render_job(shot, "e", both, limit = "50 %")
  expect_equal(exp(job$time_share[["log"]]), 5 / 7, tolerance = 0.02)
  # With one count alone what was loading stays: 2 of 7 seconds.
  alone <- times(8)
  alone$load_s <- 2 / 7 * alone$wall_s
  expect_equal(exp(render_job(shot, "e", alone, limit = "50 %")$time_share[["log"]]),
               2 / 7 + 5 / 14)
  expect_equal(render_job(shot, "e", alone, limit = "25 %")$noise, 2)
})

test_that("a job half done is the rest of it, on the evidence of all", {
  x <- own(c(5, 8, 13), c(1, 20, 40))
  whole <- render_job(shot_s(), "e", x, time_zone = "UTC")
  rest <- render_job(shot_s(), "e", x, time_zone = "UTC", done = "s 1-10, 31")
  left <- setdiff(1:40, c(1:10, 31))
  expect_identical(rest$shots[[1]]$frames, left)
  expect_identical(rest$done, 11L)
  draws <- clockpigeon:::frame_draws(whole, 50, 1)
  expect_equal(clockpigeon:::frame_draws(rest, 50, 1), draws[, left])
  curve <- rest$curves[[1]]
  expect_equal(total_time(curve)$mean,
               mean(rowSums(clockpigeon:::curve_draws(whole$curves[[1]])[, left])))
  expect_identical(total_time(curve)$frames, 29L)
  expect_true(slowest(curve)$frame %in% left)
  expect_identical(as.integer(predict(curve)$frame), left)
  # The forecast of the rest is that of the whole with these frames alone.
  site <- exact_site()
  part <- simulate_option(plan_options(render_job(shot_s(), "e", x, time_zone = "UTC"), site), 1,
                          what_if(frames = left), draws = 50)$draws
  expect_equal(forecast_job(with_options(plan_options(rest, site), rows = 1),
                            draws = 50)$draws$finish_s,
               part$finish_s)
  # A shot that lists its frames in another order.
  turned <- render_job(shot_s(frames = c(21:40, 1:20)), "e", x, time_zone = "UTC", done = "s 21-40")
  expect_identical(turned$shots[[1]]$frames, 1:20)
  expect_equal(clockpigeon:::frame_draws(turned, 50, 1), draws[, 1:20])
  two <- list(shot_s(), shot_s(shot = "u", scene = "u"))
  both <- rbind(x, own(3, 1, shot = "u", scene = "u"))
  both$scene[4] <- "u"
  one <- render_job(two, "e", both, done = "s 1-40; u 2")
  expect_identical(vapply(one$shots, `[[`, "", "shot"), "u")
  expect_length(one$curves, 1)
  expect_refusal(render_job(two, "e", both, done = "s 1-40; u 1-40"), "frames",
                 "nothing left to render")
  expect_refusal(render_job(two, "e", both, done = "v 1-4"), "frames",
                 c("no shot 'v'", "Did you mean s?"))
  expect_refusal(render_job(two, "e", both, done = "s 1-41"), "frames", c("not of s", "1-40"))
  expect_refusal(render_job(two, "e", both, done = "s 1-3; s 3"), "frames",
                 c("frame 3 of s", "twice"))
  expect_refusal(render_job(two, "e", both, done = "1-40"), "frames", "gears 1-300; basin 1-20")
})
