test_that("what goes in comes out, types and NA included", {
  ledger <- memory_ledger()
  x <- example_timings()
  ids <- add_timings(ledger, x)
  out <- timings(ledger)
  expect_identical(out$id, ids)
  expect_identical(as.data.frame(out[-1]), as.data.frame(x[-1]))
  expect_identical(nrow(timings(ledger, scene = c("gears", "basin"), limit_kind = "noise")),
                   sum(x$scene %in% c("gears", "basin") & x$limit_kind == "noise"))
})

test_that("a correction replaces a row and keeps it", {
  ledger <- memory_ledger()
  ids <- add_timings(ledger, some_timings(c(81, 20)))
  new <- add_timings(ledger, some_timings(18), replaces = ids[1])
  expect_identical(timings(ledger)$wall_s, c(20, 18))
  expect_identical(timings(ledger, replaced = TRUE)$wall_s, c(81, 20, 18))
  expect_refusal(add_timings(ledger, some_timings(1), replaces = "nobody"), "ledger", "nobody")
  expect_refusal(add_timings(ledger, some_timings(1), replaces = c("a", "b")), "ledger")
  expect_identical(nrow(timings(ledger, replaced = TRUE)), 3L)
  expect_false(new %in% ids)
})

test_that("all rows are added or none", {
  ledger <- memory_ledger()
  x <- as.data.frame(some_timings(1:3))
  x$status[3] <- "finished"
  expect_refusal(add_timings(ledger, x), "timing", "row 3")
  x <- some_timings(1:2, id = c("same", "same"))
  expect_refusal(add_timings(ledger, x), "ledger", "Nothing was changed")
  expect_identical(nrow(timings(ledger)), 0L)
  expect_refusal(timings(ledger, colour = "red"), "field", "colour")
})

test_that("a ledger is compared as its timings are", {
  ledger <- memory_ledger()
  add_timings(ledger, example_timings())
  id <- add_timings(ledger, some_timings(c(9, 4), engine_version = c("1.0", "1.1")))
  add_timings(ledger, some_timings(5, engine_version = "1.1"), replaces = id[2])
  for (by in c("engine_version", "device", "limit", "engine")) {
    expect_equal(compare_timings(ledger, by), compare_timings(timings(ledger), by))
  }
  expect_identical(clockpigeon:::ask_rows(ledger$con, "SELECT count(*) AS n FROM settings")$n,
                   nrow(unique(timings(ledger, replaced = TRUE)[clockpigeon:::setting_columns])))
})
