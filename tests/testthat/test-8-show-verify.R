damaged <- function(env = parent.frame()) {
  folder <- scene_folder(1:24, bad = c(6, 7, 15), damage = function(x, f) {
    if (f < 10) return(x * 0)
    x[31:54, 41:80, ] <- 0
    x
  }, env = env)
  file.create(file.path(folder, "tide-0020.png"))
  Sys.setFileTime(list.files(folder, full.names = TRUE), Sys.time() - 60)
  folder
}

test_that("what is not usable is said with its frames, its place, how sure, and the evidence", {
  x <- verify_frames(damaged(), threads = 1)
  said <- verify_lines(x, width = 90)
  expect_match(said, "20 of 24 are usable", all = FALSE)
  expect_match(said, "^tide +6-7 +black +yes +all of it", all = FALSE)
  expect_match(said, "^tide +15 +hole .*rows 3[0-9]-5[0-9], columns 4[0-9]-[78][0-9]", all = FALSE)
  expect_match(said, "Render again: tide 6-7, 15, 20", all = FALSE)
  expect_true(all(nchar(said) <= 90))
  expect_output(print(x), "Unusable")
})

test_that("a clean folder says so and no more", {
  said <- verify_lines(verify_frames(scene_folder(1:8), threads = 1))
  expect_match(said, "8 of 8 are usable", all = FALSE)
  expect_false(any(grepl("Not usable|To look at|again", said)))
})

test_that("the sheet shows suspects between their neighbours, their places outlined", {
  x <- verify_frames(damaged(), threads = 1)
  path <- withr::local_tempfile(fileext = ".png")
  shown <- suspect_sheet(x, path)
  expect_equal(shown$frame, c(6, 7, 15, 20))
  picture <- png::readPNG(path)
  # The outline's colour, around the hole: its upper edge lies above its lower one, both within the
  # third row.
  yellow <- which(abs(picture[, , 1] - 1) < 0.02 & abs(picture[, , 2] - 209 / 255) < 0.02 &
                    abs(picture[, , 3] - 102 / 255) < 0.02, arr.ind = TRUE)
  expect_gt(nrow(yellow), 100)
  scale <- 300 / 128
  row <- as_frame(x$findings)[x$findings$code == "hole", ]
  expect_equal(diff(range(yellow[, 1])), (row$bottom - row$top + 1) * scale + 6, tolerance = 0.05)
  top <- 60 + 2 * (300 * 72 / 128 + 48)
  expect_equal(min(yellow[, 1]), top + (row$top - 1) * scale - 3, tolerance = 0.02)
  expect_refusal(suspect_sheet(verify_frames(scene_folder(1:8), threads = 1), path), "picture",
                 "suspect")
})
