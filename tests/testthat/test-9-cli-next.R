test_that("next says what to find out, and does it within a budget of time", {
  folder <- local_project(sample = FALSE)
  run <- function(...) run_command_line(..., wd = folder)
  expect_identical(run("probe", "gears-review", "--first", "2", "--target", "90%", "--cheap",
                       "no")$status, 0L)
  asked <- c("--shots", "gears-review", "--deadline", "30min", "--budget", "20 EUR", "--draws",
             "200")
  said <- run("next", asked)
  expect_identical(said$status, 0L)
  expect_match(said$stdout, "The plan now: ")
  expect_match(said$stdout, "worth")
  rows <- utils::read.csv(text = run("next", asked, "--format", "csv")$stdout)
  expect_true(all(c("what", "about", "takes_s", "price", "changes", "saves", "worth",
                    "command") %in% names(rows)))
  # Frames that are done are no time to spend.
  expect_match(run("next", asked, "--done", "gears-review 1-700")$stdout,
               "700 of 720 frames are done")
  done <- run("next", asked, "--do", "5s")
  expect_true(done$status %in% c(0L, 3L))
  expect_match(done$stderr, "measured")
  expect_identical(run("next", asked, "--do", "soon")$status, 2L)
})

test_that("a spending limit is a time or money", {
  expect_identical(clockpigeon:::spending_limit("20min"), list(money = Inf, seconds = 1200))
  expect_identical(clockpigeon:::spending_limit("5 EUR"), list(money = 5, seconds = Inf))
})
