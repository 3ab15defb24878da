# Writes tests/testthat/fixtures/png: one small picture in each form that a PNG may have (ISO/IEC
# 15948), by a plain encoder, so that tests need no other program.
#
#   Rscript data-raw/png-fixtures.R
source("tests/testthat/helper-png.R")
folder <- "tests/testthat/fixtures/png"
dir.create(folder, FALSE, TRUE)

big_endian <- function(x)
  as.raw(c(x %/% 2^24 %% 256, x %/% 2^16 %% 256, x %/% 2^8 %% 256, x %% 256))
chunk <- function(kind, data) {
  body <- c(charToRaw(kind), data)
  c(big_endian(length(data)), body, crc32_of(body))
}

# Values of one row (samples side by side) as bytes.
packed_row <- function(values, depth) {
  if (depth == 16) return(as.raw(rbind(values %/% 256, values %% 256)))
  if (depth == 8) return(as.raw(values))
  each <- 8 / depth
  values <- c(values, rep(0, -length(values) %% each))
  as.raw(colSums(matrix(values, each) * 2^(depth * (each:1 - 1))))
}

# `samples`: an array height x width x channels of whole numbers below 2^depth. Every row has filter
# 0.
raw_rows <- function(samples, depth) {
  unlist(lapply(seq_len(dim(samples)[1]), function(y) {
    c(as.raw(0), packed_row(as.vector(t(matrix(samples[y, , ], dim(samples)[2]))), depth))
  }))
}

# The seven passes of Adam7: where each begins and how far its pixels are apart.
adam7 <- list(c(0, 0, 8, 8), c(0, 4, 8, 8), c(4, 0, 8, 4), c(0, 2, 4, 4), c(2, 0, 4, 2),
              c(0, 1, 2, 2), c(1, 0, 2, 1))
interlaced_rows <- function(samples, depth) {
  unlist(lapply(adam7, function(pass) {
    rows <- seq(pass[1] + 1, dim(samples)[1], by = pass[3])
    columns <- seq(pass[2] + 1, dim(samples)[2], by = pass[4])
    raw_rows(samples[rows, columns, , drop = FALSE], depth)
  }))
}

write_form <- function(name, samples, depth, colour, interlaced = FALSE, palette = NULL) {
  size <- dim(samples)
  rows <- if (interlaced) interlaced_rows(samples, depth) else raw_rows(samples, depth)
  bytes <- c(
    as.raw(c(137, 80, 78, 71, 13, 10, 26, 10)),
    chunk("IHDR", c(big_endian(size[2]), big_endian(size[1]),
                    as.raw(c(depth, colour, 0, 0, interlaced)))),
    if (length(palette)) chunk("PLTE", as.raw(palette)),
    chunk("IDAT", memCompress(rows, "gzip")), chunk("IEND", raw())
  )
  writeBin(bytes, file.path(folder, paste0(name, ".png")))
}

colour <- fixture_levels(255)
grey <- colour[, , 1, drop = FALSE]
write_form("rgb-8", colour, 8, 2)
write_form("rgb-16", fixture_levels(65535), 16, 2)
write_form("rgb-8-interlaced", colour, 8, 2, interlaced = TRUE)
write_form("rgba-8", array(c(colour, rep(255, length(grey))), c(dim(grey)[1:2], 4)), 8, 6)
write_form("grey-alpha-8", array(c(grey, rep(255, length(grey))), c(dim(grey)[1:2], 2)), 8, 4)
write_form("palette-8", grey, 8, 3, palette = rep(0:255, each = 3))
for (depth in c(1, 2, 4))
  write_form(paste0("grey-", depth), fixture_levels(2^depth - 1)[, , 1, drop = FALSE], depth, 0)
