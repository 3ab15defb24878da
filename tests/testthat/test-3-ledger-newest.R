check_newest <- function(ledger) {
  rows <- long_history(ledger)
  set_index(ledger)
  con <- ledger$con
  read <- function(...) {
    x <- newest_runs(con, ...)
    if (is.null(x)) return(NULL)
    select_places(ledger, x)[["wall_s"]]
  }
  expect_null(read(NULL, list(), nrow(rows), 50))
  expect_identical(read(NULL, list(), 100, 450), newest_by_hand(rows, 3)$wall_s)
  # Of more settings than are read every so many-th frame, from the first of each scene: a scene of
  # one frame stays.
  kept <- newest_by_hand(rows, 1)
  kept <- kept[(kept$frame - ifelse(kept$scene == "stage", 5, 11)) %% 8 == 0, ]
  expect_identical(read(NULL, list(), 100, 20), kept$wall_s)
  basin <- newest_by_hand(rows[rows$scene == "basin", ], 3)
  expect_identical(read("scene = ?", list("basin"), 20, 150), basin$wall_s)
}

test_that("of a long history the newest of each setting are read, and what is left is said", {
  ledger <- open_ledger(":memory:")
  on.exit(close_ledger(ledger))
  check_newest(ledger)
})

test_that("a server reads the same of a long history", {
  check_newest(server_ledger())
})

check_compared <- function(ledger) {
  rows <- long_history(ledger, 3)
  all <- compare_timings(ledger, "engine_version")
  expect_false(any(grepl("all but", all$note)))
  set_index(ledger)
  swap("compared_whole", 100)
  swap("compared_part", 300)
  swap("stretch_rows", 40)
  # A third of the frames, in one of two stretches, the newest among them.
  stretch <- ((nrow(rows) - seq_len(nrow(rows))) %/% 40 * 7919) %% 10007 %% 2 == 0
  kept <- rows[stretch & (rows$frame - ifelse(rows$scene == "stage", 5, 11)) %% 3 == 0, ]
  part <- compare_timings(ledger, "engine_version")
  expect_match(part$note[part$basis == "total work"], paste(
    "timings all but those of some frames of each scene, in one of 2 stretches of the history"
  ), fixed = TRUE)
  by_hand <- compare_timings(kept, "engine_version")
  expect_equal(as.data.frame(part)[setdiff(names(part), "note")],
               as.data.frame(by_hand)[setdiff(names(by_hand), "note")])
  expect_setequal(part$scene, all$scene)
  expect_lt(max(abs(part$ratio / 1.2 - 1)), 0.03)
  only <- compare_timings(ledger_part(ledger, list(scene = "hall")), "engine_version")
  expect_match(only$note, paste(whole_number(sum(rows$scene == "hall")), "timings all but"),
               fixed = TRUE)
}

test_that("a long history is compared by a part in which partners stay together, and finds what all of it finds", {
  ledger <- open_ledger(":memory:")
  on.exit(close_ledger(ledger))
  check_compared(ledger)
  # Without the index some stretches of all are read.
  DBI::dbExecute(ledger$con, "DROP INDEX runs_of_setting")
  swap("compared_whole", 100)
  swap("compared_part", 300)
  expect_false(any(grepl("all but", compare_timings(ledger, "engine_version")$note)))
  swap("indexed_rows", 200)
  part <- compare_timings(ledger, "engine_version")
  expect_match(paste(part$note, collapse = " "), "all but one of 5 stretches of the history",
               fixed = TRUE)
  expect_gt(min(part$ratio), 1.1)
})

test_that("a server compares the same part", {
  check_compared(server_ledger())
})

test_that("a file gets its index when it has become long, and not before", {
  ledger <- open_ledger(":memory:")
  on.exit(close_ledger(ledger))
  rows <- long_history(ledger)
  expect_false(has_setting_index(ledger$con))
  swap("indexed_rows", nrow(rows) + 2)
  add_timings(ledger, rows[1, ])
  expect_false(has_setting_index(ledger$con))
  add_timings(ledger, rows[2, ])
  expect_true(has_setting_index(ledger$con))
})
