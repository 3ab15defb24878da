# The checksum of a PNG's chunk (ISO 3309), as four bytes.
crc32_of <- function(bytes) {
  rest <- -1L
  for (byte in as.integer(bytes)) {
    rest <- bitwXor(rest, byte)
    for (k in 1:8) {
      odd <- bitwAnd(rest, 1L)
      rest <- bitwShiftR(rest, 1)
      rest <- if (rest > .Machine$integer.max) as.integer(rest - 2^32) else as.integer(rest)
      if (odd) rest <- bitwXor(rest, as.integer(0xEDB88320 - 2^32))
    }
  }
  as.raw(bitwAnd(bitwShiftR(bitwNot(rest), c(24, 16, 8, 0)), 255L))
}

# The picture of fixtures/png (data-raw/png-fixtures.R) in whole numbers from 0 to `most`: 36 x 50
# pixels, three channels.
fixture_levels <- function(most) {
  wave <- function(phase)
    outer(1:36, 1:50, function(y, x) 0.5 + 0.4 * sin((x + phase) / 7) * cos(y / 5))
  array(round(most * c(wave(0), wave(3), wave(6))), c(36, 50, 3))
}
