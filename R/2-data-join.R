# Bands of a frame, joined to the frame.

# Kinds of pictures of which bands can be joined.
joined_kinds <- c("png", "pfm")

# Joins pictures of bands to the frame's, values as they are. `paths`: of the bands; `first`,
# `last`: their rows in the frame, from 1, which follow on each other without a gap; `height`: rows
# of the frame. A band's picture may hold its own rows or all of the frame's. `to` gets its name
# when it is whole; an error leaves nothing there.
join_bands <- function(paths, first, last, height, to) {
  order <- order(first)
  paths <- paths[order]
  first <- first[order]
  last <- last[order]
  if (first[1] != 1 || any(first[-1] != utils::head(last, -1) + 1) ||
      utils::tail(last, 1) != height) {
    stop_input("picture", paste0("has bands of rows ", paste0(first, "-", last, collapse = ", ")),
               to, paste0("Rows 1-", height, " are needed, each in one band."))
  }
  part <- paste0(to, ".part")
  dir.create(dirname(to), FALSE, TRUE)
  on.exit(unlink(part))
  kind <- tolower(sub(".*\\.", "", to))
  fault <- switch(kind, png = join_png_rows(paths, first, last, height, part),
                  pfm = join_pfm_bands(paths, first, last, height, part),
                  paste("no bands of", kind, "can be joined"))
  if (nzchar(fault))
    stop_input("picture", paste("cannot be joined:", fault), to, "Render the bands again.")
  file.rename(part, to)
  invisible(to)
}

# Float maps have their bottom row first.
join_pfm_bands <- function(paths, first, last, height, to) {
  out <- file(to, "wb")
  on.exit(close(out))
  head <- NULL
  for (k in rev(seq_along(paths))) {
    in_file <- file(paths[k], "rb")
    own <- pfm_header(in_file)
    if (is.null(head)) {
      head <- own
      writeBin(charToRaw(sprintf("%s\n%d %d\n%s\n", if (own$channels == 3) "PF" else "Pf",
                                 as.integer(own$width), as.integer(height),
                                 format(own$scale, nsmall = 1))), out)
    }
    row <- 4 * own$channels * own$width
    many <- last[k] - first[k] + 1
    below <- if (own$height == height) height - last[k] else 0
    seek(in_file, own$at + below * row)
    bytes <- readBin(in_file, "raw", many * row)
    close(in_file)
    same <- identical(own[c("channels", "width", "scale")], head[c("channels", "width", "scale")])
    if (!same) return(paste(paths[k], "has another width, scale or channels than the last band"))
    if (!own$height %in% c(height, many))
      return(paste(paths[k], "has", own$height, "rows, its band", many))
    if (length(bytes) < many * row) return(paste(paths[k], "is cut off"))
    writeBin(bytes, out)
  }
  ""
}
