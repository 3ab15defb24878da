test_that("each kind of picture is read as the linear light that was written", {
  skip_if_not_installed("png")
  light <- array(seq(0, 1, length.out = 5 * 4 * 3), c(5, 4, 3))
  display <- array(clockpigeon:::display_light(as.vector(light)), dim(light))
  path <- tempfile()
  png::writePNG(display, path)
  eight <- read_picture(path)
  expect_lt(max(abs(eight - light)), 1 / 200)
  expect_identical(attributes(eight)[c("light", "depth")], list(light = "display", depth = 8L))
  expect_equal(as.vector(read_picture(path, light = "linear")),
               as.vector(round(255 * display) / 255))
  skip_if_not_installed("tiff")
  tiff::writeTIFF(display, path, bits.per.sample = 16L)
  sixteen <- read_picture(path)
  expect_lt(max(abs(sixteen - light)), 1e-4)
  expect_identical(attr(sixteen, "depth"), 16L)
  tiff::writeTIFF(light * 0.9, path, bits.per.sample = 32L)
  expect_lt(max(abs(read_picture(path) -
                    if (attr(read_picture(path), "light") == "linear") light * 0.9
                    else clockpigeon:::linear_light(light * 0.9))), 1e-6)
})

test_that("a float map is read with its rows from the top, in either byte order", {
  path <- tempfile()
  write <- function(kind, scale, values, endian, size = "2 3") {
    file <- file(path, "wb")
    writeBin(charToRaw(paste0(kind, "\n", size, "\n", scale, "\n")), file)
    writeBin(values, file, size = 4, endian = endian)
    close(file)
  }
  write("Pf", "-1.0", c(5, 6, 3, 4, 1, 2), "little")
  expect_equal(read_picture(path)[, , 1], rbind(c(1, 2), c(3, 4), c(5, 6)))
  write("PF", "1.0", as.numeric(1:18), "big")
  x <- read_picture(path)
  expect_identical(dim(x), c(3L, 2L, 3L))
  expect_identical(x[3, 1, ], c(1, 2, 3))
  expect_identical(attr(x, "light"), "linear")
  write("PF", "1.0", as.numeric(1:17), "big")
  expect_refusal(read_picture(path), "picture", "cut off")
  write("PF", "x", 1, "big")
  expect_refusal(read_picture(path), "picture", "no header")
  expect_refusal(read_picture(write_file(scratch(), "a.png", "no picture")), "picture", "is no PNG")
  expect_refusal(read_picture("nowhere.png"), "picture", "no such file")
})

test_that("pebble's two kinds of picture show the same frame", {
  folder <- scratch()
  paths <- file.path(folder, c("a.png", "a.pfm"))
  for (path in paths)
    run_pebble("--scene", "gears", "--frame", 1, "--size", "40x30", "--samples", "2", "--out", path)
  both <- lapply(paths, read_picture)
  expect_lt(max(abs(both[[1]] - pmin(both[[2]], 1))), 1 / 100)
})
