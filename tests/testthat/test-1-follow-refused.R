try_or <- function(what, frame, source = "fetch") {
  data.frame(sequence = seq_along(what), what = what, shot = "tide", frame = frame, source = source)
}

test_that("what was told of a frame before it was refused does not count any more", {
  events <- try_or(c("rendering", "arrived", "arrived", "failed", "arrived"), c(1, 1, 2, 1, 3),
                   c("fetch", "fetch", "fetch", "verify", "fetch"))
  expect_equal(without_refused(events)$sequence, 3:5)
  expect_equal(refused_frames(events)$frame, 1)
  again <- rbind(events, data.frame(sequence = 6:7, what = c("rendering", "arrived"), shot = "tide",
                                    frame = 1, source = "fetch"))
  expect_equal(without_refused(again)$sequence, 3:7)
  expect_equal(nrow(refused_frames(again)), 0)
  # A failure that an engine told of refuses nothing.
  expect_equal(nrow(without_refused(try_or(c("arrived", "failed"), 1))), 2)
})
