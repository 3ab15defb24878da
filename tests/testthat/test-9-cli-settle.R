test_that("settle shows the steps, writes what was asked for, and ends with 3 where something is too much", {
  x <- rendered_job("prices=1.6")
  withr::local_dir(x$folder)
  # The command reads the project's own file.
  cat("bill: {as: csv, map: {kind: Sort, item: What, quantity: Hours, unit: Per, price: Rate, amount: Cost,",
      "currency: Cur, node: Machine, began: From, ended: To, frames: Frame, job: Job}, kinds: {usage: [use]},",
      "units: {device-hour: [device hours], job: [order]}}\n", file = "sites/saltmill.yaml",
      append = TRUE)
  close_ledger(x$ledger)
  told <- run_cli("settle", "review-1")
  expect_identical(told$status, 3L)
  expect_match(paste(told$out, collapse = " "), "Too much: ")
  bill <- write_bill(farm_lines(x))
  honest <- run_cli("settle", "--bill", bill, "--figure", "steps.png", "--export", "lines.csv")
  expect_identical(honest$status, 0L)
  expect_true(file.exists("steps.png"))
  expect_true(clockpigeon:::is_standard_bill(utils::read.csv("lines.csv")))
  # What was written is of that job, and of no other.
  utils::write.csv(transform(utils::read.csv("lines.csv"), Tags = "{\"job\": \"saltmill-9\"}"),
                   "other.csv", row.names = FALSE)
  expect_match(paste(run_cli("settle", "--bill", "other.csv")$said, collapse = " "),
               "is of another job, 'saltmill-9'")
  steps <- utils::read.csv(text = run_cli("settle", "--format", "csv")$out)
  expect_identical(names(steps), c("step", "after", "difference"))
  expect_match(paste(run_cli("settle", "--bill", "nowhere.csv")$said, collapse = " "),
               "there is no such file")
  refused <- run_cli("settle", "--dispute", "d.md", "--site", "quayside")
  expect_identical(refused$status, 2L)
})

test_that("what is asked too much is written for the site", {
  x <- rendered_job("prices=1.6")
  withr::local_dir(x$folder)
  close_ledger(x$ledger)
  told <- run_cli("settle", "review-1", "--dispute", "dispute")
  expect_identical(told$status, 3L)
  expect_true(all(file.exists(c("dispute.md", "dispute.json"))))
  findings <- utils::read.csv(text = run_cli("settle", "review-1", "--list", "findings", "--format",
                                             "csv")$out)
  expect_equal(sum(findings$amount), jsonlite::fromJSON("dispute.json")$too_much)
})
