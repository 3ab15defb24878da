run_pool <- clockpigeon:::run_pool

test_that("a job is paused, goes on, and is stopped from elsewhere", {
  skip_if_not_installed("mirai")
  at <- scratch()
  ledger <- ledger_of_job()
  job <- pool_of(at, good_engine(at, last = "sleep 0.2; echo load 0.01 compute 0.1"), 1:40)
  say <- function(what)
    clockpigeon:::add_events(ledger, "night", data.frame(what = what, source = "test"))
  # The clock is asked at every step: what is said when so many pictures are there is said there.
  told <- c()
  clock <- function() {
    now <- as.numeric(Sys.time())
    there <- length(pictures(at))
    due <- c(there >= 2, length(told) == 1 && now > told[[1]] + 1.5, there >= 6)[length(told) + 1]
    what <- if (isTRUE(due)) c("paused", "resumed", "stopped")[length(told) + 1]
    if (length(what)) {
      say(what)
      told <<- c(told, stats::setNames(now, what))
    }
    now
  }
  frames <- run_pool(job, ledger, clock = clock)
  expect_named(told, c("paused", "resumed", "stopped"))
  expect_true(any(frames$state == "done") && any(frames$state == "waiting"))
  x <- job_events(ledger, "night")
  at_s <- as.numeric(as.POSIXct(x$time, tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ"))
  begun <- at_s[x$what == "rendering"]
  # Orders are looked for twice a second.
  expect_false(any(begun > told[["paused"]] + 0.7 & begun < told[["resumed"]]))
  expect_true(any(begun > told[["resumed"]]))
  expect_false(any(begun > told[["stopped"]] + 0.7))
  # What was stopped stays stopped.
  again <- run_pool(job, ledger)
  expect_identical(sum(again$state == "done"), sum(frames$state == "done"))
})

test_that("a look takes frames not begun away from the pool, once, and a second run keeps to it", {
  skip_if_not_installed("mirai")
  at <- scratch()
  ledger <- ledger_of_job()
  # The moment comes when three are there.
  look <- list(at = as.numeric(Sys.time()) + 1000, fewer = 30, rescue = "saltmill", own = FALSE)
  clock <- function() as.numeric(Sys.time()) + if (length(pictures(at)) >= 3) 1000 else 0
  job <- pool_of(at, good_engine(at, last = "sleep 0.3; echo load 0.01 compute 0.1"), 1:30,
                 look = look)
  frames <- run_pool(job, ledger, clock = clock)
  expect_setequal(unique(frames$state), c("done", "sent"))
  again <- run_pool(job, ledger, clock = clock)
  expect_identical(again$state, frames$state)
  expect_identical(sum(job_events(ledger, "night")$what == "looked"), 1L)
  # Enough were done.
  other <- scratch()
  fine <- ledger_of_job()
  look <- list(at = as.numeric(Sys.time()) - 1, fewer = 0, rescue = "saltmill", own = FALSE)
  job <- pool_of(other, good_engine(other), 1:3, look = look)
  expect_identical(run_pool(job, fine)$state, rep("done", 3))
  expect_identical(job_events(fine, "night")$detail[job_events(fine, "night")$what == "looked"],
                   "go on")
})
