test_that("rows are written once for their key, and settings once for all that share them", {
  ledger <- open_ledger(":memory:")
  on.exit(close_ledger(ledger))
  rows <- filled_timings(data.frame(scene = c("gears", "basin", "gears"), frame = 1L,
                                    engine = "sundew"), "x")
  ids <- setting_ids(ledger$con, rows, row_codes(rows, setting_columns))
  expect_identical(ids[1], ids[3])
  expect_false(ids[1] == ids[2])
  expect_identical(setting_ids(ledger$con, rows[2, ], 1L), ids[2])
  one <- list(mark = c("a", "b"), path = c("a.csv", "b.csv"))
  expect_equal(insert_rows(ledger$con, "imports", one), 2)
  insert_rows(ledger$con, "imports", list(mark = c("b", "c"), path = rep("c.csv", 2)), once = TRUE)
  expect_identical(ask_rows(ledger$con, "SELECT path FROM imports ORDER BY mark")$path,
                   c("a.csv", "b.csv", "c.csv"))
})

test_that("what is the same in thousands of rows comes back as it was given", {
  ledger <- open_ledger(":memory:")
  on.exit(close_ledger(ledger))
  n <- 6000L
  odd <- "it's ? \u00fc; -- NULL"
  rows <- data.frame(activity = "render", scene = "gears", frame = seq_len(n), wall_s = 0.1 + 0.2,
                     status = "ok", kind = "measured", run_order = 7L, note = odd,
                     output = c(rep("same", n - 1), NA))
  add_timings(ledger, rows)
  there <- timings(ledger)
  expect_identical(lapply(as.list(there[names(rows)]), unique), lapply(as.list(rows), unique))
  expect_identical(there$output, rows$output)
  # All columns alike are still so many rows.
  insert_rows(ledger$con, "edits", list(file = rep("a.yaml", n), change = rep("{}", n)))
  expect_identical(as.integer(ask_rows(ledger$con, "SELECT count(*) AS n FROM edits")$n), n)
})

test_that("what comes back has the types of a timing, and a text among numbers is said", {
  x <- typed_columns(all_columns(data.frame(frame = 3, wall_s = NA, warm = 1L),
                                 c("frame", "wall_s", "warm", "note")))
  expect_identical(lapply(x, class),
                   list(frame = "integer", wall_s = "numeric", warm = "logical",
                        note = "character"))
  expect_refusal(typed_columns(data.frame(wall_s = "slow")), "ledger",
                 "a text where a number belongs")
  expect_identical(nchar(new_ids(3)), rep(nchar(new_ids(1)), 3))
  expect_identical(length(unique(new_ids(1000))), 1000L)
  expect_identical(utc_now(as.POSIXct("2026-03-01 12:00:00.25", tz = "UTC")),
                   "2026-03-01T12:00:00.250Z")
})
