run <- function(..., time_limit = 60) clockpigeon:::run_command("/bin/sh", c("-c", ...), tempdir(), time_limit)

test_that("wall time, exit status and both outputs are taken", {
  ran <- run("echo out; echo err >&2; sleep 0.3; exit 7")
  expect_identical(ran$exit, 7L)
  expect_setequal(strsplit(trimws(ran$text), "\n")[[1]], c("out", "err"))
  expect_gt(ran$wall_s, 0.29)
  expect_lt(ran$wall_s, 3)
  expect_false(ran$late)
})

test_that("CPU seconds are those of the process, not the clock's", {
  ran <- run("i=0; while [ $i -lt 200000 ]; do i=$((i+1)); done; sleep 0.5")
  expect_gt(ran$cpu_s, 0.02)
  expect_lt(ran$cpu_s, ran$wall_s - 0.3)
})

test_that("a time limit ends the whole tree of processes", {
  folder <- scratch()
  script <- "sh -c 'echo $$ > child; sleep 60; :' & echo $! > shell; sleep 60; :"
  ran <- run_command("/bin/sh", c("-c", script), folder, time_limit = 0.6)
  expect_true(ran$late)
  expect_lt(ran$wall_s, 5)
  Sys.sleep(0.2)
  # Both told their own number; neither runs any more (one that nobody collected is a zombie).
  for (name in c("child", "shell")) {
    stat <- file.path("/proc", readLines(file.path(folder, name)), "stat")
    state <- if (file.exists(stat)) sub("^.*\\) ([A-Z]) .*$", "\\1", readLines(stat)) else "gone"
    expect_true(state %in% c("gone", "Z", "X"))
  }
})

test_that("a process that ignores polite signals is ended too", {
  ran <- run("trap '' TERM INT HUP; while :; do sleep 0.1; done", time_limit = 0.3)
  expect_true(ran$late)
})

test_that("memory is that of the process at its most", {
  skip_if_not(dir.exists("/proc/self"))
  ran <- clockpigeon:::run_command(file.path(R.home("bin"), "Rscript"),
                                   c("-e", "x <- numeric(2e7); x[] <- 1; Sys.sleep(0.4)"), tempdir())
  expect_gt(ran$peak_mem_mb, 150)
})

test_that("only the end of a very long output is kept, as valid text", {
  log <- file.path(scratch(), "log")
  writeBin(c(as.raw(c(255, 254, 0)), charToRaw(strrep("x", 100)), charToRaw("load 5 s\n")), log)
  text <- clockpigeon:::read_log(log, most = 60)
  expect_lte(nchar(text), 60)
  expect_match(text, "load 5 s")
  expect_true(validUTF8(clockpigeon:::read_log(log)))
})
