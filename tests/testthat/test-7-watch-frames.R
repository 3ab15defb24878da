test_that("pictures are told by shot and frame; what is empty or of no shot is not there", {
  at <- scratch()
  some_frames(at, c(1, 3), c(10, 20), "gears")
  some_frames(file.path(at, "node-2"), 3, 30, "gears-review")
  some_frames(at, 3, 90, "a-copy-of-gears")
  file.create(file.path(at, "gears-0004.png"))
  writeLines("x", file.path(at, "log.txt"))
  x <- clockpigeon:::folder_frames(at, c("gears", "gears-review"))
  expect_identical(x$shot, c("gears", "gears", "gears-review"))
  expect_identical(x$frame, c(1L, 3L, 3L))
  expect_equal(x$time - as.numeric(placed_at), c(10, 20, 30))
  expect_identical(nrow(clockpigeon:::folder_frames(scratch(), "s")), 0L)
  expect_refusal(clockpigeon:::folder_frames("/no/such", "s"), "file", "/no/such")
})

test_that("a part's arrivals say when all is done and what it costs", {
  skip_if_not_installed("lpSolve")
  x <- pair_of_sites("190 s", se = c(0.1, 0.1), draws = 300)
  expect_identical(x$plan$kind, "sides")
  parts <- x$plan$parts
  first <- as.integer(sub("s ([0-9]+)-.*", "\\1", parts$frames))
  of <- function(site) which(parts$site == site)
  # Both are twice as slow as they were taken to be.
  slow <- some_frames(scratch(), first[of("slow")] + 0:2, 20 * (1:3))
  quick <- some_frames(scratch(), first[of("quick")] + 0:8, 20 / 3 * (1:9))
  found <- watched(x, list(slow = slow, quick = quick), 60)
  each <- c(slow = 20, quick = 20 / 3)[parts$site]
  expect_identical(found$parts$there, unname(c(slow = 3, quick = 9)[parts$site]))
  expect_equal(found$parts$work, unname(c(slow = 3, quick = 9)[parts$site]) / parts$count,
               tolerance = 0.02)
  expect_equal(found$parts$finish_p50, unname(parts$count * each), tolerance = 0.1)
  expect_identical(do.call(pmax, found$ends), found$draws$finish_s)
  expect_equal(vapply(found$ends, stats::median, 0), found$parts$finish_p50, tolerance = 0.1)
  expect_gt(stats::median(found$draws$finish_s), 250)
  expect_lt(found$p_deadline, 0.1)
  expect_equal(found$mean, sum(parts$count * each / c(slow = 1000, quick = 100)[parts$site]),
               tolerance = 0.15)
  # A frame of the other part counts, wherever it came from; one of no part does not.
  some_frames(slow, max(setdiff(1:60, first[of("slow")] + seq_len(parts$count[of("slow")]) - 1)),
              50)
  more <- watched(x, list(slow = slow, quick = quick), 60)
  expect_identical(sum(more$parts$there), sum(found$parts$there) + 1)
  expect_identical(more$unknown, 0L)
  some_frames(slow, 99, 50)
  expect_identical(watched(x, list(slow = slow, quick = quick), 60)$unknown, 1L)
  # A frame of last week is of another job.
  some_frames(slow, first[of("slow")] + 5, -7 * 86400)
  old <- watched(x, list(slow = slow, quick = quick), 60)
  expect_identical(old$parts$there, more$parts$there)
  expect_identical(old$unknown, 2L)
  expect_refusal(watched(x, list(slow = slow), 60), "usage", "no folder for quick")
})

