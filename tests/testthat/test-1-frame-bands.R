bands_of_frames <- function(bad, damage, ...) {
  folder <- scene_folder(1:24, bad, damage, ...)
  sequence_findings(look_at_pictures(list.files(folder, full.names = TRUE)), 1:24)
}

test_that("a band with fewer samples and a picture with more noise are found, the band in its place", {
  band <- function(x, f) {
    withr::with_seed(5, x[25:44, , ] <- x[25:44, , ] + stats::rnorm(20 * 128 * 3, sd = 0.04))
    pmin(pmax(x, 0), 1)
  }
  found <- bands_of_frames(12, band)
  expect_equal(found[c("index", "code")], data.frame(index = 12L, code = "band"))
  expect_true(abs(found$top - 25) <= 4 && abs(found$bottom - 44) <= 4)
  expect_match(found$evidence, "times the noise of the rest")
  noisy <- function(x, f) scene_picture(f, noise = 0.045)
  found <- bands_of_frames(c(6, 18), noisy)
  expect_equal(found$index, c(6, 18))
  expect_equal(unique(found$code), "noisy")
  # As much noisier as it is, within what is said.
  times <- as.numeric(sub(".* is ([0-9.]+) times.*", "\\1", found$evidence))
  expect_true(all(times > 1.7 & times < 2.4))
})

test_that("what passes through a picture is no band, and four matrices have in common what three of them say", {
  x <- lapply(c(0.3, 0.5, 0.4, -0.2), matrix, nrow = 1)
  expect_equal(common_of(x)[1], 0.3)
  expect_equal(common_of(lapply(c(0.3, 0.5, -0.4, -0.2), matrix, nrow = 1))[1], 0)
  expect_equal(common_of(lapply(c(0.1, -0.5, -0.4, -0.2), matrix, nrow = 1))[1], -0.2)
  flat <- lapply(1:4, function(k) matrix(0, 12, 9))
  for (k in 1:4) flat[[k]][4:6, 5] <- 1
  band <- band_search(flat)
  expect_equal(c(band$from[5], band$to[5]), c(4, 6))
  expect_equal(which(band$strength > band$bound), 5)
})

test_that("middle values of blocks are those of plain R, without what is unknown", {
  withr::with_seed(3, x <- matrix(rnorm(4 * 3 * 2), 12))
  x[c(1, 2, 6, 14)] <- NA
  plain <- apply(x, 2, function(v)
                 vapply(1:3, function(r) stats::median(v[(r - 1) * 4 + 1:4], na.rm = TRUE), 0))
  expect_equal(block_row_medians(x, 4, 1), plain)
  expect_true(is.na(block_row_medians(x, 4, 3)[1, 1]))
})

test_that("rows of PNG files are put under each other, and what is in the way is said", {
  skip_if_not_installed("png")
  at <- scratch()
  x <- array(withr::with_seed(3, sample(0:255, 6 * 5 * 3, TRUE)) / 255, c(6, 5, 3))
  paths <- file.path(at, c("a.png", "b.png"))
  png::writePNG(x[1:2, , ], paths[1])
  png::writePNG(x[3:6, , ], paths[2])
  to <- file.path(at, "c.png")
  join <- function(...) clockpigeon:::join_png_rows(paths, c(1, 3), ...)
  expect_identical(join(c(2, 6), 6, to), "")
  expect_equal(png::readPNG(to), x)
  expect_match(join(c(2, 7), 7, to), "has 4 rows, its band 5")
  expect_match(join(c(2, 6), 6, file.path(at, "none", "c.png")), "cannot be written")
})
