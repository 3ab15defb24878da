test_that("breaks are found in cheap times to the frame, and none where there is none", {
  set.seed(4)
  smooth <- exp(0.3 * sin(1:120 / 20) + rnorm(120, 0, 0.05))
  jump <- smooth * ifelse(1:120 >= 71, 2, 1)
  spike <- replace(smooth, 40, 20)
  found <- function(cheap) {
    frame_curve(c(20, 60, 100), c(1, 2, 3), 1:120,
                cheap = data.frame(frame = 1:120, seconds = cheap))$breaks
  }
  expect_identical(found(jump)$to, 71L)
  expect_identical(nrow(found(smooth)), 0L)
  expect_identical(nrow(found(spike)), 0L)
})

test_that("breaks are found between probes where there are enough, and said", {
  at <- seq(1, 240, by = 10)
  seconds <- ifelse(at >= 101, 9, 3) * exp(0.02 * sin(at))
  curve <- frame_curve(at, seconds, 1:240)
  expect_identical(unlist(curve$breaks), c(from = 92L, to = 101L))
  expect_match(curve$says, "a break was found between frames 91 and 101", all = FALSE)
  expect_identical(nrow(frame_curve(at, 3 + at / 80, 1:240)$breaks), 0L)
  expect_identical(nrow(frame_curve(at, seconds, 1:240, cuts = integer())$breaks), 0L)
  # A frame on the far side of the break tells nothing of this one.
  p <- predict(frame_curve(at, seconds, 1:240))
  expect_lt(p$upper[85], 5)
})
