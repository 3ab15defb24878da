test_that("a decision's question is asked again as it was, of the project as it is", {
  x <- decided(budget = "2 EUR")
  decision <- clockpigeon:::job_plan_record(x$ledger, "review-1")
  asked <- clockpigeon:::replan_job(decision, x$project)
  expect_identical(vapply(asked$shots, `[[`, "", "shot"), "gears-review")
  expect_identical(asked$engine, c(pebble = "1.1"))
  expect_null(asked$done)
  question <- asked$question(this_moment() + 600)
  expect_equal(question$deadline_s, 30 * 60 - 600, tolerance = 0.01)
  expect_equal(question$budget, 2)
  # Frames that were done when it was decided are in no question.
  decision$asked$shots[[1]]$frames <- "5-12"
  expect_identical(clockpigeon:::replan_job(decision, x$project)$done, "gears-review 1-4")
  x$project$shots[["gears-review"]]$limit$samples <- 99L
  expect_refusal(clockpigeon:::replan_job(decision, x$project), "job",
                 c("was decided at", "decide again"))
  expect_refusal(clockpigeon:::job_plan_record(x$ledger, "gears-final"), "job", "no plan")
})

test_that("a job's own frames are evidence unless it is held against them", {
  x <- decided()
  add_timings(x$ledger, some_timings(9, shot = "gears-review", scene = "gears", frame = 6L,
                                     engine = "pebble", engine_version = "1.1", limit_value = 6,
                                     node = "here", site = "attic", job = "review-1"))
  asked <- clockpigeon:::replan_job(clockpigeon:::job_plan_record(x$ledger, "review-1"), x$project)
  with <- clockpigeon:::asked_job(x$ledger, asked, x$project)
  without <- clockpigeon:::asked_job(x$ledger, asked, x$project, "review-1")
  expect_true("review-1" %in% with$evidence$job)
  expect_false("review-1" %in% without$evidence$job)
})