test_that("a fallback's look is due at its moment, and says what the plan says", {
  x <- pair_of_sites("500 s", se = c(0.4, 0), draws = 300)
  expect_identical(x$plan$kind, "fallback")
  look <- x$plan$look
  few <- some_frames(scratch(), seq_len(5), 30 * (1:5))
  before <- watched(x, list(slow = few), look$at_s / 2)
  expect_identical(before$look$due, "later")
  after <- watched(x, list(slow = few), look$at_s + 60)
  expect_identical(after$look$due, "send")
  expect_identical(after$look$there, sum(30 * (1:5) <= look$at_s))
  expect_equal(after$parts$overdue, 1)   # nothing came for long
  many <- some_frames(scratch(), 1:60, 4 * (1:60))
  expect_identical(watched(x, list(slow = many), look$at_s + 1)$look$due, "go on")
  done <- watched(x, list(slow = many), 600)
  expect_equal(unique(done$draws$finish_s), 240)
  expect_equal(done$parts$work, 1)
})

test_that("events are believed before files, and a look that sent frames away is followed at the rescue", {
  x <- pair_of_sites("500 s", se = c(0.4, 0), draws = 300)
  look <- x$plan$look
  moment <- function(s) format(placed_at + s, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")
  event <- function(s, what, frame = NA, ...) {
    data.frame(time = moment(s), what = what, shot = "s", frame = as.integer(frame), node = "n",
               detail = NA, ...)
  }
  few <- some_frames(scratch(), 1:5, 30 * (1:5))
  events <- rbind(event(28, "arrived", 1), event(look$at_s - 1, "rendering", 6))
  before <- watched(x, list(slow = few), look$at_s - 0.5, events = events)
  expect_equal(before$came[1:2], c(28, 60), tolerance = 1e-3)
  expect_identical(before$frames$state[6], "rendering")
  sent <- event(look$at_s, "looked")
  sent$detail <- "send"
  after <- watched(x, list(slow = few), look$at_s + 1, events = rbind(events, sent))
  expect_identical(after$look$due, "done: send")
  by_then <- sum(30 * (1:5) <= look$at_s)
  # What is there and what is under way stays; all else is the rescue's.
  expect_identical(after$parts$site, c("slow", "quick"))
  expect_identical(after$parts$frames, c(by_then + 1L, 60L - by_then - 1L))
  expect_equal(stats::median(after$draws$finish_s), look$at_s + (60 - by_then - 1) * 10 / 3,
               tolerance = 0.1)
  expect_false("look" %in% after$alarms$code)
})

test_that("what passes between frames on a node is learned from the events, and added to what is to come", {
  # Frames of 2 s, 1 s between them on each of two nodes; a pause of an hour is one gap of many.
  row <- function(node, t, frame)
    data.frame(what = "arrived", time = t, place = "attic", node = node, shot = "s",
               frame = frame, seconds = 2, source = "place")
  told <- rbind(row("a", 3 * (1:8) + c(rep(0, 5), rep(3600, 3)), 1:8),
                row("b", 3 * (1:8) + 1, 11:18))
  gaps <- clockpigeon:::own_gaps(told)
  expect_identical(nrow(gaps), 14L)
  expect_equal(stats::median(gaps$gap), 1)
  expect_equal(max(gaps$gap), 3601)
  # Of sites that tell of theirs, and of frames without a time, nothing.
  told$source <- "site"
  expect_identical(nrow(clockpigeon:::own_gaps(told)), 0L)
  home <- t(vapply(1:50, function(d) 2 * ceiling((1:20) / 2) * (1 + d / 1000), numeric(20)))
  going <- list(used = 1L, home = list(home),
                draws = list(data.frame(finish_s = home[, 20], cost = 1)))
  state <- list(options = data.frame(site = "attic", nodes = 2))
  later <- clockpigeon:::with_gaps(going, state, gaps, 100)
  expect_equal(later$home[[1]][, 20], home[, 20] + 10)
  expect_equal(later$draws[[1]]$finish_s, home[, 20] + 10)
  expect_identical(later$draws[[1]]$cost, going$draws[[1]]$cost)
  expect_identical(clockpigeon:::with_gaps(going, state, gaps, 4), going)
  # What is nothing beside a frame is left out.
  gaps$gap <- 0.01
  expect_identical(clockpigeon:::with_gaps(going, state, gaps, 100), going)
})
