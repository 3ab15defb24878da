test_that("a cheap pass runs in one process where the profile says how, and keeps every time", {
  ledger <- memory_ledger()
  rows <- cheap_pass(small_shot(), pebble(), ledger, frames = "1-20 by 5", by = 2,
                     running = running(progress = FALSE))
  expect_identical(rows$frame, c(1L, 6L, 11L, 16L))
  expect_true(all(rows$compute_s >= 0 & rows$width == 16 & rows$status == "ok"))
  expect_identical(nrow(timings(ledger)), 4L)
  expect_match(rows$note, "one process")
  # The machine is on every row, as on those of any trial.
  expect_false(anyNA(rows$machine))
  expect_true(all(rows$busy %in% c(TRUE, FALSE)))
  expect_identical(length(unique(rows$machine)), 1L)
  # The engine by itself makes the same pictures, frame by frame.
  folder <- scratch()
  run_pebble("--scene", "gears", "--frame", "1-7 by 3", "--size", "16x9", "--samples", "1", "--out",
             file.path(folder,
                       "a.png"))
  expect_identical(list.files(folder), sprintf("a-%04d.png", c(1, 4, 7)))
  run_pebble("--scene", "gears", "--frame", "4", "--size", "16x9", "--samples", "1", "--out",
             file.path(folder,
                       "b.png"))
  expect_identical(unname(tools::md5sum(file.path(folder, c("a-0004.png")))),
                   unname(tools::md5sum(file.path(folder,
                                                  "b.png"))))
  expect_match(run_pebble("--scene", "gears", "--frame", "7-1", "--size", "16x9", "--samples", "1",
                          "--out", "x.png")$stderr,
               "write 12, 1-120 or '1-120 by 6'")
})

test_that("frames that are no single range, and engines without a sequence, run frame by frame", {
  ledger <- memory_ledger()
  rows <- cheap_pass(small_shot(), pebble(), ledger, frames = c(1, 2, 9), by = 2,
                     running = running(progress = FALSE))
  expect_identical(sort(rows$frame), c(1L, 2L, 9L))
  expect_true(all(is.na(rows$note)))
  plain <- pebble()
  plain$sequence <- NULL
  expect_identical(nrow(cheap_pass(small_shot(), plain, ledger, frames = 1:2, by = 2,
                                   running = running(progress = FALSE))), 2L)
})

test_that("a sequence that gives no times is an error that names the profile, and keeps nothing", {
  ledger <- memory_ledger()
  odd <- pebble()
  odd$sequence <- list(c("--frame", "1-999"))
  expect_refusal(cheap_pass(small_shot(), odd, ledger, frames = 1:3,
                            running = running(progress = FALSE)), "engine",
                 "`sequence`")
  expect_identical(nrow(timings(ledger)), 0L)
})
