# Cheap times of 120 frames along a course, with the clock's noise, and two heavy frames.
set.seed(11)
course <- 0.4 * sin(1:120 / 18)
cheap <- data.frame(frame = 1:120, seconds = exp(course + rnorm(120, 0, 0.1)))
cheap$seconds[c(31, 80)] <- cheap$seconds[c(31, 80)] * 8

taken_apart <- function(cheap, ...)
  frame_curve(c(20, 60, 100), c(1, 2, 3), 1:120, cheap = cheap, ...)$cheap

test_that("cheap times are taken apart into course, rest and what stands out", {
  parts <- taken_apart(cheap)
  expect_lt(sqrt(mean((parts$course - course)^2)), 0.06)
  expect_identical(which(parts$beyond > 1), c(31L, 80L))
  expect_equal((parts$course + parts$rest + parts$beyond)[-c(31, 80)],
               log(cheap$seconds)[-c(31, 80)], tolerance = 1e-8)
})

test_that("frames without a cheap time are filled in from the course, with its variance", {
  parts <- taken_apart(cheap[seq(1, 120, by = 3), ])
  open <- setdiff(1:120, seq(1, 120, by = 3))
  expect_lt(sqrt(mean((parts$course[open] - course[open])^2)), 0.09)
  expect_true(all(parts$variance[open] > 0.003))
  expect_true(all(parts$variance[-open] == 0))
})

test_that("the clock's noise in cheap times is not taken for heavy and light frames", {
  set.seed(12)
  full <- 5 * exp(course + rnorm(120, 0, 0.02))
  off <- vapply(1:10, function(k) {
    noisy <- data.frame(frame = 1:120, seconds = exp(course + rnorm(120, 0, 0.25)))
    at <- first_probes(1:120, 5, noisy)
    total_time(frame_curve(at, full[at], 1:120, cheap = noisy), draws = 500)$mean / sum(full) - 1
  }, 0)
  expect_lt(mean(abs(off)), 0.05)
})

test_that("a long cheap pass costs no more than its frames", {
  n <- 20000
  long <- data.frame(frame = 1:n, seconds = exp(0.3 * sin(1:n / 900) + rnorm(n, 0, 0.1)))
  parts <- frame_curve(c(2000, 9000, 17000), c(4, 5, 3), 1:n, cheap = long)$cheap
  expect_lt(sqrt(mean((parts$course - 0.3 * sin(1:n / 900))^2)), 0.05)
})
