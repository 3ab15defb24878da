exr_header <- function(path, ...) {
  file <- file(path, "wb")
  on.exit(close(file))
  writeBin(as.raw(c(118, 47, 49, 1, 2, 0, 0, 0)), file)
  for (a in list(...)) {
    writeBin(c(charToRaw(a[[1]]), as.raw(0), charToRaw(a[[2]]), as.raw(0)), file)
    body <- switch(a[[2]], string = charToRaw(a[[3]]),
                   float = writeBin(a[[3]], raw(), size = 4, endian = "little"),
                   int = writeBin(a[[3]], raw(), endian = "little"), a[[3]])
    writeBin(length(body), file, endian = "little")
    writeBin(body, file)
  }
  writeBin(as.raw(0), file)
  path
}

test_that("PNG text chunks are read, plain, packed and international", {
  path <- tempfile(fileext = ".png")
  png::writePNG(array(0.5, c(2, 2, 3)), path, text = c("Render Time" = "1m20s", Samples = "64"))
  expect_identical(clockpigeon:::picture_metadata(path), c("Render Time" = "1m20s", Samples = "64"))
  zero <- as.raw(0)
  packed <- memCompress(charToRaw("12.5 s"), "gzip")
  expect_identical(clockpigeon:::png_text("zTXt", c(charToRaw("time"), zero, zero, packed)),
                   c(time = "12.5 s"))
  expect_identical(clockpigeon:::png_text("iTXt", c(charToRaw("w"), zero, zero, zero,
                                                    charToRaw("de"), zero, zero,
                                                    charToRaw("h\u00e4lt"))), c(w = "h\u00e4lt"))
})

test_that("OpenEXR header attributes are read, and others passed over", {
  path <- exr_header(tempfile(fileext = ".exr"), list("renderTime", "string", "00:01:20"),
                     list("noise", "float", 0.25), list("samples", "int", 64L),
                     list("channels", "chlist", as.raw(1:9)))
  expect_identical(clockpigeon:::picture_metadata(path),
                   c(renderTime = "00:01:20", noise = "0.25", samples = "64"))
})

test_that("a picture that is cut off or of another kind is refused", {
  path <- exr_header(tempfile(fileext = ".exr"), list("renderTime", "string", "00:01:20"))
  bytes <- readBin(path, "raw", 1e4)
  for (n in c(10, 22, 30)) {
    writeBin(bytes[seq_len(n)], path)
    expect_refusal(clockpigeon:::picture_metadata(path), "picture", "cut off")
  }
  writeLines("text that is long enough", path)
  expect_refusal(clockpigeon:::picture_metadata(path), "picture", "neither PNG nor OpenEXR")
})
