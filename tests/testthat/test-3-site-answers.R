test_that("fields of an answer have types and ranges, and a fault names field, value and type", {
  fault <- clockpigeon:::answer_fault
  types <- c(name = "text", amount = "charge", at = "moment")
  good <- list(name = "a", amount = 1.5, at = "2026-11-24T12:00:00Z")
  expect_null(fault(good, types))
  expect_identical(fault(good[-1], types), "lacks name")
  expect_null(fault(good[-1], types, optional = "name"))
  expect_match(fault(utils::modifyList(good, list(amount = 1e308)), types),
               "has the amount 1e\\+308, which is no charge of 0 or more")
  expect_match(fault(utils::modifyList(good, list(at = "2026-13-01")), types), "which is no moment")
  expect_identical(fault(list(1, 2), types), "is no record")
  expect_identical(fault("text", types), "is no record")
  of <- clockpigeon:::answer_types
  expect_false(of$count(NaN))
  expect_false(of$count(2.5))
  expect_false(of$seconds(1e9))
  expect_false(of$flag(NA))
  expect_true(of$amount(-5))
  expect_false(of$currency("ZZZZZZZZZZZZZZZZZZZZZZ"))
  expect_setequal(names(of), names(clockpigeon:::answer_type_words))
})

test_that("rows that are right are taken, and the others are told with their reason", {
  rows <- list(list(shot = "s", frame = 1), list(shot = "s", frame = -1), 4, list(frame = 2))
  found <- clockpigeon:::sound_rows(rows, c(shot = "text", frame = "count"))
  expect_identical(found$rows, rows[1])
  expect_identical(found$faults,
                   c("has the frame -1, which is no count", "is no record", "lacks shot"))
  none <- clockpigeon:::sound_rows(list(), c(shot = "text"))
  expect_identical(none, list(rows = list(), faults = character()))
})
