noisy <- function(scene, seed, sd = 0.03) {
  set.seed(seed)
  array(as.vector(scene) * (1 + rep(rnorm(length(scene) / 3, sd = sd), 3)), dim(scene))
}
plain_scene <- function()
  array(rep(0.3 + 0.2 * outer(sin(1:96 / 9), cos(1:128 / 11)), 3), c(96, 128, 3))

test_that("two renders of one scene are the same but for noise, in all but few of many trials", {
  one <- function(i)
    compare_pictures(noisy(plain_scene(), i), noisy(plain_scene(), 1000 + i))$verdict
  verdicts <- vapply(1:150, one, "")
  expect_lt(mean(verdicts != "same but for noise"), 0.04)
})

test_that("equal pictures are the same, rounding included", {
  a <- noisy(plain_scene(), 1)
  expect_identical(compare_pictures(a, a)$verdict, "same picture")
  expect_identical(compare_pictures(a, a * (1 + 1e-6))$verdict, "same picture")
  eight <- structure(round(a * 255) / 255, depth = 8L)
  one_step <- eight
  one_step[5, 5, 1] <- one_step[5, 5, 1] + 1 / 255
  expect_identical(compare_pictures(eight, one_step)$verdict, "same picture")
})

test_that("what is brighter, moved, smoothed or missing is different, and where is said", {
  a <- noisy(plain_scene(), 1)
  expect_identical(compare_pictures(a, noisy(1.03 * plain_scene(), 2))$verdict, "different")
  here <- plain_scene()
  here[40:60, 70:90, ] <- 1.2 * here[40:60, 70:90, ]
  found <- compare_pictures(a, noisy(here, 2))
  expect_identical(found$verdict, "different")
  expect_identical(c(found$row, found$column), c(2L, 3L))
  # An object a few pixels to the side: no tile changes its brightness, its shape does.
  striped <- plain_scene()
  stripes <- striped
  striped[33:64, 33:64, ] <- striped[33:64, 33:64, ] +
    rep(c(0.2, 0.2, 0.2, -0.2, -0.2, -0.2), length.out = 32)
  stripes[33:64, 33:64, ] <- stripes[33:64, 33:64, ] -
    rep(c(0.2, 0.2, 0.2, -0.2, -0.2, -0.2), length.out = 32)
  moved <- compare_pictures(noisy(striped, 1), noisy(stripes, 2))
  expect_identical(moved$verdict, "different")
  expect_match(moved$why, "shapes")
  expect_refusal(compare_pictures(a, a[1:90, , ]), "picture")
})

test_that("pebble's seeds, threads and releases give the verdicts they should", {
  folder <- scratch()
  picture <- function(name, ..., samples = "8", scene = "gears") {
    path <- file.path(folder, paste0(name, ".pfm"))
    run_pebble("--scene", scene, "--frame", 1, "--size", "96x54", "--samples", samples, "--out",
               path, ...)
    read_picture(path)
  }
  one <- picture("one", "--seed", "1")
  expect_identical(compare_pictures(one, picture("threads", "--seed", "1", "--threads",
                                                 "2"))$verdict, "same picture")
  expect_identical(compare_pictures(one, picture("seed", "--seed", "2"))$verdict,
                   "same but for noise")
  expect_identical(compare_pictures(one, picture("dark", "--seed", "2", "--bounces", "2"))$verdict,
                   "different")
})

test_that("the acceptable noise lies where half of the answers accept", {
  half <- clockpigeon:::acceptable_noise
  expect_equal(half(c(0.05, 0.1, 0.2), c(TRUE, TRUE, FALSE)), sqrt(0.1 * 0.2))
  expect_equal(half(c(0.05, 0.1), c(TRUE, TRUE)), 0.1)
  expect_null(half(c(0.05, 0.1), c(FALSE, FALSE)))
  expect_null(half(numeric(), logical()))
  set.seed(3)
  noise <- exp(runif(2000, log(0.02), log(0.5)))
  answers <- runif(2000) < plogis(-3 * log(noise / 0.12))
  expect_equal(half(noise, answers), 0.12, tolerance = 0.06)
  expect_equal(half(c(0.05, 0.1, 0.2, 0.4), c(FALSE, TRUE, FALSE, TRUE)), 0.1)
})

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
