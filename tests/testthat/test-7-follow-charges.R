test_that("an own pool's part is priced by its card once it has ended, as bill() prices what it took", {
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-6")
  place <- plan_place(x$project, x$ledger, "review-1")
  place_job(place, x$ledger, progress = FALSE)
  lines <- clockpigeon:::job_charges(x$ledger, "review-1")
  rows <- as.data.frame(timings(x$ledger, job = "review-1"))
  expect_identical(nrow(rows), 6L)
  # 420 W for so long, 0.31 EUR a kWh, by the second.
  kwh <- ceiling(sum(rows$wall_s)) * 420 / 3.6e6
  expect_equal(lines$quantity[1], kwh, tolerance = 0.25)
  expect_equal(sum(lines$amount), round(0.31 * lines$quantity[1], 2))
  expect_identical(unique(lines[c("site", "currency", "basis", "source")]),
                   data.frame(site = "attic", currency = "EUR", basis = "priced",
                              source = "own pool"))
  # Placed again, with nothing left to do, nothing is charged twice.
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  expect_identical(clockpigeon:::job_charges(x$ledger, "review-1"), lines)
})

test_that("what a node waits between its frames is its own time, that of other nodes is not", {
  usage <- data.frame(node = c("a", "a", "b"), began = "2026-11-27 10:00")
  runs <- data.frame(node = c("a", "a", "b"), began = c(0, 20, 0), seconds = c(10, 5, 7))
  idle <- clockpigeon:::between_runs(usage, runs)
  expect_identical(idle$node, "a")
  expect_equal(idle$seconds, 10)
  expect_identical(unname(unlist(idle[c("activity", "status", "frames")])), c("idle", "ok", "0"))
})
