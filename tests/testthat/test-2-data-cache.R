test_that("a large folder is read once, and what has changed is read again", {
  withr::local_envvar(R_USER_CACHE_DIR = scratch())
  folder <- scratch()
  files <- vapply(1:60, function(i) write_file(folder, sprintf("%03d.yaml", i), paste("a", i)), "")
  Sys.setFileTime(files, Sys.time() - 100)
  count <- 0
  read <- function(path) {
    count <<- count + 1
    readLines(path)
  }
  first <- read_cached(files, read, "shot")
  expect_identical(count, 60)
  expect_identical(read_cached(files, read, "shot"), first)
  expect_identical(count, 60)
  writeLines("a new text", files[7])
  Sys.setFileTime(files[7], Sys.time() - 50)
  again <- read_cached(files, read, "shot")
  expect_identical(count, 61)
  # Whatever digits the new time has.
  for (fraction in c(0, 0.5, 1 / 3)) {
    before <- count
    Sys.setFileTime(files[7], as.POSIXct(floor(as.numeric(Sys.time())) - 40 + fraction,
                                         origin = "1970-01-01"))
    read_cached(files, read, "shot")
    expect_identical(count, before + 1)
  }
  count <- 61
  expect_identical(again[[7]], "a new text")
  expect_identical(again[-7], first[-7])
  # Another kind, a broken cache, and a place where none can be written.
  read_cached(files, read, "node")
  expect_identical(count, 121)
  for (path in list.files(tools::R_user_dir("clockpigeon", "cache"), full.names = TRUE))
    writeLines("broken", path)
  expect_identical(read_cached(files, read, "shot"), again)
  withr::local_envvar(R_USER_CACHE_DIR = "/proc/nowhere")
  expect_identical(read_cached(files, read, "shot"), again)
})

test_that("a file just written is not trusted, and a small folder is not kept", {
  withr::local_envvar(R_USER_CACHE_DIR = scratch())
  folder <- scratch()
  files <- vapply(1:50, function(i) write_file(folder, sprintf("%03d.yaml", i), "a"), "")
  read_cached(files, readLines, "shot")
  expect_identical(list.files(tools::R_user_dir("clockpigeon", "cache")), character())
  Sys.setFileTime(files, Sys.time() - 100)
  read_cached(files[1:10], readLines, "shot")
  expect_identical(list.files(tools::R_user_dir("clockpigeon", "cache")), character())
})

test_that("what took long is worked out once, by all that it follows from", {
  withr::local_envvar(R_USER_CACHE_DIR = scratch())
  made <- 0
  make <- function() {
    made <<- made + 1
    list(made)
  }
  expect_identical(read_or_make_cached("x", 1:3, make, 0), list(1))
  expect_identical(read_or_make_cached("x", 1:3, make, 0), list(1))
  expect_identical(read_or_make_cached("x", 1:4, make, 0), list(2))
  expect_identical(read_or_make_cached("y", 1:3, make, 0), list(3))
  read_or_make_cached("z", 1, make, 60)  # it took no time, and is not kept
  expect_identical(read_or_make_cached("z", 1, make, 60), list(5))
  for (i in 1:30) read_or_make_cached("x", i + 100, make, 0)
  expect_lte(length(list.files(tools::R_user_dir("clockpigeon", "cache"), "^x-")), 20)
})
