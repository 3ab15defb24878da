test_that("a job's name is its own, and leads to what happened to it", {
  ledger <- memory_ledger()
  clockpigeon:::add_job(ledger, list(name = "night-1"))
  expect_refusal(clockpigeon:::add_job(ledger, list(name = "night-1")), "job",
                 c("was used before", "Name it night-2"))
  expect_refusal(clockpigeon:::add_job(ledger, list(name = "Night-1")), "job",
                 "differs only in case from night-1")
  expect_refusal(clockpigeon:::add_job(ledger, list(name = "a/b")), "job", "Write letters, digits")
  expect_identical(jobs(ledger)$name, "night-1")
  expect_refusal(job_events(ledger, "nigth-1"), "job", "Did you mean night-1")
})

test_that("events are appended, and a repeated one is harmless", {
  ledger <- memory_ledger()
  clockpigeon:::add_job(ledger, list(name = "night"))
  seen <- data.frame(what = c("rendering", "arrived"), frame = c(3L, 3L), node = "attic-1",
                     time = c("2026-11-24T20:00:00.000Z", "2026-11-24T20:02:10.000Z"))
  expect_identical(add_events(ledger, "night", seen), 2L)
  expect_identical(add_events(ledger, "night", seen), 0L)
  expect_identical(add_events(ledger, "NIGHT",
                              data.frame(what = "arrived", frame = 4L, key = "4 arrived")), 1L)
  expect_identical(add_events(ledger, "night",
                              data.frame(what = "arrived", frame = 4L, key = "4 arrived")), 0L)
  x <- job_events(ledger, "night")
  expect_identical(x$what, c("rendering", "arrived", "arrived"))
  expect_identical(x$frame, c(3L, 3L, 4L))
  expect_false(is.unsorted(x$sequence, strictly = TRUE))
  expect_identical(jobs(ledger)$events, 3L)
  expect_error(DBI::dbExecute(ledger$con, "UPDATE events SET what = 'lost'"), "append only")
  expect_refusal(add_events(ledger, "night", data.frame(frame = 1)), "columns", "what")
  expect_refusal(add_events(ledger, "night", data.frame(what = "", frame = 1)), "event", "row 1")
  expect_refusal(add_events(ledger, "night", data.frame(what = "lost", mood = 1)), "field", "mood")
})

test_that("lines of bills are kept once each", {
  ledger <- memory_ledger()
  clockpigeon:::add_job(ledger, list(name = "night"))
  line <- data.frame(site = "saltmill", item = "rendering", amount = 12.5, currency = "GBP",
                     basis = "billed", key = "2026-11/1")
  expect_identical(clockpigeon:::add_charges(ledger, "night", line), 1L)
  expect_identical(clockpigeon:::add_charges(ledger, "night", line), 0L)
  expect_identical(clockpigeon:::job_charges(ledger, "night")$amount, 12.5)
})

test_that("a decision is written down as a job, with what was promised, and read back", {
  ledger <- memory_ledger()
  f <- forecast_job(plan_options(exact_job(10), exact_site()), draws = 20)
  record_job(ledger, choose_option(f, "2 min", 5), "s-final", by = "me")
  x <- jobs(ledger)
  expect_identical(c(x$name, x$by, x$pick), c("s-final", "me", "x t, 5 nodes"))
  expect_identical(clockpigeon:::job_decision(ledger, "s-final")$pick, "x t, 5 nodes")
  p <- clockpigeon:::job_promises(ledger, "s-final")
  expect_identical(p$what, c("finish_s", "cost"))
  expect_equal(p$p50, c(sort(f$draws$finish_s[21:40])[10], sort(f$draws$cost[21:40])[10]),
               tolerance = 0.02)
  expect_identical(job_events(ledger, "s-final")$what, "decided")
  row <- DBI::dbGetQuery(ledger$con, "SELECT question, shots, scenario FROM jobs")
  expect_identical(jsonlite::fromJSON(row$shots)$frames, "1-12")
  expect_identical(jsonlite::fromJSON(row$scenario)$options$site[1], "x")
  expect_refusal(record_job(ledger, choose_option(f), "S-FINAL"), "job", "differs only in case")
})

test_that("a list of jobs that were placed before is taken in once", {
  ledger <- memory_ledger()
  path <- demo_file("jobs.csv")
  expect_identical(import_jobs(path, ledger), 2L)
  expect_identical(import_jobs(path, ledger), 0L)
  expect_identical(jobs(ledger)$name, c("gears-final", "basin-test"))
  expect_identical(job_events(ledger, "gears-final")$what, "cancelled")
  short <- write_file(scratch(), "jobs.csv", "job", "a", "a", "b")
  expect_identical(import_jobs(short, ledger), 2L)
  expect_refusal(import_jobs(write_file(scratch(), "jobs.csv", "name", "a"), ledger), "columns",
                 "job")
})

test_that("ids of jobs are found by any case, kept, and not mixed up", {
  ledger <- memory_ledger()
  ids <- vapply(c("night", "day"), function(name) clockpigeon:::add_job(ledger, list(name = name)), "")
  for (turn in 1:2) {
    expect_identical(clockpigeon:::job_id(ledger, "Night"), ids[["night"]])
    expect_identical(clockpigeon:::job_id(ledger, "day"), ids[["day"]])
    expect_refusal(clockpigeon:::job_id(ledger, "nigh"), "job", "Did you mean night?")
  }
  # A job that is added after it was looked for.
  expect_refusal(clockpigeon:::job_id(ledger, "dusk"), "job")
  dusk <- clockpigeon:::add_job(ledger, list(name = "dusk"))
  expect_identical(clockpigeon:::job_id(ledger, "dusk"), dusk)
})
