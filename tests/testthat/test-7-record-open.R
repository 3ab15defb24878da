test_that("a job is open until its last frame is there, by events or by files, and again when one is refused", {
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  x <- decided(frames = "1-8")
  open <- function(...) clockpigeon:::open_jobs(x$ledger, ...)
  tell <- function(...)
    clockpigeon:::add_events(x$ledger, "review-1", data.frame(place = "attic", ...))
  expect_identical(open(), character())
  at <- scratch()
  tell(what = "placed", detail = at)
  expect_identical(open(), "review-1")
  tell(what = "arrived", shot = "gears-review", frame = 1:5, source = "place")
  # A band of a frame, and a file of another job, are not the frame.
  tell(what = "arrived", shot = "gears-review", frame = 6L, piece = "1/2", source = "place")
  files <- file.path(at, sprintf("gears-review-%04d.png", 6:8))
  file.copy(rep(one_pixel(x$folder), 3), files)
  Sys.setFileTime(files[3], Sys.time() - 3600)
  expect_identical(open(), "review-1")
  expect_identical(nrow(clockpigeon:::watch_all(x$project, x$ledger)), 1L)
  Sys.setFileTime(files[3], Sys.time())
  expect_identical(open(), character())
  expect_identical(nrow(clockpigeon:::watch_all(x$project, x$ledger)), 0L)
  # As it stood before it was placed nothing was there.
  expect_identical(open(now = Sys.time() - 7200), "review-1")
  tell(what = "failed", shot = "gears-review", frame = 2L, source = "verify")
  expect_identical(open(), "review-1")
  unlink(at, recursive = TRUE)
  expect_identical(open(), "review-1")
})

test_that("the placed job that renders some shots is found by its frames and limits", {
  x <- decided(frames = "1-8")
  shots <- x$project$shots["gears-review"]
  found <- function(shots) clockpigeon:::placed_for(x$ledger, shots)
  expect_null(found(shots))
  clockpigeon:::add_events(x$ledger, "review-1",
                           data.frame(what = "placed", place = "attic", detail = scratch()))
  expect_identical(found(shots), "review-1")
  fewer <- longer <- other <- shots
  fewer[[1]]$frames <- 3:5
  longer[[1]]$frames <- 1:9
  other[[1]]$limit$samples <- 7L
  expect_identical(found(fewer), "review-1")
  expect_null(found(longer))
  expect_null(found(other))
  expect_null(found(x$project$shots[c("gears-review", "basin-review")]))
  clockpigeon:::add_events(x$ledger, "review-1", data.frame(what = "stopped"))
  expect_null(found(shots))
})
