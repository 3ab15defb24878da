# Eight writers, and a server that is killed fifty times at moments of chance: what they measured is
# there, each once.
test_that("a server that is killed again and again loses and doubles nothing of eight writers", {
  skip_unless_long()
  folder <- Sys.getenv("CLOCKPIGEON_TEST_SERVER_FOLDER")
  skip_if(!nzchar(folder), "no server of its own: make server-test")
  at <- server_address_here()
  withr::local_envvar(CLOCKPIGEON_SPOOL = scratch())
  ledger <- open_ledger(at)
  add_job(ledger, list(name = "night"))
  close_ledger(ledger)
  ended <- tempfile()
  write <- function(at, who, ended) {
    count <- 0
    ledger <- NULL
    while (!file.exists(ended)) {
      if (is.null(ledger))
        ledger <- tryCatch(clockpigeon::open_ledger(at), error = function(e) NULL)
      if (is.null(ledger)) next
      n <- sample(c(1, 5, 40), 1)
      rows <- clockpigeon::example_timings()[seq_len(n), ]
      rows$id <- NA
      rows$node <- who
      rows$frame <- count + seq_len(n)
      clockpigeon::add_timings(ledger, rows)
      clockpigeon:::add_events(ledger, "night",
                               data.frame(what = "frame-done", node = who,
                                          frame = count + seq_len(n)))
      count <- count + n
      Sys.sleep(stats::runif(1, 0, 0.1))
    }
    cat(count)
  }
  environment(write) <- globalenv()
  writers <- lapply(sprintf("w%d", 1:8), function(who) {
    script <- tempfile(fileext = ".R")
    writeLines(c(paste("write <-", paste(deparse(write), collapse = "\n")),
                 sprintf("write(%s, \"%s\", %s)", deparse(at), who, deparse(ended))), script)
    processx::process$new(file.path(R.home("bin"), "Rscript"), c("--no-init-file", script),
                          stdout = tempfile(), stderr = tempfile(),
                          env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  })
  withr::defer(for (p in writers) p$kill())
  # The script of the cluster, beside the tests in the sources.
  control <- function(...)
    processx::run(Sys.getenv("CLOCKPIGEON_TEST_SERVER_SCRIPT"),
                  c(folder, ..., server_address(at)$port),
                                           stdout = NULL, stderr = NULL)
  for (turn in 1:50) {
    Sys.sleep(stats::runif(1, 0.1, 1))
    control("stop")
    Sys.sleep(stats::runif(1, 0, 0.3))
    control("start")
  }
  Sys.sleep(1)
  file.create(ended)
  for (p in writers) p$wait(180000)  # of a machine that has other work too
  expect_identical(vapply(writers, function(p) p$get_exit_status(), 0L), rep(0L, 8))
  wrote <- vapply(writers, function(p) as.numeric(readLines(p$get_output_file(), warn = FALSE)), 0)
  ledger <- open_ledger(at)
  on.exit(close_ledger(ledger))
  deliver_spool(ledger, "timings", timings_again(ledger))
  deliver_spool(ledger, "events", event_writer(ledger))
  expect_length(spooled_files(at), 0)
  rows <- timings(ledger)
  expect_equal(as.numeric(table(factor(rows$node, sprintf("w%d", 1:8)))), wrote)
  expect_identical(anyDuplicated(rows[c("node", "frame")]), 0L)
  events <- job_events(ledger, "night")
  expect_equal(as.numeric(table(factor(events$node, sprintf("w%d", 1:8)))), wrote)
  expect_length(ledger_state(ledger)$faults, 0)
  cat(sprintf("storm: %d timings of 8 writers through 50 kills; %s\n", nrow(rows), toString(wrote)))
})
