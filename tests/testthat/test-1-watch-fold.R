event <- function(time, what, frame = NA, node = NA, ...) {
  data.frame(time = time, what = what, frame = as.integer(frame), node = as.character(node), ...)
}
fold <- function(..., frames = 1:3) clockpigeon:::fold_events(rbind(...), frames)
state_of <- function(x, frame) x$frames$state[x$frames$frame == frame]

test_that("a frame is what its last event says", {
  x <- fold(event(0, "placed"), event(1, "given out", 1, "a"), event(2, "rendering", 1, "a"),
            event(12, "arrived", 1, "a"), event(20, "usable", 1), event(3, "rendering", 2, "b"))
  expect_identical(x$frames$state, c("usable", "rendering", "waiting"))
  expect_identical(x$frames$node, c("a", "b", NA))
  expect_equal(x$frames$seconds, c(10, NA, NA))
  expect_equal(x$frames$begun, c(2, 3, NA))
  expect_identical(x$frames$runs, c(1L, 1L, 0L))
  expect_equal(x$job$placed, 0)
  expect_identical(x$nodes$frames, c(1L, 0L))
  expect_equal(x$nodes$last, c(12, 3))
})

test_that("what was reported is believed before what the clock shows", {
  x <- fold(event(2, "rendering", 1, "a", seconds = NA),
            event(12, "arrived", 1, "a", seconds = 7.5))
  expect_equal(x$frames$seconds[1], 7.5)
  # Known to have arrived, from where and since when not.
  expect_equal(fold(event(12, "arrived", 1))$frames$seconds[1], NA_real_)
})

test_that("a frame that is there is not taken back by another run of it, only by what is found in its picture", {
  lost <- event(5, "lost", 1, "a")
  again <- rbind(event(1, "rendering", 1, "a"), event(6, "rendering", 1, "b"),
                 event(9, "arrived", 1, "b"))
  expect_identical(state_of(fold(again, lost), 1), "arrived")
  # Told late and dated later, of the other node.
  x <- fold(again, event(11, "failed", 1, "a"))
  expect_identical(state_of(x, 1), "arrived")
  expect_identical(x$frames$failures[1], 1L)
  expect_identical(state_of(fold(again, event(11, "rendering", 1, "a")), 1), "arrived")
  expect_identical(state_of(fold(again, event(12, "failed", 1)), 1), "failed")
  more <- rbind(again, event(12, "failed", 1), event(13, "rendering", 1, "c"),
                event(20, "arrived", 1, "c"))
  expect_identical(state_of(fold(more), 1), "arrived")
  expect_equal(fold(more)$frames$seconds[1], 7)
  expect_identical(fold(more)$frames$runs[1], 3L)
})

test_that("nodes come and go, the job is held, stopped and charged, and what is unknown is counted", {
  x <- fold(event(0, "node up", node = "a", amount = NA),
            event(5, "node gone", node = "a", amount = NA),
            event(1, "node up", node = "b", amount = NA), event(3, "paused", amount = NA),
            event(4, "charged", amount = 1.25), event(9, "charged", amount = 0.5),
            event(6, "claim", amount = 700), event(7, "claim", amount = 400),
            event(8, "teapot", amount = NA), event(8, "arrived", 99, amount = NA))
  expect_identical(x$nodes$up[match(c("a", "b"), x$nodes$node)], c(FALSE, TRUE))
  expect_true(x$job$paused)
  expect_false(x$job$stopped)
  expect_equal(x$job$charged, 1.75)
  expect_equal(c(x$job$claim, x$job$claimed_at), c(400, 7))
  expect_identical(x$job$unknown, 2L)
  expect_false(fold(event(3, "paused"), event(4, "resumed"))$job$paused)
  none <- fold(event(0, "placed"))
  expect_identical(none$frames$state, rep("waiting", 3))
  expect_identical(nrow(none$nodes), 0L)
})

test_that("pieces of a frame are told apart", {
  x <- fold(event(1, "arrived", 1, "a", piece = "rows 1-10"),
            event(2, "rendering", 1, "b", piece = "rows 11-20"))
  one <- x$frames[x$frames$frame == 1, ]
  expect_identical(one$piece, c("rows 1-10", "rows 11-20"))
  expect_identical(one$state, c("arrived", "rendering"))
  expect_identical(x$frames$frame, c(1L, 1L, 2L, 3L))
})

