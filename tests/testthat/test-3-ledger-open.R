test_that("a ledger is opened twice at once, and both see what the other wrote", {
  path <- file.path(scratch(), "l.sqlite")
  a <- open_ledger(path)
  b <- open_ledger(path)
  add_timings(a, some_timings(1))
  add_timings(b, some_timings(2))
  expect_identical(timings(a)$wall_s, c(1, 2))
  expect_identical(timings(b), timings(a))
  close_ledger(a)
  close_ledger(b)
  expect_refusal(timings(a), "ledger", "closed")
  expect_output(print(a), "closed")
})

test_that("writers in other processes wait for each other, and no row is lost", {
  path <- file.path(scratch(), "l.sqlite")
  rows <- paste(
    "data.frame(activity = 'render', status = 'ok', kind = 'typed', wall_s = i + 1:500 / 1000,",
    "node = rep(commandArgs(TRUE), 500))")
  code <- sprintf(
    "l <- clockpigeon::open_ledger('%s'); for (i in 1:20) clockpigeon::add_timings(l, %s)", path,
    rows)
  jobs <- lapply(1:8, function(k) {
    processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code, k), stderr = "|",
                          env = c("current", R_LIBS = Sys.getenv("R_LIBS")))
  })
  for (job in jobs) job$wait()
  expect_identical(vapply(jobs, function(j) j$get_exit_status(), 0L), rep(0L, 8))
  ledger <- open_ledger(path, read_only = TRUE)
  x <- timings(ledger)
  expect_identical(as.integer(table(x$node)), rep(10000L, 8))
  expect_identical(anyDuplicated(x$id), 0L)
  expect_identical(anyDuplicated(paste(x$node, x$wall_s)), 0L)
  close_ledger(ledger)
})

test_that("rows can be neither changed nor removed", {
  ledger <- memory_ledger()
  add_timings(ledger, some_timings(1))
  expect_error(DBI::dbExecute(ledger$con, "UPDATE timings SET wall_s = 2"), "append only")
  expect_error(DBI::dbExecute(ledger$con, "DELETE FROM timings"), "append only")
  expect_error(DBI::dbExecute(ledger$con, "INSERT INTO timings (wall_s) VALUES (2)"), "append only")
  expect_error(DBI::dbExecute(ledger$con, "UPDATE runs SET wall_s = 2"), "append only")
  expect_error(DBI::dbExecute(ledger$con, "DELETE FROM settings"), "append only")
  expect_identical(timings(ledger)$wall_s, 1)
})

test_that("what cannot be a ledger is refused and left as it was", {
  folder <- scratch()
  expect_refusal(open_ledger(folder), "ledger", "is a folder")
  expect_refusal(open_ledger(file.path(folder, "no", "l.sqlite")), "ledger", "does not exist")
  expect_refusal(open_ledger(file.path(folder, "l.sqlite"), read_only = TRUE), "ledger",
                 "clockpigeon bench")
  text <- write_file(folder, "text.sqlite", rep("this is no database at all, only words", 50))
  before <- tools::md5sum(text)
  expect_refusal(open_ledger(text), "ledger", "text.sqlite")
  expect_identical(tools::md5sum(text), before)
  other <- file.path(folder, "other.sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), other)
  DBI::dbExecute(con, "CREATE TABLE a (b)")
  DBI::dbDisconnect(con)
  expect_refusal(open_ledger(other), "ledger", "no ledger of Clock Pigeon")
})

test_that("a damaged ledger is refused with its evidence still in the file", {
  path <- file.path(scratch(), "l.sqlite")
  ledger <- open_ledger(path)
  add_timings(ledger, example_timings())
  close_ledger(ledger)
  file <- file(path, "r+b")
  seek(file, 4096 * 3, rw = "write")
  writeBin(as.raw(rep(255, 4096 * 4)), file)
  close(file)
  before <- tools::md5sum(path)
  expect_refusal(open_ledger(path), "ledger", c("l.sqlite", "left as it"))
  expect_identical(tools::md5sum(path), before)
})

test_that("a ledger of a later format is refused", {
  path <- file.path(scratch(), "l.sqlite")
  ledger <- open_ledger(path)
  DBI::dbExecute(ledger$con, "PRAGMA user_version = 99")
  close_ledger(ledger)
  expect_refusal(open_ledger(path), "ledger", c("format 99", "later release"))
})

test_that("a ledger that cannot be written is refused", {
  skip_if(Sys.info()[["effective_user"]] == "root" && !dir.exists("/proc"))
  expect_refusal(open_ledger("/proc/clockpigeon.sqlite"), "ledger", "clockpigeon.sqlite")
})

test_that("what a writer was doing when it was killed is taken back, and who only reads goes on", {
  folder <- scratch()
  path <- file.path(folder, "ledger.sqlite")
  ledger <- open_ledger(path)
  add_timings(ledger, example_timings())
  close_ledger(ledger)
  # So little is kept in memory that rows reach the file before the transaction ends.
  code <- sprintf(paste(
    "con <- clockpigeon::open_ledger('%s')$con; DBI::dbExecute(con, 'PRAGMA cache_size = 5');",
    "DBI::dbExecute(con, 'BEGIN IMMEDIATE'); DBI::dbExecute(con, 'INSERT INTO machines VALUES (?, ?)',",
    "params = list(paste0('m', 1:20000), rep(strrep('x', 200), 20000))); file.create('%s'); Sys.sleep(60)"
  ), path, file.path(folder, "written"))
  writer <- processx::process$new(file.path(R.home("bin"), "Rscript"),
                                  c("--no-init-file", "-e", code),
                                  env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  until <- steady_clock() + 60
  while (!file.exists(file.path(folder, "written")) && steady_clock() < until) Sys.sleep(0.05)
  writer$kill()
  expect_gt(file.size(paste0(path, "-journal")), 0)
  reader <- open_ledger(path, read_only = TRUE)
  on.exit(close_ledger(reader))
  expect_identical(nrow(timings(reader)), nrow(example_timings()))
  expect_equal(ask_rows(reader$con, "SELECT count(*) AS n FROM machines")$n, 0)
})

test_that("a pipe is no ledger, and nobody waits at it", {
  skip_on_os("windows")
  path <- file.path(scratch(), "pipe.sqlite")
  processx::run("mkfifo", path)
  expect_refusal(open_ledger(path), "ledger", "is no file but a pipe")
  expect_refusal(open_ledger(path, read_only = TRUE), "ledger", "is no file but a pipe")
})
