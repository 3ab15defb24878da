test_that("nothing is spooled of a file, and of a server what was not taken, which comes once", {
  withr::local_envvar(CLOCKPIGEON_SPOOL = scratch())
  file <- open_ledger(":memory:")
  expect_error(kept_safe(file, "timings", data.frame(), function() stop("no"), NULL), "no")
  expect_false(is_lost(file))
  close_ledger(file)
  at <- server_address_here()
  ledger <- open_ledger(at)
  on.exit(close_ledger(ledger))
  add_job(ledger, list(name = "night"))
  # The connection ends under its feet, as when a server is restarted.
  cut <- function() {
    pid <- DBI::dbGetQuery(ledger$con, "SELECT pg_backend_pid() AS p")$p
    other <- connect_server(at, FALSE)
    DBI::dbGetQuery(other, "SELECT pg_terminate_backend($1)::text", params = list(pid))
    DBI::dbDisconnect(other)
  }
  rows <- example_timings()[1:25, setdiff(names(example_timings()), "id")]
  # A server that is back is written to at once.
  cut()
  expect_silent(add_timings(ledger, rows))
  expect_identical(nrow(timings(ledger)), 25L)
  cut()
  expect_silent(add_events(ledger, "night", data.frame(what = "placed")))
  expect_identical(job_events(ledger, "night")$what, "placed")
  expect_length(spooled_files(at), 0)
  # One that is gone for good is said to be, once.
  gone <- sub(":[0-9]+/", ":1/", at)
  ledger$path <- gone
  cut()
  expect_message(add_events(ledger, "night", data.frame(what = "frame-done", frame = 1L)),
                 "delivered when it answers")
  expect_silent(add_events(ledger, "night", data.frame(what = "frame-done", frame = 2L)))
  expect_refusal(job_events(ledger, "night"), "ledger", "refused")
  expect_length(spooled_files(gone), 2)
  dir.create(spool_folder(at), FALSE, TRUE)
  expect_true(all(file.rename(spooled_files(gone),
                              file.path(spool_folder(at), basename(spooled_files(gone))))))
  ledger$path <- at
  add_events(ledger, "night", data.frame(what = "frame-done", frame = 3L))
  expect_identical(job_events(ledger, "night")$frame, c(NA, 1L, 2L, 3L))
  expect_length(spooled_files(at), 0)
  # What had come before the connection was lost adds nothing when it is delivered.
  kept <- as.data.frame(timings(ledger))
  spool_rows(ledger, "timings", kept, NULL)
  expect_identical(deliver_spool(ledger, "timings", timings_again(ledger)), 1L)
  expect_identical(nrow(timings(ledger)), 25L)
  # What belongs to rows that are there is refused, not kept.
  cut()
  expect_refusal(add_timings(ledger, rows[1, ], replaces = kept$id[1]), "ledger",
                 "Nothing was changed")
})