# What becomes of so many frames on so many nodes: given out, begun, failed, lost and begun again,
# arrived, found usable.
some_history <- function(frames, nodes) {
  do.call(rbind, lapply(seq_len(frames), function(f) {
    at <- stats::runif(1, 0, 1000)
    out <- list()
    repeat {
      node <- paste0("n", sample(nodes, 1))
      took <- round(stats::rexp(1, 1 / 30) + 1, 3)
      how <- sample(c("arrived", "failed", "lost", "open"), 1, prob = c(0.8, 0.08, 0.05, 0.07))
      out <- c(out, list(event(at, "given out", f, node), event(at + 0.5, "rendering", f, node)))
      if (how == "open") break
      at <- at + 0.5 + took
      out <- c(out, list(event(at, how, f, node)))
      if (how == "arrived") break
    }
    if (how == "arrived" && stats::runif(1) < 0.5)
      out <- c(out, list(event(at + 5, "usable", f, node)))
    do.call(rbind, out)
  }))
}

test_that("10,000 events disordered, doubled and delayed give the state of the ordered ones", {
  set.seed(8)
  history <- rbind(some_history(3000, 20),
                   event(stats::runif(200, 0, 2000), "node up", node = paste0("n", 1:20)),
                   event(stats::runif(100, 0, 2000), "node gone", node = paste0("n", 1:20)),
                   event(0, "placed"))
  history$key <- paste0("k", seq_len(nrow(history)))
  expect_gt(nrow(history), 10000)
  ordered <- clockpigeon:::fold_events(history[order(history$time), ], 1:3000)
  for (turn in 1:3) {
    mixed <- history[sample(c(seq_len(nrow(history)), sample(nrow(history), 2000))), ]
    expect_identical(clockpigeon:::fold_events(mixed, 1:3000), ordered)
    # Those that come late: first without them, then all.
    late <- sample(nrow(history), 500)
    first <- clockpigeon:::fold_events(history[-late, ], 1:3000)
    expect_false(identical(first, ordered))
    expect_identical(clockpigeon:::fold_events(rbind(history[-late, ], history[late, ]), 1:3000),
                     ordered)
  }
  # Without keys what is told twice in the same words is one.
  history$key <- NULL
  expect_identical(clockpigeon:::fold_events(rbind(history, history), 1:3000)$frames,
                   ordered$frames)
})

test_that("frames of two shots with one number are two", {
  frames <- data.frame(shot = c("s", "s", "t"), frame = c(1L, 2L, 1L))
  x <- clockpigeon:::fold_events(rbind(event(1, "arrived", 1, "a", shot = "t"),
                                       event(2, "failed", 1, "a", shot = "s"),
                                       event(3, "arrived", 2, "a", shot = "t")), frames)
  expect_identical(x$frames$state, c("failed", "waiting", "arrived"))
  expect_identical(x$frames$shot, c("s", "s", "t"))
  expect_identical(x$job$unknown, 1L)
})

test_that("alarms are ranked by their level, then by how long something can be done", {
  row <- clockpigeon:::new_alarm
  found <- rbind(row("a", "note", NA, "", ""), row("b", "now", NA, "", ""),
                 row("c", "soon", NA, "", "", 50), row("d", "now", NA, "", "", 20),
                 row("e", "now", NA, "", "", 10))
  expect_identical(clockpigeon:::ranked_alarms(found)$code, c("e", "d", "b", "c", "a"))
  none <- clockpigeon:::ranked_alarms(NULL)
  expect_identical(dim(none), c(0L, 6L))
  expect_identical(names(none), names(found))
})

event_rows <- function(what, frame, source = "fetch") {
  data.frame(sequence = seq_along(what), what = what, shot = "tide", frame = frame, source = source)
}

test_that("what was told of a frame before it was refused does not count any more", {
  events <- event_rows(c("rendering", "arrived", "arrived", "failed", "arrived"), c(1, 1, 2, 1, 3),
                   c("fetch", "fetch", "fetch", "verify", "fetch"))
  expect_equal(without_refused(events)$sequence, 3:5)
  expect_equal(refused_frames(events)$frame, 1)
  again <- rbind(events, data.frame(sequence = 6:7, what = c("rendering", "arrived"), shot = "tide",
                                    frame = 1, source = "fetch"))
  expect_equal(without_refused(again)$sequence, 3:7)
  expect_equal(nrow(refused_frames(again)), 0)
  # A failure that an engine told of refuses nothing.
  expect_equal(nrow(without_refused(event_rows(c("arrived", "failed"), 1))), 2)
})
