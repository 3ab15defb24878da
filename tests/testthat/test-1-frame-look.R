# Against plain R on the same arrays.
plain_light <- function(x) 0.2126 * x[, , 1] + 0.7152 * x[, , 2] + 0.0722 * x[, , 3]

test_that("a look has the picture's brightness, block by block, whatever the PNG's form", {
  x <- round(scene_picture(3, 60, 80) * 255) / 255
  path <- withr::local_tempfile(fileext = ".png")
  png::writePNG(x, path)
  look <- look_at_pictures(path)
  facts <- look$facts
  y <- plain_light(x)
  expect_equal(unname(unlist(facts[c("width", "height", "channels", "depth")])), c(80, 60, 3, 8))
  expect_equal(facts$mean, mean(y), tolerance = 1e-5)
  expect_equal(c(facts$low, facts$high), range(y), tolerance = 1e-5)
  expect_equal(unname(unlist(facts[c("red", "green", "blue")])), apply(x, 3, mean),
               tolerance = 1e-5)
  columns <- facts$columns
  rows <- facts$rows
  expect_equal(c(columns, rows), c(20, 15))
  blocks <- t(vapply(seq_len(rows), function(r) vapply(seq_len(columns), function(k) {
    mean(y[(r - 1) * 4 + 1:4, (k - 1) * 4 + 1:4])
  }, 0), numeric(columns)))
  expect_equal(look$grid[[1]], as.vector(t(blocks)), tolerance = 1e-5)
})

test_that("every form of PNG is read as the picture that it holds", {
  look <- function(name) {
    found <- look_at_pictures(test_path("fixtures", "png", paste0(name, ".png")))
    expect_identical(found$facts$fault, "", info = name)
    found
  }
  same <- function(name, values, tolerance = 1e-5) {
    expect_equal(look(name)$grid[[1]], look_at_values(values, FALSE)$grid[[1]],
                 tolerance = tolerance, info = name)
  }
  colour <- fixture_levels(255) / 255
  for (name in c("rgb-8", "rgb-8-interlaced", "rgba-8")) same(name, colour)
  same("rgb-16", fixture_levels(65535) / 65535)
  grey <- function(most) array(fixture_levels(most)[, , 1] / most, c(36, 50, 3))
  for (name in c("grey-alpha-8", "palette-8")) same(name, grey(255))
  for (depth in c(1, 2, 4)) same(paste0("grey-", depth), grey(2^depth - 1))
  expect_identical(unlist(look("rgb-16")$facts[c("channels", "depth")], use.names = FALSE),
                   c(3, 16))
  expect_identical(unlist(look("palette-8")$facts[c("channels", "depth")], use.names = FALSE),
                   c(3, 8))
  expect_identical(look("grey-2")$facts$depth, 2)
})

test_that("a picture of more pixels than were ordered is a fault, and is not decoded", {
  path <- test_path("fixtures", "png", "rgb-8.png")
  expect_identical(look_at_pictures(path, most_pixels = 1800)$facts$fault, "")
  expect_identical(look_at_pictures(path, most_pixels = 1799)$facts$fault,
                   "has 50 x 36 pixels, too many to look at")
})

test_that("roughness is the mean absolute Laplacian, from which noise is known", {
  noise <- 0.05
  x <- array(0.5, c(96, 96, 3))
  withr::with_seed(1, y <- 0.5 + rnorm(96 * 96, sd = noise))
  for (k in 1:3) x[, , k] <- y
  # Immerkaer (1996): sigma = sqrt(pi / 2) / 6 * mean |Laplacian|.
  look <- look_at_values(x, FALSE)
  expect_equal(mean(look$rough[[1]]) * sqrt(pi / 2) / 6, noise, tolerance = 0.03)
})

test_that("values that are no numbers, bright pixels and the colour of missing textures are counted where they are", {
  x <- array(0.3, c(40, 48, 3))
  x[11, 7, 2] <- NaN
  x[20, 9, 1] <- Inf
  look <- look_at_values(x, TRUE)$facts
  expect_equal(c(look$odd, look$odd_row, look$odd_column), c(2, 11, 7))
  y <- array(0.3, c(40, 48, 3))
  y[5, 6, ] <- 0.95
  y[30, 41, ] <- 0.7
  look <- look_at_values(y, FALSE)$facts
  expect_equal(c(look$spikes, look$bright_spikes, look$spike_row, look$spike_column), c(2, 1, 5, 6))
  y[9:16, 1:12, ] <- rep(c(0.8, 0.01, 0.8), each = 96)
  expect_equal(mean(look_at_values(y, FALSE)$strange[[1]]), 96 / (40 * 48), tolerance = 1e-6)
})

test_that("a float map is read as it is written, whichever its order of bytes", {
  path <- withr::local_tempfile(fileext = ".pfm")
  values <- array(seq(0, 1, length.out = 8 * 12 * 3), c(8, 12, 3))
  for (endian in c("little", "big")) {
    file <- file(path, "wb")
    writeBin(charToRaw(paste0("PF\n12 8\n", if (endian == "little") "-1.0" else "1.0", "\n")), file)
    writeBin(as.vector(aperm(values[8:1, , ], 3:1)), file, size = 4, endian = endian)
    close(file)
    look <- look_at_pictures(path)
    expect_equal(look$facts$fault, "")
    expect_equal(look$grid[[1]], look_at_values(values, TRUE)$grid[[1]], tolerance = 1e-6)
  }
})

test_that("what cannot be read to its end says so, and many are looked at on threads as by one", {
  folder <- scene_folder(1:6)
  paths <- list.files(folder, full.names = TRUE)
  bytes <- readBin(paths[2], "raw", 1e6)
  writeBin(utils::head(bytes, length(bytes) / 2), paths[2])
  flipped <- readBin(paths[4], "raw", 1e6)
  flipped[length(flipped) / 2] <- xor(flipped[length(flipped) / 2], as.raw(0x10))
  writeBin(flipped, paths[4])
  file.create(paths[5])
  one <- look_at_pictures(paths, 1)
  expect_equal(nzchar(one$facts$fault), c(FALSE, TRUE, FALSE, TRUE, TRUE, FALSE))
  expect_equal(look_at_pictures(paths, 3), one)
  expect_equal(nzchar(look_at_pictures(c(paths[1], "/nowhere.png"))$facts$fault), c(FALSE, TRUE))
})

test_that("a size that no file can hold is a fault, not a lack of memory", {
  path <- withr::local_tempfile(fileext = ".png")
  png::writePNG(matrix(0.5, 4, 4), path)
  bytes <- readBin(path, "raw", 1e6)
  # 900,000 x 900,000 in a header whose checksum is right.
  bytes[17:24] <- rep(as.raw(c(0, 13, 187, 160)), 2)
  sum <- crc32_of(bytes[13:29])
  bytes[30:33] <- sum
  writeBin(bytes, path)
  expect_equal(look_at_pictures(path)$facts$fault, "says a size that its data cannot fill")
})

test_that("headers alone tell size, channels, depth and a lost end", {
  folder <- scene_folder(1:3, height = 20, width = 30)
  paths <- list.files(folder, full.names = TRUE)
  png::writePNG(matrix(0.5, 20, 30), paths[2])
  bytes <- readBin(paths[3], "raw", 1e6)
  writeBin(utils::head(bytes, -20), paths[3])
  heads <- look_at_heads(paths)
  expect_equal(heads$width, c(30, 30, 30))
  expect_equal(heads$channels, c(3, 1, 3))
  expect_equal(heads$fault, c("", "", "is cut off"))
})
