check_history <- function(ledger) {
  rows <- long_history(ledger)
  set_index(ledger)
  expect_identical(timings(ledger)$wall_s, rows$wall_s)
  near <- timings_near(ledger, "gears", most = 40)
  last <- seq_len(nrow(rows)) > nrow(rows) - 40
  gears <- newest_by_hand(rows[rows$scene == "gears", ], 120 %/% 48)
  expect_identical(near$wall_s, rows$wall_s[last | rows$wall_s %in% gears$wall_s])
  expect_identical(newest_timings(ledger, 450)$wall_s, newest_by_hand(rows, 3)$wall_s)
  last <- last_timings(ledger, 100)
  expect_identical(last$wall_s, utils::tail(rows$wall_s, 100))
  expect_identical(attr(last, "older"), whole_number(nrow(rows) - 100))
  expect_setequal(seen_nodes(ledger), "loft-1")
}

test_that("a question about some scenes takes these and the newest of the others", {
  ledger <- open_ledger(":memory:")
  on.exit(close_ledger(ledger))
  check_history(ledger)
})

test_that("a server answers the same of all timings", {
  check_history(server_ledger())
})
