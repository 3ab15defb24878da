still_pair <- function(sd, move = 0) {
  scene <- function(by) {
    x <- matrix(seq_len(192), 128, 192, byrow = TRUE)
    left <- 0.5 + 0.2 * sin(x / 9) * sin(row(x) / 12)
    left[, 120:192] <- (0.5 + 0.3 * sin((x + by) / 5))[, 120:192]
    array(rep(left, 3), c(128, 192, 3))
  }
  lapply(c(0, move), function(by) scene(by) + stats::rnorm(128 * 192 * 3, sd = sd))
}

test_that("the noise of a picture is known where nothing moves, within the error that is said", {
  off <- vapply(1:30, function(seed) {
    withr::with_seed(seed, pair <- still_pair(0.03, move = 4))
    found <- noise_of_still(pair[[1]], pair[[2]])
    # The part that moves is left out.
    expect_lt(found$share, 0.75)
    (found$noise - 0.03 / 0.5) / found$error
  }, 0)
  expect_lt(abs(mean(off)), 1)
  expect_lt(mean(abs(off) > 2.5), 0.15)
})

test_that("nothing is said where all moves, or where the noise is the same", {
  withr::with_seed(1, {
    a <- array(stats::rnorm(64 * 64 * 3, 0.5, 0.1), c(64, 64, 3))
    moved <- a[c(5:64, 1:4), , ] + array(0.2 * sin(seq_len(64) / 3), c(64, 64, 3))
  })
  expect_null(noise_of_still(a, a))
  expect_null(noise_of_still(a, moved * 0 + rep(sin(1:64 / 4), 64 * 3)))
})
