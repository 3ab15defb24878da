test_that("an address is taken apart, and one with a password is refused without showing it", {
  at <- server_address(
    "postgresql://studio@db.example:5433/clockpigeon?sslmode=verify-full&options=-csearch_path%3Dfilm")
  expect_identical(at, list(user = "studio", host = "db.example", port = "5433",
                            dbname = "clockpigeon", sslmode = "verify-full",
                            options = "-csearch_path=film"))
  expect_identical(server_address("postgres:///ledger"), list(dbname = "ledger"))
  expect_identical(server_address("postgresql://[::1]/a%20b"), list(host = "::1", dbname = "a b"))
  said <- tryCatch(server_address("postgresql://studio:hush@db/ledger"), error = conditionMessage)
  expect_match(said, "password", fixed = TRUE)
  expect_match(said, "pgpass", fixed = TRUE)
  expect_no_match(said, "hush")
  expect_refusal(server_address("postgresql://db/ledger?password=hush"), "ledger", "password")
  expect_refusal(server_address("postgresql://db:port/x"), "ledger", "no address")
  expect_refusal(server_address("postgresql://db/x?fast"), "ledger", "sslmode")
})

test_that("a project's ledger may be on a server", {
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  file <- file.path(folder, "clockpigeon.yaml")
  lines <- readLines(file)
  writeLines(sub("^ledger:.*$", "ledger: postgresql://studio@db/film", lines), file)
  expect_identical(read_project(folder, parts = character())$ledger, "postgresql://studio@db/film")
})

test_that("SQL is written once for both", {
  expect_identical(
    server_sql("SELECT a FROM b WHERE c = ? AND d IN (SELECT value FROM json_each(?))"),
    "SELECT a FROM b WHERE c = $1 AND d IN (SELECT jsonb_array_elements_text($2::jsonb) AS value) ")
  expect_identical(server_sql("SELECT json_extract(j.decision, '$.pick') AS pick"),
                   "SELECT (j.decision::jsonb ->> 'pick') AS pick ")
  expect_identical(server_params(list(1e5, 0.1, NA_real_, 3L, "x")),
                   list("100000", "0.10000000000000001", NA, 3L, "x"))
})

test_that("what goes into a server comes out as from a file: times, flags, counts, money, JSON, odd texts", {
  there <- server_ledger()
  here <- open_ledger(":memory:")
  on.exit(close_ledger(here))
  odd <- data.frame(
    activity = "render", scene = c("a\tb", "c\\N", "d\ne", "\"", "\u00e4\u4e2d"),
    frame = c(1, 1e5, 2147483647, 3, NA), wall_s = c(pi * 1e-9, 1e300, 0.1 + 0.2, 86400, NA),
    work = c(2^53, 1e15 + 1, 0, NA, 3), warm = c(TRUE, FALSE, NA, TRUE, NA),
    billed = c(0.1, 1234567.89, 1e-6, NA, 0), currency = "EUR",
    features = c("{\"b\": 1,  \"a\":[2]}", NA, "{}", NA, "{\"z\":0}"),
    status = c("ok", "ok", "ok", "ok", "failed"), kind = "typed",
    measured_at = "2026-03-29T01:30:00.123Z", id = letters[1:5],
    note = c("", NA, "NULL", "NA", "\\.")
  )
  for (ledger in list(there, here)) {
    add_timings(ledger, example_timings())
    add_timings(ledger, odd)
    add_timings(ledger, odd[rep(1, 30), setdiff(names(odd), "id")])
  }
  a <- as.data.frame(timings(there))
  b <- as.data.frame(timings(here))
  own <- a$id %in% letters
  expect_identical(a[own, ], b[own, ])
  expect_identical(a[setdiff(names(a), c("id", "measured_at"))],
                   b[setdiff(names(b), c("id", "measured_at"))])
  expect_identical(as_runs(there), as_runs(here))
  expect_identical(timings(there, frame = 1e5)$id, "b")
  expect_identical(nrow(timings_near(there, "gears", most = 200)),
                   nrow(timings_near(here, "gears", most = 200)))
})

