extent <- function(path) clockpigeon:::picture_extent(path)

pictures <- function(folder) {
  x <- array(runif(7 * 5 * 3), c(5, 7, 3))
  png::writePNG(x, file.path(folder, "a.png"))
  tiff::writeTIFF(x, file.path(folder, "a.tiff"))
  file <- file(file.path(folder, "a.pfm"), "wb")
  writeBin(charToRaw("PF\n7 5\n-1.0\n"), file)
  writeBin(as.vector(x), file, size = 4)
  close(file)
  file.path(folder, c("a.png", "a.tiff", "a.pfm"))
}

test_that("the size of every kind is read from its header", {
  for (path in pictures(scratch()))
    expect_identical(unlist(extent(path)), c(width = 7, height = 5), info = path)
})

test_that("a file cut anywhere is told, of every kind", {
  for (path in pictures(scratch())) {
    bytes <- readBin(path, "raw", 1e5)
    for (n in round(seq(10, length(bytes) - 1, length.out = 25))) {
      writeBin(bytes[seq_len(n)], path)
      expect_true(length(extent(path)$fault) == 1, info = paste(path, n))
      expect_refusal(read_picture(path), "picture")
    }
  }
})

test_that("a size that the file cannot hold is told before memory is asked for", {
  folder <- scratch()
  path <- file.path(folder, "huge.pfm")
  writeBin(charToRaw("PF\n100000 100000\n-1.0\nabc"), path)
  expect_match(extent(path)$fault, "cut off")
  expect_refusal(read_picture(path), "picture", "cut off")
  bytes <- readBin(pictures(folder)[1], "raw", 1e5)
  bytes[17:24] <- as.raw(c(0, 1, 0, 0, 0, 1, 0, 0))  # 65,536 x 65,536
  path <- file.path(folder, "huge.png")
  writeBin(bytes, path)
  expect_refusal(read_picture(path), "picture", "cannot")
})
