stages_at <- function(site, rows = NULL, job = exact_job(10, upload = 60e6, pack = NULL)) {
  if (length(rows)) job$stage_rows <- as.data.frame(rows)
  clockpigeon:::site_stages(job, site, site$tiers[[1]], as.POSIXct("2026-11-24 12:00", tz = "UTC"))
}
card_without <- function(kind) {
  site <- exact_site(kind = kind)
  site["start"] <- list(NULL)
  site$tiers[[1]]["wait"] <- list(NULL)
  site
}

test_that("a stage of unknown length is a wide stated assumption, never nothing", {
  managed <- stages_at(card_without("managed"))
  expect_identical(vapply(managed[c("wait", "start", "pack")], `[[`, "", "basis"),
                   c(wait = "assumed", start = "assumed", pack = "assumed"))
  expect_equal(managed$wait$time, list(median_s = 600, p90_s = 7200))
  expect_equal(managed$pack$time, list(median_s = 2, p90_s = 8))
  own <- stages_at(card_without("own"))
  expect_identical(own$start$basis, "stated")
  expect_identical(own$wait$time$median_s, 0)
  # Own machines that a scheduler gives out have a queue, until waits are known.
  site <- card_without("own")
  site$scheduled <- TRUE
  queued <- stages_at(site)
  expect_identical(queued$wait[c("basis", "from")],
                   list(basis = "assumed", from = "assumed for scheduled sites"))
  expect_equal(queued$wait$time, list(median_s = 600, p90_s = 7200))
  expect_identical(queued$start$time$median_s, 0)
  site$tiers[[1]]$wait <- list(median_s = 30, p90_s = 60)
  expect_identical(stages_at(site)$wait$basis, "claimed")
})

test_that("what the ledger timed comes before the card, and the card before assumptions", {
  site <- exact_site(wait = "100 s")
  expect_identical(stages_at(site)$wait$basis, "claimed")
  rows <- some_timings(c(40, 50, 60), activity = "wait", site = "x", tier = "t")
  seen <- stages_at(site, rows)$wait
  expect_identical(seen$basis, "measured")
  expect_equal(seen$time$median_s, exp(mean(log(c(40, 50, 60)))))
  expect_identical(seen$time$df, 2)
  expect_identical(stages_at(site, rows[1:2, ])$wait$basis, "claimed")
  elsewhere <- some_timings(c(40, 50, 60), activity = "wait", site = "y", tier = "t")
  expect_identical(stages_at(site, elsewhere)$wait$basis, "claimed")
})

test_that("waits, packing and pre-pass of the files reach the way", {
  job <- exact_job(10, pack = list(median_s = 30, p90_s = 60), layers = 3L,
                   merge = list(median_s = 2, p90_s = 2),
                   prepass = list(frames = 4L, each = list(median_s = 5, p90_s = 9), on = "one"),
                   encode = list(median_s = 8, p90_s = 8))
  site <- exact_site("install: 50 s", "share: 50 %", "troubles: {fails: 2 %, vanish: 10 %}",
                     "release: end", "node_spread: 20 %",
                     "cap: {amount: 9 EUR, lag: 1 min}")
  site$can$spreads <- c("frames", "layers")
  option <- as.list(as.data.frame(plan_options(job, site, spreads = "layers")$options))
  option <- lapply(option, `[`, which(option$spread == "layers")[1])
  way <- clockpigeon:::option_way(job, option, site, Sys.time())
  expect_equal(way$prepare[1], 30)
  expect_equal(way$install[1], 50)
  expect_identical(c(way$prepass_tasks, way$parts), c(4L, 3L))
  expect_true(way$prepass_on_one && way$until_end)
  expect_equal(c(way$merge[1], way$encode[1], way$fails, way$vanish, way$cap, way$cap_lag),
               c(2, 8, 0.02, -log(0.9), 9, 60))
  expect_equal(way$node_sd, log(1.2))
  expect_equal(option$speed, 0.5)
})
