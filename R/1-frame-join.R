# Rows of pictures, put under each other.

# PNG files of bands become one of `height` rows, their values as they are; `first`, `last`: the
# rows that each has in it, in order. Returns "", or what is in the way.
join_png_rows <- function(paths, first, last, height, to) {
  join_png_bands(paths, as.integer(first), as.integer(last), as.integer(height), to)
}
