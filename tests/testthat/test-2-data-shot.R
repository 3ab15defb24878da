test_that("a shot has its frames, size, limit and sizes in bytes", {
  shot <- read_shot(demo_file("shots/gallery.yaml"))
  expect_identical(range(shot$frames), c(1L, 750L))
  expect_identical(shot$cuts, 501L)
  expect_identical(shot$limit$samples, 512L)
  expect_equal(shot$upload, 1.4e9)
})

test_that("bad values name file and field", {
  bad <- function(...) {
    lines <- c(shot = "shot: a", scene = "scene: gears", size = "size: 16x9",
               limit = "limit: {samples: 1}", frames = "frames: 1-9")
    over <- c(...)
    lines[names(over)] <- over
    read_shot(write_file(scratch(), "s.yaml", lines))
  }
  expect_refusal(bad(frames = "frames: 10-1"), "frames", c("s.yaml, field `frames`", "1-10"))
  expect_refusal(bad(size = "size: 16 by 9"), "size", "field `size`")
  expect_refusal(bad(upload = "upload: 700"), "unit", "field `upload`")
  expect_refusal(bad(cuts = "cuts: [12]"), "frames", "outside the shot")
})

test_that("the name of the shot is in its scene, so that no shot counts as another", {
  shot <- read_shot(write_file(scratch(), "hall.yaml", "shot: hall",
                               "scene: scenes/{shot}-{frame:04}.pov", "frames: 1-10", "size: 16x9",
                               "limit: {samples: 4}"))
  expect_identical(shot$scene, "scenes/hall-{frame:04}.pov")
})
