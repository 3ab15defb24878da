# A ledger with something in each table.
full_ledger <- function(where) {
  ledger <- open_ledger(where)
  ids <- add_timings(ledger, example_timings())
  row <- example_timings()[1, ]
  row$id <- NA
  add_timings(ledger, row, replaces = ids[1])
  rows <- example_timings()[1:40, ]
  rows$id <- NA
  add_import(ledger, rows, c("a.csv", "b.csv"), c("m1", "m2"), c(10, 30))
  withdraw_import(ledger, "m1")
  add_job(ledger, list(name = "night", decision = "{\"pick\":\"attic\"}"), data.frame(
    made_at = "t", stage = "before", option = "a", what = "cost", draws = 10L, seed = 1L,
    p50 = 0.1 + 0.2
  ))
  add_events(ledger, "night",
             data.frame(what = c("placed", "frame-done"), frame = c(NA, 7L),
                        seconds = c(NA, 1 / 3)))
  add_charges(ledger, "night", data.frame(site = "attic", amount = 0.1, key = c("a", "b")))
  add_outcomes(ledger, "night", data.frame(site = "attic", what = "cost", actual = 2.5, key = "k"))
  add_edit(ledger, "sites/attic.yaml", "- a\n+ b", "me")
  plan <- add_plan(ledger, "p", 3L, list(a = 1), data.frame(x = 1:2))
  machine_id(ledger, list(cpu = "x"))
  ledger
}
rows_of <- function(ledger) {
  list(timings(ledger, replaced = TRUE), job_events(ledger, "night"), job_charges(ledger, "night"),
       job_promises(ledger, "night"), job_outcomes(ledger), ledger_edits(ledger), imported_marks(ledger),
       kept_plan(ledger)$seed)
}

test_that("a ledger is moved row by row, goes on where it was cut off, and writes on as before", {
  folder <- scratch()
  from <- full_ledger(file.path(folder, "a.sqlite"))
  on.exit(close_ledger(from))
  to <- open_ledger(file.path(folder, "b.sqlite"))
  steps <- 0
  expect_error(move_ledger(from, to, batch = 100, say = function(table, done, all) {
    steps <<- steps + 1
    if (steps == 7) stop("cut off")
  }), "cut off")
  expect_lt(nrow(timings(to, replaced = TRUE)), nrow(timings(from, replaced = TRUE)))
  moved <- move_ledger(from, to, batch = 100)
  expect_identical(moved$table, ledger_parts)
  expect_true(all(nzchar(moved$hash[moved$rows > 0])))
  expect_identical(rows_of(to), rows_of(from))
  # More of the old one follows; what the new one has of its own is not overwritten.
  add_events(from, "night", data.frame(what = "frame-done", frame = 8L))
  expect_identical(move_ledger(from, to)$rows[moved$table == "events"],
                   moved$rows[moved$table == "events"] + 1)
  withdraw_import(to, "m2")
  expect_identical(imported_marks(to), character())
  expect_refusal(move_ledger(from, to), "ledger", "rows of its own")
  close_ledger(to)
})

test_that("moved to a server and back a ledger is the same, and both write on", {
  folder <- scratch()
  from <- full_ledger(file.path(folder, "a.sqlite"))
  there <- server_ledger()
  back <- open_ledger(file.path(folder, "c.sqlite"))
  on.exit({
    close_ledger(from)
    close_ledger(back)
  })
  there_hash <- move_ledger(from, there, batch = 300)
  expect_identical(move_ledger(there, back), there_hash)
  expect_identical(rows_of(there), rows_of(from))
  expect_identical(rows_of(back), rows_of(from))
  for (ledger in list(there, back)) {
    add_timings(ledger, example_timings()[1:3, setdiff(names(example_timings()), "id")])
    add_events(ledger, "night", data.frame(what = "frame-done", frame = 9L))
    withdraw_import(ledger, "m2")
    expect_identical(nrow(timings(ledger)), nrow(timings(from)) + 3L - 30L)
    expect_length(ledger_state(ledger)$faults, 0)
  }
})
