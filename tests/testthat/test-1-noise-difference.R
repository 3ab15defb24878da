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
