look_of <- function(frames, bad = integer(), damage = NULL, ...) {
  folder <- scene_folder(frames, bad, damage, ...)
  look_at_pictures(list.files(folder, full.names = TRUE))
}

codes <- function(x, index) unique(x$code[x$index %in% index & x$weight == "unusable"])

test_that("nothing is found in clean frames, with noise and without, and as they fade in and out", {
  expect_equal(nrow(sequence_findings(look_of(1:30), 1:30)), 0)
  expect_equal(nrow(sequence_findings(look_of(1:30, noise = 0), 1:30)), 0)
  fade <- function(x, f) x * pmin(1, (f - 1) / 10)
  expect_equal(nrow(sequence_findings(look_of(1:30, 1:11, fade), 1:30)), 0)
  expect_equal(nrow(sequence_findings(look_of(1:2), 1:2)), 0)
  expect_equal(nrow(sequence_findings(look_of(1), 1)), 0)
})

test_that("blank pictures are found where those around them show something", {
  found <- sequence_findings(look_of(1:24, c(7, 16), function(x, f) x * 0 + (f == 16) * 0.4), 1:24)
  expect_equal(found$index, c(7, 16))
  expect_equal(found$code, c("black", "one colour"))
  # A job that is black altogether is found too.
  black <- sequence_findings(look_of(1:5, 1:5, function(x, f) x * 0), 1:5)
  expect_equal(black$code, rep("black", 5))
})

test_that("parts that were not rendered, missing textures and bright pixels are found in their place", {
  hole <- function(x, f) {
    x[31:54, 41:80, ] <- 0
    x
  }
  found <- sequence_findings(look_of(1:24, 9, hole), 1:24)
  expect_equal(codes(found, 9), "hole")
  expect_true(all(abs(unlist(found[1, c("top", "bottom", "left", "right")]) - c(31, 54, 41, 80)) <=
                  4))
  texture <- function(x, f) {
    x[11:22, 91:110, ] <- rep(c(0.7, 0, 0.7), each = 12 * 20)
    x
  }
  found <- sequence_findings(look_of(1:24, 14, texture), 1:24)
  expect_equal(codes(found, 14), "texture")
  expect_true(all(abs(unlist(found[1, c("top", "bottom", "left", "right")]) - c(11, 22, 91, 110)) <=
                  4))
  # What all of them show may belong there: it is said once, as a doubt.
  all <- sequence_findings(look_of(1:12, 1:12, texture), 1:12)
  expect_equal(all[c("index", "code", "weight")],
               data.frame(index = 1L, code = "texture", weight = "doubt"))
  flies <- function(x, f) {
    at <- cbind(rep(seq(4, 68, 8), 3), rep(c(20, 60, 100), each = 9))
    for (k in 1:3) x[cbind(at, k)] <- 1
    x
  }
  expect_equal(codes(sequence_findings(look_of(1:24, 20, flies), 1:24), 20), "fireflies")
  expect_equal(unique(sequence_findings(look_of(1:24, 20, flies), 1:24)$index), 20)
})

test_that("what cannot be read, has no numbers, or is clear all over is told of without neighbours", {
  looks <- look_of(1:3)
  looks$facts$fault[1] <- "Read Error"
  looks$facts$odd[2] <- 4
  looks$facts$odd_row[2] <- 5
  looks$facts$odd_column[2] <- 6
  looks$facts$alpha[3] <- 0
  found <- own_findings(looks)
  expect_equal(found$code, c("cut off", "no number", "clear"))
  expect_match(found$evidence[2], "4 pixels are not finite; the first at row 5, column 6")
})

test_that("pictures of which only the header is known are left out, and hinder nothing", {
  looks <- look_of(1:12)
  none <- no_look("")
  none$facts[c("width", "height")] <- c(128, 72)
  expect_equal(nrow(sequence_findings(bind_looks(list(looks, none)), 1:13)), 0)
  expect_equal(nrow(sequence_findings(bind_looks(rep(list(none), 5)), 1:5)), 0)
})

test_that("pictures of another size are nobody's neighbours", {
  folder <- scene_folder(1:12)
  png::writePNG(scene_picture(6, 40, 60), file.path(folder, "tide-0006.png"))
  looks <- look_at_pictures(list.files(folder, full.names = TRUE))
  expect_equal(nrow(sequence_findings(looks, 1:12)), 0)
})
