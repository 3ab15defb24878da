# An engine whose pre-pass takes a moment and writes into a log when it begins and ends; its frames
# need it.
prepass_engine <- function(folder, log, prepass = "sleep 0.3") {
  engine <- script_engine(folder, paste0("grep -q 'ended' ", log, " || { echo no cache; exit 4; }"),
                          paste0("echo frame $2 >> ", log), paste("cp", one_pixel(folder), "$1"),
                          "echo load 0.01 compute 0.1")
  pass <- write_file(folder, "prepass.sh", c("#!/bin/sh", paste0("echo begun >> ", log), prepass,
                                            paste0("echo ended >> ", log)))
  Sys.chmod(pass, "755")
  engine$prepass <- list(each = "shot", program = pass, arguments = list("{shot}"),
                         environment = list())
  engine
}

test_that("a pre-pass is a stage: once for a shot, whichever slot does it, and before its frames", {
  skip_if_not_installed("mirai")
  at <- scratch()
  log <- file.path(at, "log")
  ledger <- ledger_of_job()
  job <- pool_of(at, prepass_engine(at, log), 1:6, slots = 2)
  frames <- clockpigeon:::run_pool(job, ledger)
  expect_identical(frames$state, rep("done", 6))
  said <- readLines(log)
  expect_identical(said[1:2], c("begun", "ended"))
  expect_identical(sum(said == "begun"), 1L)
  expect_identical(sum(frames$failures), 0L)
  rows <- as.data.frame(timings(ledger, job = "night"))
  expect_identical(sum(rows$activity == "prepass"), 1L)
  expect_gt(rows$wall_s[rows$activity == "prepass"], 0.25)
  # What runs again later goes on without another.
  unlink(file.path(at, job$frames$to[2:3]))
  expect_identical(clockpigeon:::run_pool(job, ledger)$state, rep("done", 6))
  expect_identical(sum(readLines(log) == "begun"), 1L)
})

test_that("a pre-pass that fails is tried again, and frames without it are not begun", {
  skip_if_not_installed("mirai")
  at <- scratch()
  log <- file.path(at, "log")
  once <- file.path(at, "once")
  ledger <- ledger_of_job()
  engine <- prepass_engine(at, log, paste0("[ -f ", once, " ] || { touch ", once,
                                           "; echo no room; exit 5; }"))
  frames <- clockpigeon:::run_pool(pool_of(at, engine, 1:3, slots = 2), ledger)
  expect_identical(frames$state, rep("done", 3))
  expect_identical(sum(frames$failures), 1L)
  expect_identical(sum(readLines(log) == "begun"), 2L)
  events <- job_events(ledger, "night")
  expect_match(events$detail[events$what == "failed"], "the pre-pass: exit status 5: no room")
  expect_identical(sum(events$what == "prepassed"), 1L)
})
