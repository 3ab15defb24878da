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
  expect_refusal(clockpigeon:::write_text("x", file.path(folder, "no", "a.txt")), "file",
                 "Make the folder first")
  expect_refusal(clockpigeon:::write_whole(path, function(part) NULL), "file", "cannot be written")
})

test_that("a full disk is one clear error, and leaves nothing half written", {
  disk <- scratch()
  mounted <- suppressWarnings(system2("mount", c("-t", "tmpfs", "-o", "size=512k", "none", disk),
                                      stdout = FALSE, stderr = FALSE))
  skip_if(mounted != 0, "mounting a small disk takes root")
  on.exit(system2("umount", disk))
  path <- write_file(disk, "here.txt", "old")
  expect_refusal(clockpigeon:::write_text(strrep("x", 1e6), path), "file",
                 c("the disk is full", "make room"))
  expect_equal(readLines(path), "old")
  expect_equal(list.files(disk), "here.txt")
  ledger <- open_ledger(file.path(disk, "ledger.sqlite"))
  writeBin(raw(1e6), file.path(disk, "fill"))
  rows <- example_timings()
  expect_refusal(add_timings(ledger, rows), "ledger", c("disk is full", "Make room"))
  close_ledger(ledger)
  unlink(file.path(disk, "fill"))
  ledger <- open_ledger(file.path(disk, "ledger.sqlite"))
  expect_equal(nrow(timings(ledger)), 0)
  close_ledger(ledger)
})

test_that("hashes are MD5 as everyone reckons it", {
  path <- write_file(scratch(), "x", "one", "two")
  expect_identical(clockpigeon:::file_hash(path), unname(tools::md5sum(path)))
  expect_identical(clockpigeon:::text_hash(c("one", "two")), clockpigeon:::file_hash(path))
  expect_identical(clockpigeon:::text_hash(""), "68b329da9893e34099c7d8ad5cb9c940")
})

test_that("a cell that a spreadsheet would run is text, and numbers stay numbers", {
  path <- withr::local_tempfile()
  clockpigeon:::write_csv(data.frame(a = c("=1+1", "+x", "-y", "@z", "-1.5", "+3e5", "plain", NA),
                                     b = -8:-1), path)
  lines <- readLines(path)
  expect_identical(lines[-1], c("\"'=1+1\",-8", "\"'+x\",-7", "\"'-y\",-6", "\"'@z\",-5",
                                "\"-1.5\",-4", "\"+3e5\",-3", "\"plain\",-2", ",-1"))
})

test_that("the depth of JSON is counted before it is parsed", {
  depth <- function(text) clockpigeon:::json_depth(charToRaw(text))
  expect_identical(depth("{\"a\":[1,[2]]}"), 3L)
  expect_identical(depth("1"), 0L)
  expect_identical(depth(strrep("[", 1e5)), 100000L)
})
