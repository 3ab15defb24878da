sealed_ledger <- function(n, env = parent.frame()) {
  path <- file.path(scratch(env), "ledger.sqlite")
  ledger <- open_ledger(path)
  add_timings(ledger, some_timings(1 + seq_len(n) / 7))
  close_ledger(ledger)
  path
}
faults_of <- function(path) {
  ledger <- open_ledger(path, read_only = TRUE)
  on.exit(close_ledger(ledger))
  clockpigeon:::ledger_state(ledger)$faults
}
changed <- function(path, sql) {
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  on.exit(DBI::dbDisconnect(con))
  for (name in DBI::dbGetQuery(con, "SELECT name FROM sqlite_master WHERE type = 'trigger'")$name) {
    DBI::dbExecute(con, paste("DROP TRIGGER", name))
  }
  DBI::dbExecute(con, sql)
}

test_that("a value that changed in the file is found, in a timing or in its setting", {
  path <- sealed_ledger(450)
  expect_identical(faults_of(path), character())
  copy <- file.path(dirname(path), "copy.sqlite")
  file.copy(path, copy)
  changed(copy, "UPDATE runs SET wall_s = wall_s * (1 + 1e-15) WHERE rowid = 250")
  expect_match(faults_of(copy), "timings 201 to 400 are not as they were written")
  changed(path, "UPDATE settings SET width = 161")
  expect_match(faults_of(path), "^timings (1 to 200|201 to 400) are not as they were written$")
})

test_that("each complete block is sealed once, whichever way its rows came, and an archived block says nothing", {
  path <- sealed_ledger(199)
  ledger <- open_ledger(path)
  seals <- function()
    DBI::dbGetQuery(clockpigeon:::ledger_connection(ledger), "SELECT * FROM seals")
  expect_identical(nrow(seals()), 0L)
  add_timings(ledger, some_timings(3))
  expect_identical(seals()[c("first", "last")], data.frame(first = 1L, last = 200L))
  for (k in 1:5) add_timings(ledger, some_timings(rep(k, 90)))
  expect_identical(seals()$first, c(1L, 201L, 401L))
  close_ledger(ledger)
  expect_identical(faults_of(path), character())
  changed(path, "DELETE FROM runs WHERE rowid <= 150")
  expect_false(any(grepl("not as they were written", faults_of(path))))
})
