test_that("equal frames on equal slots take whole rounds, and useful slot counts save one", {
  advice <- spread_advice(list(seconds = rep(60, 100)), rep(1, 24))
  frames <- advice$ways[advice$ways$spread == "frames", ]
  expect_identical(advice$rounds, 5L)
  expect_equal(frames$seconds, 5 * 60)
  # 100 frames: 25 slots take 4 rounds, 34 take 3, 50 take 2, 100 one.
  expect_identical(advice$useful, c(25L, 34L, 50L, 100L))
})

test_that("bands win when frames are fewer than slots, if the engine can", {
  few <- spread_advice(list(seconds = c(100, 100), load_s = 2, merge_s = 1), rep(1, 8))
  expect_identical(few$ways$spread[1], "bands")
  expect_equal(few$ways$seconds[1], 2 * (2 + 100 / 8 + 1))
  cannot <- spread_advice(list(seconds = c(100, 100), load_s = 2, bands = FALSE), rep(1, 8))
  expect_identical(cannot$ways$spread[1], "frames")
  expect_match(cannot$ways$reason[cannot$ways$spread == "bands"], "cannot render bands")
  denoised <- spread_advice(list(seconds = c(100, 100), whole_only = "denoising"), rep(1, 8))
  expect_match(denoised$ways$reason[denoised$ways$spread == "bands"],
               "denoising needs the whole frame")
  # Many frames: loading on every slot for every frame loses.
  expect_identical(spread_advice(list(seconds = rep(20, 200), load_s = 10),
                                 rep(1, 8))$ways$spread[1], "frames")
})

test_that("the coordinator's link limits shares", {
  job <- list(seconds = rep(100, 2), shares = TRUE, bands = FALSE, bytes = 100e6, link = 10e6)
  shares <- spread_advice(job, rep(1, 20))
  expect_match(shares$ways$reason[shares$ways$spread == "shares"], "link is the limit")
  expect_equal(shares$ways$seconds[shares$ways$spread == "shares"], 2 * 20 * 10)
})

test_that("a slow node that helps nothing is named, and list scheduling keeps its bound", {
  advice <- spread_advice(list(seconds = rep(100, 4), bands = FALSE),
                          c(fast = 1, also = 1, old = 0.1))
  expect_identical(advice$idle, "old")
  expect_match(advice$sentence, "Without old it would end no later")
  set.seed(1)
  for (k in 1:20) {
    seconds <- rexp(30) + 0.1
    m <- sample(2:6, 1)
    # Graham 1966: within 2 - 1 / m of what no schedule can beat.
    least <- max(max(seconds), sum(seconds) / m)
    found <- spread_advice(list(seconds = seconds, bands = FALSE), rep(1, m))
    expect_lte(found$ways$seconds[found$ways$spread == "frames"], (2 - 1 / m) * least + 1e-9)
    expect_gte(min(found$ways$seconds[found$ways$possible]), least - 1e-9)
  }
})

test_that("layers are tasks of their own, ranges are runs, and a job of the forecast is one", {
  layered <- spread_advice(list(seconds = rep(60, 3), layers = 4, bands = FALSE), rep(1, 6))
  expect_equal(layered$ways$seconds[layered$ways$spread == "layers"], 2 * 15)
  expect_identical(layered$ways$spread[1], "layers")
  runs <- spread_advice(list(seconds = rep(10, 12), load_s = 30, load_once = TRUE), c(a = 2, b = 1))
  expect_equal(runs$ways$seconds[runs$ways$spread == "ranges"], max((80 + 30) / 2, 40 + 30))
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  expect_gt(spread_advice(job, c(here = 1, also = 1))$ways$seconds[1], 60)
  expect_refusal(spread_advice(list(seconds = -1), 1), "type", "seconds")
  expect_refusal(spread_advice(list(seconds = 1), 0), "type", "speed")
})
