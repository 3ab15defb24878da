test_that("a job without a bill says so with its command; findings and the promise are texts", {
  skip_if_not_installed("shiny")
  html <- function(x) as.character(shiny::tagList(x))
  expect_match(html(clockpigeon:::bill_block(list(none = "bill"), "night")),
               "clockpigeon settle night --bill FILE", fixed = TRUE)
  expect_match(html(clockpigeon:::bill_block(list(none = "settled"), "night")),
               "clockpigeon settle night<", fixed = TRUE)
  expect_match(html(clockpigeon:::bill_block(list(trouble = "no ledger"), "night")), "no ledger")
  settled <- list(head = "Job night: <b>", figure = NULL, findings = "! line 1: <i>",
                  steps = data.frame(
    step = c("promised", "rate"), change = c("", "-1.50"), EUR = c("9.00", "7.50"), why = c("", "x")
  ))
  said <- html(clockpigeon:::bill_block(settled, "night"))
  expect_match(said, "-1.50", fixed = TRUE)
  expect_match(said, "7.50", fixed = TRUE)
  expect_no_match(said, "<b>|<i>")
  looked <- list(looked = 3, frames = 3, usable = 2, sheet = NULL, findings = data.frame(
    shot = "gears", frame = 2L, code = "black", weight = "unusable", what = "is <black>",
    evidence = "0.1 %"
  ))
  found <- html(clockpigeon:::pictures_block(looked, "night"))
  expect_match(found, "2 of 3 frames are usable", fixed = TRUE)
  expect_match(found, "is &lt;black&gt;", fixed = TRUE)
  expect_match(found, "clockpigeon verify night --again", fixed = TRUE)
  expect_match(html(clockpigeon:::pictures_block(list(waiting = TRUE), "night")), "Looking")
})

test_that("what is asked of a placed job beside the page: its bill, its pictures, what was learned", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-8")
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  root <- x$project$root
  # What its own nodes took is priced by their card, and not yet held against the promise.
  expect_identical(clockpigeon:::compute_settlement(root, "review-1")$none, "settled")
  seen <- clockpigeon:::compute_verification(root, "review-1")
  expect_identical(c(seen$frames, seen$usable), c(8L, 8L))
  expect_true(clockpigeon:::compute_scores(root)$none)
  settle_job(x$project, x$ledger, "review-1")
  after <- clockpigeon:::compute_settlement(root, "review-1")
  taught <- clockpigeon:::compute_scores(root)
  expect_true(NROW(taught$scores) > 0)
  expect_match(as.character(shiny::tagList(clockpigeon:::learned_block(taught))),
               "Scores of forecasts", fixed = TRUE)
})
