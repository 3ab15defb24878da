test_that("a float TIFF is looked at in linear light, one of whole numbers as for a display", {
  x <- scene_picture(1, 30, 40)
  path <- withr::local_tempfile(fileext = ".tif")
  tiff::writeTIFF(x, path, bits.per.sample = 16L)
  look <- looks_of(path)
  expect_equal(look$grid[[1]], look_at_values(x, FALSE)$grid[[1]], tolerance = 1e-4)
  expect_equal(look$facts$depth, 16)
  bytes <- readBin(path, "raw", 1e6)
  writeBin(utils::head(bytes, 900), path)
  expect_match(looks_of(path)$facts$fault, "cut off|cannot")
})

test_that("OpenEXR is looked at through ffmpeg, the top row first, with values that are no numbers", {
  skip_if(!nzchar(Sys.which("ffmpeg")), "ffmpeg is not here")
  x <- scene_picture(1, 32, 48)^2
  pfm <- withr::local_tempfile(fileext = ".pfm")
  exr <- withr::local_tempfile(fileext = ".exr")
  file <- file(pfm, "wb")
  # ffmpeg reads the first row of a float map as the top one.
  writeBin(charToRaw("PF\n48 32\n-1.0\n"), file)
  writeBin(as.vector(aperm(x, 3:1)), file, size = 4, endian = "little")
  close(file)
  processx::run("ffmpeg", c("-v", "error", "-y", "-i", pfm, exr))
  look <- looks_of(c(exr, exr))
  expect_equal(look$facts$fault, c("", ""))
  expect_equal(look$facts$width, c(48, 48))
  top <- mean(look$grid[[1]][1:look$facts$columns[1]])
  own <- look_at_values(x, TRUE)
  expect_equal(look$grid[[1]], own$grid[[1]], tolerance = 2e-3)
  expect_equal(top, mean(own$grid[[1]][1:own$facts$columns]), tolerance = 2e-3)
  bytes <- readBin(exr, "raw", 1e6)
  writeBin(utils::head(bytes, length(bytes) * 0.6), exr)
  expect_true(nzchar(looks_of(exr)$facts$fault))
})

test_that("what is gone or no picture at all says so", {
  text <- withr::local_tempfile(fileext = ".png", lines = "this is no picture")
  expect_equal(looks_of(c(text, "/nowhere.png"))$facts$fault,
               c("is no PNG, TIFF, PFM or OpenEXR", "is not there any more"))
})
