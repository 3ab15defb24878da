test_that("equal frames take whole rounds at the site's speed, and cost their node-seconds", {
  one <- exact_draws(exact_job(10), exact_site(), nodes = 1L)
  five <- exact_draws(exact_job(10), exact_site(), nodes = 5L)
  expect_equal(one$finish_s, rep(12 * 5, 10))     # twice as fast: 5 s a frame
  expect_equal(five$finish_s, rep(3 * 5, 10))     # 12 frames on 5 nodes: 3 rounds
  expect_equal(one$cost, rep(0.06, 10))           # 60 node-seconds at 3.60 an hour
  expect_equal(five$cost, rep(0.06, 10))
})

test_that("upload, waiting, start and download are in the finish, and the meter takes what the card says", {
  local_value("assumed_spread", utils::modifyList(clockpigeon:::assumed_spread, list(link = 0)))
  job <- exact_job(10, upload = 30e6, frame_size = 2e6)
  d <- exact_draws(job, exact_site(wait = "100 s", start = "20 s"))[1, ]
  # 30 s up, 100 s waiting, 20 s start, 60 s rendering, 2 s for the last frame's way home
  expect_equal(d$finish_s, 30 + 100 + 20 + 60 + 2)
  expect_equal(c(d$upload_s, d$wait_s, d$start_s, d$render_s, d$download_s), c(30, 100, 20, 60, 2))
  expect_equal(d$cost, 0.06)
  hired <- exact_site(wait = "100 s", start = "20 s", meter = "boot to release")
  expect_equal(exact_draws(job, hired)$cost[1], 0.08)
  # Frames larger than the link can carry in time: the download is the longest stage.
  expect_equal(exact_draws(exact_job(10, upload = 30e6, frame_size = 20e6), hired)$finish_s[1], 150 + 5 + 12 * 20)
})

test_that("a forecast is charged by every rule of the card: frames, transfers, discounts, tax, gifts", {
  job <- exact_job(10, upload = 30e6, frame_size = 250e6)
  cost <- function(...) exact_draws(job, exact_site(...))$cost[1]
  expect_equal(cost(price = "{per: frame, amount: 0.05 EUR, fixed: 1 EUR}"), 12 * 0.05 + 1)
  expect_equal(cost(price = "{per: megapixel-frame, amount: 2 EUR}"), round(12 * 160 * 90 / 1e6 * 2, 2))
  # 60 node-seconds at 36 EUR an hour are 0.60; 12 frames of 0.25 GB come home: 3 GB at 0.10
  free <- "{per: node-hour, amount: 36 EUR, step: 1 s}"
  expect_equal(cost(price = free, "charges: [{charge: out, per: GB, amount: 0.10 EUR, activities: [download]}]"), 0.60 +
               0.30)
  expect_equal(cost(price = free, "discounts: [{discount: d, percent: 50 %}]", "tax: {tax: t, percent: 20 %}"),
               0.30 * 1.2)
  # A gift is no cost; what was paid ahead is.
  balances <- "balances: [{balance: g, kind: gift, amount: 0.10 EUR}, {balance: p, kind: prepaid, amount: 5 EUR}]"
  expect_equal(cost(price = free, balances), 0.50)
})

test_that("what goes wrong at a site, its hours and its cap are in the forecast", {
  job <- exact_job(10)
  failing <- exact_draws(job, exact_site("troubles: {fails: 40 %, retries: 30}"), draws = 200)
  expect_gt(mean(failing$finish_s), 65)
  lost <- exact_draws(job, exact_site("troubles: {fails: 40 %, retries: 0}"), draws = 200)
  expect_equal(mean(lost$frames_lost), 12 * 0.4, tolerance = 0.15)
  # Noon is outside these hours: one frame of 5 s begins in each of the first minute's twelve slots
  open <- exact_draws(job, exact_site("open: [{from: '13:00', to: '13:01'}]"))
  expect_equal(open$finish_s[1], 3600 + 60)
  capped <- exact_draws(job, exact_site("cap: {amount: 0.03 EUR, lag: 7 s}"))
  expect_identical(capped$finish_s[1], Inf)
  expect_true(capped$capped[1])
  # 0.025 EUR rounds to 0.03 after 25 s; 7 s later 6 frames are done, and 32 s are billed
  expect_equal(c(capped$frames_done[1], capped$cost[1]), c(6, 0.03))
})

test_that("waiting and speed have the spread that the card and the evidence give them", {
  job <- exact_job(10, frames = 2L)
  site <- exact_site(wait = "{median: 60 s, p90: 240 s}")
  options <- plan_options(job, site)[1, ]
  options$log_speed <- 0
  options$speed_se <- 0.25
  options$speed_df <- Inf
  d <- forecast_job(job, options, draws = 20000, seed = 2)$draws
  expect_equal(quantile(d$wait_s, c(0.5, 0.9), names = FALSE), c(60, 240), tolerance = 0.05)
  expect_equal(sd(log(d$render_s)), 0.25, tolerance = 0.03)
  expect_equal(sd(d$log_speed), 0.25, tolerance = 0.03)
})

test_that("jobs too large to hold go block by block, with the same draws", {
  job <- exact_job(10, frames = 40L)
  job$run_sd <- 0.2
  job$curves <- list(frame_curve(1:10, rep(10, 10), 1:40, run_sd = 0.2))
  options <- plan_options(job, exact_site())
  whole <- forecast_job(job, options, draws = 100)$draws
  local_value("most_cells", 40 * 24)
  expect_identical(forecast_job(job, options, draws = 100)$draws, whole)
})

test_that("one frame, and more nodes than frames, are forecast", {
  one <- exact_job(10, frames = 1L)
  expect_equal(exact_draws(one, exact_site())$finish_s[1], 5)
  path <- attr(exact_site(), "path")
  writeLines(sub("nodes: [1, 5]", "nodes: [0]", readLines(path), fixed = TRUE), path)
  expect_refusal(read_site(path), "type", c("nodes", "at least 1"))
})

test_that("the same seed gives the same forecast, and leaving an option out changes no other", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  options <- plan_options(job, project$sites)
  a <- forecast_job(job, options, draws = 50, seed = 3)
  expect_identical(a$draws, forecast_job(job, options, draws = 50, seed = 3)$draws)
  expect_false(identical(a$draws$finish_s, forecast_job(job, options, draws = 50, seed = 4)$draws$finish_s))
  few <- forecast_job(job, options[options$site == "saltmill", ], draws = 50, seed = 3)
  expect_identical(few$draws$finish_s, a$draws$finish_s[startsWith(a$draws$option, "saltmill")])
})

test_that("the summary is quantiles of the draws, and the exchange is said", {
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  f <- forecast_job(job, plan_options(job, project$sites), draws = 101)
  s <- summary(f)
  first <- f$draws$finish_s[f$draws$option == s$option[1]]
  expect_equal(s$finish_p50[1], sort(first)[51])
  expect_true(all(s$finish_p10 <= s$finish_p50 & s$finish_p50 <= s$finish_p90 & s$cost_p10 <= s$cost_p90))
  expect_identical(f$exchange$date, "2026-11-02")
  expect_named(summary(f, probs = 0.25), c("option", "site", "tier", "nodes", "evidence", "finish_p25", "cost_p25",
                                           "cost_se", "currency", "usable", "note"))
  expect_true(all(s$usable == 1))
  expect_refusal(forecast_job(job, data.frame()), "type", "plan_options()")
})
