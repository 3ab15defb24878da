test_that("a job is watched from the ledger and its folders, and an update takes what cannot have changed", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-8")
  expect_refusal(watch_job(x$project, x$ledger, "review-1"), "job",
                 c("was not placed", "clockpigeon place review-1"))
  expect_refusal(watch_job(x$project, x$ledger, "gears-final"), "job", "no plan")
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  w <- watch_job(x$project, x$ledger, "review-1")
  expect_s3_class(w, "cp_watch")
  expect_identical(w$parts$there, 8)
  expect_identical(w$frames$state, rep("arrived", 8))
  expect_identical(w$nodes$node, "here")
  expect_true(all(w$came > 0 & w$came < w$passed_s))
  expect_identical(nrow(w$alarms), 0L)
  again <- watch_job(x$project, x$ledger, "review-1", last = w)
  expect_identical(again$begun, w$begun)
  expect_equal(again$draws$finish_s, w$draws$finish_s)
  expect_refusal(watch_job(x$project, x$ledger, "review-1", last = 1), "type", "watch_job()")
  # As it stood when nothing had come.
  before <- watch_job(x$project, x$ledger, "review-1", now = w$placed + 0.001)
  expect_identical(before$parts$there, 0)
  expect_gt(min(before$draws$finish_s), 0.1)
  expect_gt(stats::sd(before$draws$finish_s), stats::sd(w$draws$finish_s))
})

test_that("where frames appear is what was told last, and when it was placed", {
  ledger <- ledger_of_job()
  tell <- function(time, place, detail) clockpigeon:::add_events(ledger, "night", data.frame(
    what = "placed", time = time, place = place, detail = detail,
                                                                            key =
    paste(place, detail)))
  decision <- list(made_at = "2026-11-24T10:00:00Z")
  none <- clockpigeon:::placed_of(ledger, "night", decision)
  expect_identical(format(none$moment, "%H:%M", tz = "UTC"), "10:00")
  expect_length(none$folders, 0)
  tell("2026-11-24T12:00:00Z", c("attic", "far"), c("/a", "/f"))
  tell("2026-11-24T12:00:00Z", "far", "/g")
  told <- clockpigeon:::placed_of(ledger, "night", decision)
  expect_identical(told$folders[c("attic", "far")], list(attic = "/a", far = "/g"))
  expect_identical(format(told$moment, "%H:%M", tz = "UTC"), "12:00")
})

test_that("all jobs that run are a table, ended and stopped ones are not in it", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-8")
  expect_identical(nrow(clockpigeon:::watch_all(x$project, x$ledger)), 0L)
  at <- scratch()
  clockpigeon:::add_events(x$ledger, "review-1",
                           data.frame(what = "placed", place = "attic", detail = at))
  some <- clockpigeon:::watch_all(x$project, x$ledger)
  expect_identical(some$job, "review-1")
  expect_identical(c(some$there, some$frames), c(0L, 8L))
  expect_true(some$p10 <= some$p50 && some$p50 <= some$p90)
  text <- clockpigeon:::running_jobs_lines(some, 80)
  expect_lte(max(nchar(text)), 80)
  expect_match(text, "review-1 +0 of 8", all = FALSE)
  # What cannot be said is said so.
  x$project$shots[["gears-review"]]$limit$samples <- 7L
  expect_match(clockpigeon:::watch_all(x$project, x$ledger)$says, "was decided at")
  clockpigeon:::add_events(x$ledger, "review-1", data.frame(what = "stopped"))
  expect_identical(nrow(clockpigeon:::watch_all(x$project, x$ledger)), 0L)
  expect_match(clockpigeon:::running_jobs_lines(clockpigeon:::watch_all(x$project, x$ledger)),
               "No job is running")
})
