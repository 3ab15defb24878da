test_that("judgements are kept, never changed, and set the noise", {
  ledger <- memory_ledger()
  sheet <- data.frame(letter = LETTERS[1:4], tile = 1, samples = c(64, 4, 16, 256),
                      noise = c(0.05, 0.2, 0.1, 0.025))
  expect_null(judged_noise(ledger, "gears"))
  judged <- judge_sheet(ledger, sheet, c("a", "D "), "gears", 7)
  expect_identical(judged$accepted, c(TRUE, FALSE, FALSE, TRUE))
  expect_equal(judged_noise(ledger, "gears"), sqrt(0.05 * 0.1))
  judge_sheet(ledger, sheet, c("A", "C", "D"), "gears", 7)
  expect_gt(judged_noise(ledger, "gears"), sqrt(0.05 * 0.1))
  expect_null(judged_noise(ledger, "basin"))
  expect_error(DBI::dbExecute(ledger$con, "UPDATE judgements SET accepted = 1"), "append only")
  expect_refusal(judge_sheet(ledger, sheet, "E", "gears", 7), "choice")
  expect_refusal(judge_sheet(ledger, transform(sheet, letter = NA), "A", "gears", 7), "type",
                 "open sheet")
})
