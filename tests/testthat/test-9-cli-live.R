# A screen that shows nothing and presses the keys of a list.
screen_of <- function(keys, size = list(width = 80, height = 24)) {
  seen <- list()
  said <- character()
  list(enter = function() said <<- c(said, "enter"), leave = function() said <<- c(said, "leave"),
       size = function() size, draw = function(lines) seen <<- c(seen, list(lines)),
       key = function(seconds) {
         if (!length(keys)) return("q")
         key <- keys[1]
         keys <<- keys[-1]
         key
       },
       seen = function() seen, said = function() said)
}
state_of <- function(came = 10 * (1:30), passed = 301) {
  x <- pair_of_sites("700 s", se = c(0.05, 0.05), draws = 200)
  watched(x, list(slow = some_frames(scratch(), seq_along(came), came)), passed)
}

test_that("keys pause, go on, stop when asked twice, move and quit; the terminal is given back", {
  x <- state_of()
  orders <- character()
  look <- function(last) {
    x$happened$paused <- identical(utils::tail(orders, 1), "paused")
    x
  }
  screen <- screen_of(c("", "p", "p", "s", "n", "s", "y", "down", "q"))
  clockpigeon:::live_watch(look, function(what) orders <<- c(orders, what), every = 0.01,
                           screen = screen)
  expect_identical(orders, c("paused", "resumed", "stopped"))
  expect_identical(screen$said(), c("enter", "leave"))
  feet <- vapply(screen$seen(), function(lines) lines[24], "")
  expect_true(all(lengths(screen$seen()) == 24))
  expect_match(feet[1], "q quit  p pause  s stop")
  expect_match(feet[3], "p go on.*Paused\\.")
  expect_match(feet[5], "Stop the job\\?")
  expect_match(feet[6], "Not stopped")
  expect_true(all(nchar(unlist(screen$seen())) <= 80))
  # And after a crash.
  broken <- screen_of("q")
  expect_error(clockpigeon:::live_watch(function(last) stop("no ledger"), identity,
                                        screen = broken), "no ledger")
  expect_identical(broken$said(), c("enter", "leave"))
})

test_that("a screen with fewer lines shows a part, and moves", {
  x <- state_of()
  view <- list(from = 0, asks = FALSE)
  all <- clockpigeon:::watch_lines(x, 80)
  top <- clockpigeon:::live_lines(x, view, list(width = 80, height = 12))
  expect_length(top, 12)
  expect_identical(top[1:10], all[1:10])
  expect_match(top[12], "up, down: the rest")
  view <- clockpigeon:::live_key(view, "down", x, identity)
  expect_identical(clockpigeon:::live_lines(x, view, list(width = 80, height = 12))[1], all[2])
  view <- clockpigeon:::live_key(view, "page-up", x, identity)
  expect_identical(view$from, 0)
})

test_that("every change is an object of one line, until the job ends", {
  states <- list(state_of(passed = 301), state_of(passed = 301), state_of(10 * (1:60), 601))
  said <- character()
  k <- 0
  look <- function(last) states[[k <<- min(k + 1, 3)]]
  clockpigeon:::stream_watch(look, every = 0, put = function(...) said <<- c(said, paste0(...)))
  expect_length(said, 2)
  last <- jsonlite::fromJSON(said[2])
  expect_identical(c(last$there, last$frames), c(60L, 60L))
  expect_identical(last$done$p50, "2026-11-24T12:10:00.000Z")
  first <- jsonlite::fromJSON(said[1])
  expect_identical(first$there, 30L)
  expect_true(first$done$p10 <= first$done$p90)
})

test_that("the real view keeps to its terminal", {
  skip_if(!nzchar(Sys.which("tmux")), "tmux is not here")
  skip_if(!file.exists("/dev/pts/ptmx"),
          "the system has no pseudo-terminals (a chroot without /dev/pts)")
  skip_if_not_installed("mirai")
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-3")
  place_job(plan_place(x$project, x$ledger, "review-1"), x$ledger, progress = FALSE)
  socket <- basename(tempfile("cp"))
  tmux <- function(...) processx::run("tmux", c("-L", socket, ...), error_on_status = FALSE)$stdout
  withr::defer(tmux("kill-server"))
  command <- paste0("cd ", x$folder, " && echo before && ", clockpigeon_command(),
                    " watch review-1; echo after $?; sleep 60")
  tmux("new-session", "-d", "-x", "80", "-y", "24", command)
  shown <- function(what, seconds = 30) {
    until <- Sys.time() + seconds
    repeat {
      text <- tmux("capture-pane", "-p")
      if (grepl(what, text) || Sys.time() > until) return(text)
      Sys.sleep(0.2)
    }
  }
  expect_match(shown("q quit"), "3 of 3 frames rendered")
  tmux("send-keys", "q")
  expect_match(shown("after"), "before\\s+after 0")
})
