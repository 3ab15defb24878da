# A job whose every frame takes exactly `seconds` on node n, and a site with no spread anywhere.
exact_job <- function(seconds, frames = 12L, ...) {
  shot <- structure(utils::modifyList(list(shot = "s", scene = "s", frames = seq_len(frames), cuts = integer(),
                                           size = c(width = 160L, height = 90L),
                                           limit = list(samples = 8L, noise = NULL, time = NULL), upload = 0,
                                           frame_size = 0), list(...)), class = "shot")
  job <- render_job(shot, "e", some_timings(rep(seconds, frames), frame = seq_len(frames)))
  job$run_sd <- 0
  job$curves <- list(frame_curve(seq_len(frames), rep(seconds, frames), seq_len(frames), run_sd = 0))
  job
}
exact_site <- function(..., wait = 0, start = 0, price = "{per: node-hour, amount: 3.6 EUR, step: 1 s}") {
  path <- write_file(scratch(parent.frame()), "x.yaml", "site: x", "kind: rented", "as_of: 2026-10-01", "source: x",
                     "currency: EUR", "engines: e", "nodes_like: n", "link: 1 MB/s", "meter: rendering",
                       paste("price:", price), ...,
                     "tiers: [{tier: t, nodes: [1, 5]}]")
  site <- read_site(path)
  site$start <- list(median_s = start, p90_s = start)
  site$tiers[[1]]$wait <- list(median_s = wait, p90_s = wait)
  site
}
exact_option <- function(job, site, nodes = 1L) {
  speed <- list(log_factor = log(2), se = 0, df = Inf)
  clockpigeon:::simulate_option(job, list(option = "o", site = "x", tier = "t", nodes = nodes), site, speed,
                                clockpigeon:::frame_draws(job, 10, 1), seed = 1)
}

test_that("equal frames take whole rounds at the site's speed, and cost their node-seconds", {
  one <- exact_option(exact_job(10), exact_site(), nodes = 1L)
  five <- exact_option(exact_job(10), exact_site(), nodes = 5L)
  expect_equal(one$finish_s, rep(12 * 5, 10))     # twice as fast: 5 s a frame
  expect_equal(five$finish_s, rep(3 * 5, 10))     # 12 frames on 5 nodes: 3 rounds
  expect_equal(one$cost, rep(0.06, 10))           # 60 node-seconds at 3.60 an hour
  expect_equal(five$cost, rep(0.06, 10))
})

test_that("upload, waiting, start and download are in the finish, and the meter takes what the card says", {
  job <- exact_job(10, upload = 30e6, frame_size = 2e6)
  site <- exact_site(wait = 100, start = 20)
  d <- exact_option(job, site)[1, ]
  # 30 s up, 100 s waiting, 20 s start, 60 s rendering, 2 s for the last frame's way home
  expect_equal(d$finish_s, 30 + 100 + 20 + 60 + 2)
  expect_equal(c(d$upload_s, d$wait_s, d$start_s, d$render_s, d$download_s), c(30, 100, 20, 60, 2))
  expect_equal(d$cost, 0.06)
  site$meter <- "boot to release"
  expect_equal(exact_option(job, site)$cost[1], 0.08)
  # Frames larger than the link can carry in time: the download is the longest stage.
  expect_equal(exact_option(exact_job(10, upload = 30e6, frame_size = 20e6), site)$finish_s[1], 150 + 12 * 20)
})

test_that("a forecast is charged by every rule of the card: frames, transfers, discounts, tax, gifts", {
  job <- exact_job(10, upload = 30e6, frame_size = 250e6)
  cost <- function(...) exact_option(job, exact_site(...))$cost[1]
  expect_equal(cost(price = "{per: frame, amount: 0.05 EUR, fixed: 1 EUR}"), 12 * 0.05 + 1)
  expect_equal(cost(price = "{per: megapixel-frame, amount: 2 EUR}"), round(12 * 160 * 90 / 1e6 * 2, 2))
  # 12 frames of 0.25 GB come home: 3 GB x 0.10; discount 50 % off 3.06 + 0.30 ... rendering alone is 0.06
  free <- "{per: node-hour, amount: 36 EUR, step: 1 s}"
  expect_equal(cost(price = free, "charges: [{charge: out, per: GB, amount: 0.10 EUR, activities: [download]}]"), 0.60 +
               0.30)
  expect_equal(cost(price = free, "discounts: [{discount: d, percent: 50 %}]", "tax: {tax: t, percent: 20 %}"),
               0.30 * 1.2)
  # A gift is no cost; what was paid ahead is.
  balances <- "balances: [{balance: g, kind: gift, amount: 0.10 EUR}, {balance: p, kind: prepaid, amount: 5 EUR}]"
  expect_equal(cost(price = free, balances), 0.50)
})

test_that("waiting and speed have the spread that the card and the evidence give them", {
  job <- exact_job(10)
  site <- exact_site()
  site$tiers[[1]]$wait <- list(median_s = 60, p90_s = 240)
  option <- list(option = "o", site = "x", tier = "t", nodes = 1L)
  d <- clockpigeon:::simulate_option(job, option, site, list(log_factor = 0, se = 0.25, df = Inf),
                                     matrix(10, 20000, 1), seed = 2)
  expect_equal(quantile(d$wait_s, c(0.5, 0.9), names = FALSE), c(60, 240), tolerance = 0.05)
  expect_equal(sd(log(d$render_s)), 0.25, tolerance = 0.03)
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
                                           "currency", "note"))
  expect_refusal(forecast_job(job, data.frame()), "type", "plan_options()")
})
