test_that("what became of a job is kept once, beside what was forecast of it", {
  x <- rendered_job("fail=0.2,wait=1000s")
  x$settle()
  out <- clockpigeon:::job_outcomes(x$ledger)
  expect_setequal(out$what, c("cost", "finish_s", "speed", "wait_s", "start_s", "failed", "left_25",
                              "left_50", "left_75"))
  expect_identical(unique(out[c("job", "site", "tier")]),
                   data.frame(job = "review-1", site = "saltmill", tier = "brisk"))
  actual <- stats::setNames(out$actual, out$what)
  job <- x$farm$jobs[[1]]
  expect_equal(actual[["wait_s"]], job$begun - job$placed, tolerance = 0.01)
  expect_equal(actual[["start_s"]], min(job$nodes$up_at) - job$begun, tolerance = 0.01)
  expect_equal(actual[["finish_s"]],
               max(job$frames$ended[job$frames$state == "ready"]) - job$placed, tolerance = 0.02)
  runs <- sum(vapply(job$usage, function(u) u$activity == "render", NA))
  expect_equal(actual[["failed"]], 1 - sum(job$frames$state == "ready") / runs, tolerance = 1e-6)
  lines <- clockpigeon:::job_charges(x$ledger, "review-1")
  expect_equal(actual[["cost"]], round(sum(lines$amount), 2) * 1.1485, tolerance = 1e-3)
  expect_true(all(out$p10[out$what != "failed"] <= out$p90[out$what != "failed"]))
  x$settle()
  expect_identical(clockpigeon:::job_outcomes(x$ledger), out)
  # What was left at the half, as watch had it then.
  half <- watch_job(x$project, x$ledger, "review-1",
                    now = x$watch()$placed + actual[["finish_s"]] / 2)
  expect_equal(out$p50[out$what == "left_50"],
               unname(stats::quantile(half$draws$finish_s, 0.5, type = 1)) -
               actual[["finish_s"]] / 2, tolerance = 1e-3)
  expect_equal(actual[["left_75"]], actual[["finish_s"]] / 4)
  scores <- as.data.frame(learned(x$ledger)$scores)
  expect_setequal(scores$at[scores$what == "left_s"], c("quarter", "half", "three quarters"))
})

test_that("what it took to send a job is kept where enough was sent, by its bytes a second", {
  x <- rendered_job()
  told <- function(bytes) {
    clockpigeon:::add_events(x$ledger, "review-1",
                             data.frame(what = "uploaded", place = "saltmill", seconds = 8,
                                        amount = bytes, source = "place"))
  }
  told(1e6)
  told(1.9e7)
  x$settle()
  out <- clockpigeon:::job_outcomes(x$ledger)
  sent <- out[out$what == "upload_s", ]
  size <- x$project$shots[["gears-review"]]$upload
  expect_equal(sent$actual, 16 * size / 2e7)
  # The card says how fast its link is.
  expect_equal(sent$p50, size / x$project$sites$saltmill$link, tolerance = 0.1)
  rates <- as.data.frame(learned(x$ledger)$rates)
  expect_identical(sum(rates$what == "upload_s"), 1L)
})

test_that("a job that was stopped before its end has no outcome", {
  x <- at_farm(frames = "1-40", seconds = 60)
  x$send()
  x$pass(200)
  clockpigeon:::add_events(x$ledger, "review-1", data.frame(what = "stopped"))
  x$fetch()
  x$fetch()
  s <- settle_job(x$project, x$ledger, "review-1")
  expect_identical(nrow(clockpigeon:::job_outcomes(x$ledger)), 0L)
  expect_lt(s$steps$difference[s$steps$step == "number of frames"], 0)
  adds_up(s)
})