test_that("a server refuses what a file refuses, and says whose database it is", {
  at <- server_address_here()
  ledger <- open_ledger(at)
  add_timings(ledger, example_timings()[1:3, ])
  add_job(ledger, list(name = "Night"))
  expect_refusal(add_job(ledger, list(name = "night")), "job", "night")
  for (sql in c("UPDATE runs SET note = 'x'", "DELETE FROM jobs", "TRUNCATE runs CASCADE",
                "DELETE FROM timings", "INSERT INTO timings (id) VALUES ('x')")) {
    expect_error(DBI::dbExecute(ledger$con, sql), "append only")
  }
  close_ledger(ledger)
  reader <- open_ledger(at, read_only = TRUE)
  on.exit(close_ledger(reader))
  expect_refusal(add_timings(reader, example_timings()[1, ]), "ledger", "Nothing was changed")
  expect_identical(nrow(timings(reader)), 3L)
  other <- server_address_here()
  con <- connect_server(other, FALSE)
  DBI::dbExecute(con, "CREATE TABLE runs (x INTEGER)")
  expect_refusal(open_ledger(other), "ledger", "no ledger of Clock Pigeon")
  DBI::dbExecute(con, "DROP TABLE runs")
  expect_refusal(open_ledger(other, read_only = TRUE), "ledger", "empty")
  close_ledger(open_ledger(other))
  DBI::dbExecute(con, "INSERT INTO ledger_forms (form, mark) VALUES (99, 1)")
  DBI::dbDisconnect(con)
  expect_refusal(open_ledger(other), "ledger", "later release")
})

test_that("two writers at once lose nothing, and a plan is run by one of them", {
  at <- server_address_here()
  close_ledger(open_ledger(at))
  write <- function(at, who) {
    ledger <- clockpigeon::open_ledger(at)
    for (k in 1:15) {
      rows <- clockpigeon::example_timings()[1:5, ]
      rows$node <- who
      clockpigeon::add_timings(ledger, rows)
    }
    clockpigeon::close_ledger(ledger)
  }
  environment(write) <- globalenv()
  both <- lapply(c("one", "two"), function(who) {
    file <- tempfile(fileext = ".R")
    writeLines(c(paste("write <-", paste(deparse(write), collapse = "\n")),
                 sprintf("write(%s, \"%s\")", deparse(at), who)), file)
    processx::process$new(file.path(R.home("bin"), "Rscript"), c("--no-init-file", file),
                          stderr = "|",
                          env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  })
  for (p in both) p$wait(60000)
  ledger <- open_ledger(at)
  on.exit(close_ledger(ledger))
  expect_identical(as.integer(table(timings(ledger)$node)), c(75L, 75L))
  other <- open_ledger(at)
  claim <- claim_plan(ledger, "p1")
  expect_refusal(claim_plan(other, "p1"), "plan", "another process")
  release_plan(claim)
  expect_s3_class(claim_plan(other, "p1"), "cp_server_claim")
  close_ledger(other)
})

test_that("who listens hears of events at once, and a file tells nobody", {
  at <- server_address_here()
  ledger <- open_ledger(at)
  on.exit(close_ledger(ledger))
  add_job(ledger, list(name = "night"))
  hear <- event_ear(at)
  expect_false(hear(0))
  add_events(ledger, "night", data.frame(what = "placed"))
  expect_true(hear(5))
  expect_false(hear(0))
  expect_false(event_ear("ledger.sqlite")(0))
  before <- ledger_stamp(at)
  expect_identical(ledger_stamp(at), before)
  add_events(ledger, "night", data.frame(what = "frame-done", frame = 1))
  expect_false(identical(ledger_stamp(at), before))
  expect_null(ledger_stamp("ledger.sqlite"))
})
