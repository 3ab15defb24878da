run <- function(..., time_limit = 60)
  clockpigeon:::run_command("/bin/sh", c("-c", ...), tempdir(), time_limit)

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
                                   c("-e", "x <- numeric(2e7); x[] <- 1; Sys.sleep(0.4)"),
                                   tempdir())
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

test_that("a log that grows without end is cut, its beginning and its end kept", {
  log <- file.path(scratch(), "log")
  ran <- clockpigeon:::run_command(
    "/bin/sh", c(
    "-c", "echo first line; yes word | head -c 60000000; sleep 0.3; echo; echo last line"),
    tempdir(), log = log, most = 4e6)
  expect_identical(ran$exit, 0L)
  expect_match(ran$text, "^first line\n")
  expect_match(ran$text, "cut: too long", fixed = TRUE)
  expect_match(ran$text, "last line\n$")
  used <- as.numeric(system2("du", c("-k", shQuote(log)), stdout = TRUE) |>
                     sub(pattern = "\\s.*", replacement = ""))
  expect_lt(used, 50000)
})

test_that("a process that left the session and took its name off is ended all the same", {
  skip_if_not(dir.exists("/proc/self") && nzchar(Sys.which("setsid")))
  folder <- scratch()
  script <- "(env -i setsid sh -c 'echo $$ > away; exec sleep 60' >/dev/null 2>&1 &) ; sleep 0.2"
  ran <- run_command("/bin/sh", c("-c", script), folder)
  expect_identical(ran$exit, 0L)
  pid <- as.integer(readLines(file.path(folder, "away")))
  expect_false(dir.exists(file.path("/proc", pid)))
  expect_lt(ran$wall_s, 5)
})

test_that("a limit fires and a time is right though the time of day steps back", {
  local_value("wall_clock", function() 0)
  ran <- run("sleep 60", time_limit = 0.3)
  expect_true(ran$late && ran$wall_s > 0.25)
})

test_that("variables reach the program, and two-byte text and line ends of Windows are read", {
  ran <- clockpigeon:::run_command("/bin/sh", c("-c", "echo $CARDS"), tempdir(),
                                   environment = c(CARDS = "0,1"))
  expect_identical(ran$text, "0,1\n")
  log <- file.path(scratch(), "log")
  writeBin(iconv("load 5 s\r\ncompute 6 s\r\n", "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]], log)
  expect_identical(clockpigeon:::read_log(log), "load 5 s\ncompute 6 s\n")
  writeBin(charToRaw("load 5 s\r\n"), log)
  expect_identical(clockpigeon:::read_log(log), "load 5 s\n")
})

test_that("a program gets the variables that this process has", {
  withr::local_envvar(CLOCKPIGEON_HERE = "yes", R_DEFAULT_PACKAGES = "NULL")
  for (own in list(NULL, c(CARDS = "0"))) {
    script <- paste(
      "echo $CLOCKPIGEON_HERE; test -n \"$HOME\" && echo home; echo packages $R_DEFAULT_PACKAGES;",
      "echo cards $CARDS")
    ran <- clockpigeon:::run_command("/bin/sh", c("-c", script), tempdir(), environment = own)
    expect_match(ran$text, "yes\nhome")
    expect_match(ran$text, if (length(own)) "cards 0" else "cards\\s*$")
    expect_no_match(ran$text, "packages NULL")
  }
})

test_that("code points that are none do not make a good frame a failed one", {
  path <- withr::local_tempfile()
  writeBin(as.raw(c(charToRaw("load 1 "), 0xed, 0xa0, 0x80, 0xf4, 0x90, 0x80, 0x80, 0xff,
                    charToRaw(" done"))), path)
  text <- clockpigeon:::read_log(path)
  expect_true(validUTF8(text))
  expect_match(text, "^load 1 .* done$")
  expect_match(gsub("load ([0-9])", "\\1", text), "^1 ")
})
