seams_of <- function(bad, damage, ..., edges = integer()) {
  folder <- scene_folder(1:24, bad, damage, ...)
  sequence_findings(look_at_pictures(list.files(folder, full.names = TRUE)), 1:24, edges = edges)
}

test_that("a part that lies aside or is in other light is found at its row", {
  aside <- function(x, f) {
    x[41:72, , ] <- x[41:72, c(7:128, 1:6), ]
    x
  }
  found <- seams_of(10, aside)
  expect_equal(unique(found$index), 10)
  expect_equal(found$code[1], "seam")
  expect_equal(found$top[found$code == "seam"][1], 40)
  lighter <- function(x, f) {
    x[51:72, , ] <- pmin(1, x[51:72, , ] * 1.15)
    x
  }
  found <- seams_of(17, lighter)
  expect_equal(unique(found$index), 17)
  expect_equal(found$top[1], 50, tolerance = 0.06)
})

test_that("an edge of the scene that moves over the whole width is no seam", {
  door <- function(x, f) {
    x[seq_len(10 + 2 * f), , ] <- x[seq_len(10 + 2 * f), , ] * 0.5
    x
  }
  expect_equal(nrow(seams_of(1:24, door)), 0)
})

test_that("the most within some rows is what looking at each of them gives", {
  withr::with_seed(2, x <- matrix(rnorm(60), 20))
  plain <- apply(x, 2, function(v)
                 vapply(1:20, function(i) max(v[max(1, i - 5):min(20, i + 5)]), 0))
  expect_equal(running_maximum(x, 5), plain)
})
