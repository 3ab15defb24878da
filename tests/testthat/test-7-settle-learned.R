# Outcomes of jobs at saltmill, each some times as long and as dear as its forecast.
ledger_of_outcomes <- function(times, dearer = times, evidence = "measured", env = parent.frame()) {
  dearer <- rep_len(dearer, length(times))
  ledger <- open_ledger(":memory:")
  withr::defer(close_ledger(ledger), envir = env)
  q <- exp(stats::qnorm(clockpigeon:::forecast_probs, log(1000), 0.25))
  for (k in seq_along(times)) {
    job <- paste0("job-", k)
    clockpigeon:::add_job(ledger, list(name = job))
    rows <- data.frame(made_at = "2026-11-01T00:00:00Z", site = "saltmill", tier = "brisk",
                       evidence = evidence, what = c("finish_s", "cost", "failed"),
                       actual = c(1000 * times[k], 1000 * dearer[k], 0.1), count = c(40, 40, 50))
    rows[clockpigeon:::forecast_points()] <- rbind(q, q, 0 * q)
    rows$key <- paste("saltmill", rows$what)
    clockpigeon:::add_outcomes(ledger, job, rows)
  }
  ledger
}

test_that("a ledger without settled jobs teaches nothing, and says how to begin", {
  ledger <- open_ledger(":memory:")
  withr::defer(close_ledger(ledger))
  x <- learned(ledger)
  expect_identical(nrow(x$scores), 0L)
  expect_match(clockpigeon:::learned_lines(x), "clockpigeon settle", all = FALSE)
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  expect_null(plan_options(job, project$sites, learned = x)$corrections)
})

test_that("scores, corrections and rates are of the jobs there were", {
  x <- learned(ledger_of_outcomes(c(1.6, 1.5, 1.7, 1.6, 1.5), 1))
  scores <- as.data.frame(x$scores)
  finish <- scores[scores$what == "finish_s" & scores$whose == "as is", ]
  expect_identical(c(finish$jobs, finish$inside), c(5L, 0L))
  expect_equal(finish$bias, 1.6)
  fix <- as.data.frame(x$corrections)
  expect_gt(fix$factor[fix$what == "finish_s"], 1.35)
  # That runs failed, which nobody had forecast, explains a part of the cost; the rest is taken
  # back.
  expect_equal(fix$factor[fix$what == "cost"] * clockpigeon:::failing_work(0.085), 1,
               tolerance = 0.01)
  expect_identical(unique(fix$jobs), 5L)
  rates <- as.data.frame(x$rates)
  expect_equal(rates$learned[rates$what == "failed"], (0.1 * 250 + 0.5) / 300)
  # Where the card says that a fifth of runs fails, that is what is believed before.
  card <- data.frame(actual = c(0.1, 0.3), count = c(50, 50), p50 = 0.2)
  expect_equal(clockpigeon:::failing_rate(card)$learned, (5 + 15 + 0.2 * 50) / 150)
  expect_identical(learned(ledger_of_outcomes(1.6), but = "JOB-1")$scores,
                   learned(ledger_of_outcomes(numeric()))$scores)
  said <- paste(clockpigeon:::learned_lines(x), collapse = " ")
  expect_match(said, "5 settled jobs")
  expect_match(said, "5 of 5 jobs\\s+ended outside")
})

test_that("what is learned of claimed speeds is kept apart from what was measured", {
  x <- learned(ledger_of_outcomes(c(2, 2, 2), evidence = "claimed"))
  expect_identical(unique(x$corrections$known), "said")
  project <- read_project(demo_file())
  job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
  fix <- plan_options(job, project$sites, only = "saltmill", learned = x)$corrections
  fix <- fix[fix$what %in% c("finish_s", "cost"), ]
  expect_true(all(fix$jobs[fix$known == "measured"] == 0))
  expect_lt(max(fix$bias[fix$known == "measured"]), 0.12)
})

test_that("what a site said was left is scored by what was", {
  events <- data.frame(what = c("placed", "claim", "claim", "claim"), place = c(NA, "s", "s", "s"),
                       source = "x", amount = c(NA, 900, 250, 5),
                       time = c("2026-11-01T00:00:00Z", "2026-11-01T00:01:00Z",
                                "2026-11-01T00:08:20Z", "2026-11-01T00:16:00Z"))
  expect_equal(clockpigeon:::claim_ratio(events, "s", 1000), 2)
  expect_identical(clockpigeon:::claim_ratio(events[1, ], "s", 1000), NA_real_)
})

test_that("a settled job teaches the next forecast of its site", {
  x <- rendered_job("prices=1.5")
  x$settle()
  taught <- learned(x$ledger)
  # Its speed was only claimed.
  expect_setequal(unique(taught$scores$whose), c("forecast", "as is", "seller"))
  expect_identical(nrow(taught$corrections), 2L)
  job <- render_job(x$project$shots["gears-review"], c(pebble = "1.1"), timings(x$ledger),
                    x$project$currency, x$project$rates, x$project$time_zone)
  plain <- forecast_job(plan_options(job, x$project$sites,
                                     only = c("saltmill", "brisk", "nodes=10")), draws = 200)
  fixed <- forecast_job(plan_options(job, x$project$sites,
                                     only = c("saltmill", "brisk", "nodes=10"), learned = taught),
                        draws = 200)
  expect_s3_class(fixed$scenario$corrections, "data.frame")
  expect_identical(unique(fixed$scenario$corrections$site), "saltmill")
  # Its frames have made the speed a measured one: what was learned while it was only claimed counts
  # a little, as of all sites.
  whole <- fixed$scenario$corrections$what %in% c("finish_s", "cost")
  expect_true(all(fixed$scenario$corrections$jobs[whole] == 0))
  change <- mean(log(fixed$draws$cost)) - mean(log(plain$draws$cost))
  expect_gt(abs(change), 0)
  expect_lt(abs(change), 0.1)
})
