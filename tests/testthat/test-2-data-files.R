test_that("a file is written whole, or the old one stays", {
  folder <- scratch()
  path <- file.path(folder, "a.txt")
  clockpigeon:::write_text("old", path)
  expect_refusal(clockpigeon:::write_whole(path, function(part) {
    writeLines("half", part)
    stop("the disk is full")
  }), "file", c("cannot be written", "the disk is full", "a.txt"))
  expect_identical(readLines(path), "old")
  expect_identical(list.files(folder), "a.txt")
  expect_refusal(clockpigeon:::write_text("x", file.path(folder, "no", "a.txt")), "file", "Make the folder first")
  expect_refusal(clockpigeon:::write_whole(path, function(part) NULL), "file", "cannot be written")
})

test_that("hashes are MD5 as everyone reckons it", {
  path <- write_file(scratch(), "x", "one", "two")
  expect_identical(clockpigeon:::file_hash(path), unname(tools::md5sum(path)))
  expect_identical(clockpigeon:::text_hash(c("one", "two")), clockpigeon:::file_hash(path))
  expect_identical(clockpigeon:::text_hash(""), "68b329da9893e34099c7d8ad5cb9c940")
})
