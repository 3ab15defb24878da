test_that("of files that came together each is withdrawn by itself", {
  ledger <- memory_ledger()
  folder <- scratch()
  paths <- c(write_file(folder, "a.csv", "frame,wall_s", "1,10", "2,20"),
             write_file(folder, "b.csv", "frame,wall_s", "3,30", "4,40", "5,50"),
             write_file(folder, "c.csv", "frame,wall_s", "6,60"))
  import_timings(paths, ledger = ledger)
  expect_identical(
    DBI::dbGetQuery(ledger$con, "SELECT timings FROM imports ORDER BY rowid")$timings,
    c(2L, 3L, 1L))
  expect_identical(withdraw_import(ledger, clockpigeon:::content_mark(paths[2])), 3L)
  expect_identical(timings(ledger)$frame, c(1L, 2L, 6L))
  expect_identical(nrow(import_timings(paths[2:3], ledger = ledger, again = TRUE)), 4L)
  expect_identical(timings(ledger)$frame, c(1L, 2L, 3L, 4L, 5L, 6L))
})

test_that("what a file gave is withdrawn by corrections, once, and can come again", {
  ledger <- memory_ledger()
  path <- write_file(scratch(), "a.csv", "frame,wall_s", "1,10", "2,20")
  other <- write_file(scratch(), "b.csv", "frame,wall_s", "7,70")
  import_timings(path, ledger = ledger)
  import_timings(other, ledger = ledger)
  mark <- clockpigeon:::content_mark(path)
  expect_identical(withdraw_import(ledger, mark), 2L)
  expect_identical(timings(ledger)$frame, 7L)
  expect_identical(timings(ledger, replaced = TRUE)$frame, c(1L, 2L, 7L))
  expect_false(mark %in% imported_marks(ledger))
  expect_refusal(withdraw_import(ledger, mark), "import", "could be withdrawn")
  expect_identical(nrow(import_timings(path, ledger = ledger)), 2L)
  expect_identical(nrow(import_timings(path, ledger = ledger)), 0L)
  expect_identical(nrow(import_timings(path, ledger = ledger, again = TRUE)), 2L)
  expect_setequal(timings(ledger)$frame, c(7L, 1L, 2L))
  expect_error(DBI::dbExecute(ledger$con, "DELETE FROM import_turns"), "append only")
})
