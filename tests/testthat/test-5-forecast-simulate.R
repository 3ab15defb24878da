test_that("equal frames take whole rounds at the site's speed, and cost their node-seconds", {
  one <- exact_draws(exact_job(10), exact_site(), nodes = 1L)
  five <- exact_draws(exact_job(10), exact_site(), nodes = 5L)
  expect_equal(one$finish_s, rep(12 * 5, 10))     # twice as fast: 5 s a frame
  expect_equal(five$finish_s, rep(3 * 5, 10))     # 12 frames on 5 nodes: 3 rounds
  expect_equal(one$cost, rep(0.06, 10))           # 60 node-seconds at 3.60 an hour
  expect_equal(five$cost, rep(0.06, 10))
})

test_that("upload, waiting, start and download are in the finish, and the meter takes what the card says", {
  local_value("assumed_sd", utils::modifyList(clockpigeon:::assumed_sd, list(link = 0)))
  job <- exact_job(10, upload = 30e6, frame_size = 2e6)
  d <- exact_draws(job, exact_site(wait = "100 s", start = "20 s"))[1, ]
  # 30 s up, 100 s waiting, 20 s start, 60 s rendering, 2 s for the last frame's way home
  expect_equal(d$finish_s, 30 + 100 + 20 + 60 + 2)
  expect_equal(c(d$upload_s, d$wait_s, d$start_s, d$render_s, d$download_s), c(30, 100, 20, 60, 2))
  expect_equal(d$cost, 0.06)
  hired <- exact_site(wait = "100 s", start = "20 s", meter = "boot to release")
  expect_equal(exact_draws(job, hired)$cost[1], 0.08)
  # Frames larger than the link can carry in time: the download is the longest stage.
  expect_equal(exact_draws(exact_job(10, upload = 30e6, frame_size = 20e6), hired)$finish_s[1],
               150 + 5 + 12 * 20)
})

test_that("a forecast is charged by every rule of the card: frames, transfers, discounts, tax, gifts", {
  job <- exact_job(10, upload = 30e6, frame_size = 250e6)
  cost <- function(...) exact_draws(job, exact_site(...))$cost[1]
  expect_equal(cost(price = "{per: frame, amount: 0.05 EUR, fixed: 1 EUR}"), 12 * 0.05 + 1)
  expect_equal(cost(price = "{per: megapixel-frame, amount: 2 EUR}"),
               round(12 * 160 * 90 / 1e6 * 2, 2))
  # 60 node-seconds at 36 EUR an hour are 0.60; 12 frames of 0.25 GB come home: 3 GB at 0.10
  free <- "{per: node-hour, amount: 36 EUR, step: 1 s}"
  expect_equal(cost(price = free,
                    "charges: [{charge: out, per: GB, amount: 0.10 EUR, activities: [download]}]"),
               0.60 +
               0.30)
  expect_equal(cost(price = free, "discounts: [{discount: d, percent: 50 %}]",
                    "tax: {tax: t, percent: 20 %}"),
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

test_that("a change changes what it says and nothing else", {
  scenario <- with_options(plan_options(exact_job(10, frames = 12L), exact_site(),
                                        only = "nodes=1"), log_speed = 0,
                           speed_se = 0)
  run <- function(...) simulate_option(scenario, 1, what_if(...), draws = 10)$draws
  expect_equal(run()$finish_s, rep(120, 10))
  expect_equal(run(speed = 2)$finish_s, rep(60, 10))
  expect_equal(run(price = 3)$cost, 3 * run()$cost)
  expect_equal(run(price = 3)$finish_s, run()$finish_s)
  expect_equal(run(waiting = 50)$finish_s, rep(170, 10))
  expect_equal(run(frames = 3:5)$finish_s, rep(30, 10))
  expect_equal(run(nodes = 4)$finish_s, rep(30, 10))
  expect_identical(simulate_option(scenario, "x t, 1 node", draws = 10),
                   simulate_option(scenario, 1, draws = 10))
  expect_identical(run(), forecast_job(scenario, draws = 10)$draws)
  expect_refusal(simulate_option(scenario, "y"), "option", c("'y'", "x t, 1 node"))
  expect_refusal(what_if(price = 0), "type", "price")
  expect_refusal(what_if(frames = 0.5), "type", "frames")
})

test_that("rows of a scenario's options can be dropped and bound, and nothing is lost", {
  scenario <- plan_options(exact_job(10), exact_site())
  whole <- forecast_job(scenario, draws = 20)
  bound <- scenario
  bound$options <- rbind(scenario$options[2, ], scenario$options[1, ])
  turned <- forecast_job(bound, draws = 20)
  for (name in scenario$options$option) {
    expect_identical(turned$draws$finish_s[turned$draws$option == name],
                     whole$draws$finish_s[whole$draws$option == name])
  }
  expect_refusal(forecast_job(with_options(scenario, rows = 0)), "option", "has no option")
  expect_refusal(forecast_job(with_options(scenario, site = "y")), "option", "does not know")
})

test_that("frames of a question are the same however many were drawn before, and for which job", {
  project <- read_project(demo_file())
  draws <- function(shot, n, seed = 1) {
    job <- render_job(project$shots[shot], "sundew", example_timings())
    clockpigeon:::frame_draws(job, n, seed)
  }
  few <- draws("gears", 20)
  many <- draws("gears", 60)
  expect_identical(many[1:20, ], few)
  expect_identical(draws("gears", 20), few)
  other <- draws("basin", 20)
  expect_false(identical(dim(other), dim(few)) && identical(other, few))
  expect_identical(draws("gears", 20), few)
  expect_false(identical(draws("gears", 20, seed = 2), few))
  expect_identical(draws("gears", 20), few)
})
