# Some minutes into a job at saltmill, brisk, half of the frames done.
going <- function(env = parent.frame(), frames = "1-200", ...) {
  x <- at_farm(frames = frames, env = env, ...)
  x$send()
  x$pass(180)
  x$fetch(0)
  x
}

test_that("what would be is simulated from here: another tier, other nodes, the rest elsewhere, a site more, a stop", {
  x <- going(frames = "1-100", seconds = 100)
  now <- x$watch()
  wishes <- c("tier=patient", "nodes=20", "send quayside", "add quayside", "stop")
  ways <- as.data.frame(clockpigeon:::job_what_if(now, wishes))
  expect_identical(nrow(ways), 6L)
  expect_identical(ways$option[1], "go on")
  expect_equal(ways$cost_mean[1], now$mean)
  expect_match(ways$option[2:4], "patient|20 nodes|quayside")
  expect_identical(ways$twice, c(0L, rep(sum(now$frames$state == "rendering"), 3), 0L, 0L))
  # Most is still to come: a site more ends it sooner.
  expect_lt(ways$finish_p50[5], ways$finish_p50[1])
  expect_match(ways$option[5], "^add quayside.*frames$")
  expect_equal(ways$cost_mean[6], clockpigeon:::spent_so_far(now))
  expect_match(ways$note[6], "would be lost, and are paid")
  # What the rest costs elsewhere comes on top of what was charged.
  expect_true(all(ways$cost_mean[2:5] > clockpigeon:::spent_so_far(now)))
  text <- paste(clockpigeon:::alternatives_lines(now, ways, width = 100), collapse = "\n")
  expect_match(text, "cost so far is what the site charged")
  expect_match(text, "add quayside")
})

test_that("as many nodes as frames is told before anything else", {
  x <- at_farm(frames = "1-24")
  x$send()
  x$pass(60)
  x$fetch(0)
  now <- x$watch()
  left <- sum(is.infinite(now$came))
  expect_gt(left, 0)
  ways <- as.data.frame(clockpigeon:::job_what_if(now, "nodes=20"))
  if (left <= 20)
    expect_match(ways$note[2], "would run at once, and be paid before one of them is seen")
  else expect_identical(ways$note[2], NA_character_)
  expect_match(
    clockpigeon:::in_flight_note(utils::modifyList(now, list(came = c(rep(0, 20), rep(Inf, 4)))),
                                 "saltmill brisk, 10 nodes"), "all 4 remaining frames")
})

test_that("what cannot be is refused with what can", {
  now <- going()$watch()
  refused <- function(wish, topic, says)
    expect_refusal(clockpigeon:::job_what_if(now, wish), topic, says)
  refused("dance", "usage", "Write tier=NAME")
  refused("tier=gold", "choice", "patient or brisk")
  refused("nodes=7", "choice", "7")
  refused("send nowhere", "choice", "nowhere")
  refused("add saltmill", "usage", "has a part of the job already")
})

test_that("spent is what was charged where a site says so, and the work that is done elsewhere", {
  x <- list(parts = data.frame(site = c("a", "b"), cost_mean = c(10, 20), work = c(0.5, 0.25)),
            at_sites = data.frame(site = "b", charged = 9))
  expect_equal(clockpigeon:::spent_so_far(x), 5 + 9)
  x$at_sites <- NULL
  expect_equal(clockpigeon:::spent_so_far(x), 5 + 5)
})

test_that("before a stop it is told what is lost, what is nearly done, and what to fetch", {
  frames <- data.frame(state = c("arrived", "arrived", "rendering", "rendering"),
                       seconds = c(10, 12, NA, NA),
                       begun = c(0, 0, 20, 29))
  x <- list(frames = frames, passed_s = 30, came = c(5, 6, 7, Inf),
            here = c(TRUE, TRUE, FALSE, FALSE))
  expect_identical(clockpigeon:::stop_note(x), paste0(
    "2 running frames would be lost, and are paid; 1 of them is over half done: pause first, and stop when they are ",
    "there; fetch the 1 frame that is ready there before"))
  x$frames <- frames[1:2, ]
  x$here[3] <- TRUE
  expect_identical(clockpigeon:::stop_note(x), "0 running frames would be lost, and are paid")
})

test_that("more nodes of an own pool are no loss of what is under way", {
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  y <- decided(only = "attic", deadline = "30min")
  folder <- file.path(y$folder, "placed/review-1/frames")
  dir.create(folder, recursive = TRUE)
  clockpigeon:::add_events(y$ledger, "review-1",
                           data.frame(what = "placed", place = "attic", detail = folder))
  now <- watch_job(y$project, y$ledger, "review-1")
  ways <- as.data.frame(clockpigeon:::job_what_if(now, c("nodes=2", "nodes=1")))
  expect_identical(ways$twice, c(0L, 0L, 0L))
  expect_match(ways$note[2], "name as many nodes in `pool` of sites/attic.yaml")
  expect_lt(ways$finish_p50[2], ways$finish_p50[3])
})
