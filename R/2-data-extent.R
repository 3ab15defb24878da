# Size of a picture, and whether its file is long enough for it: from headers and lengths alone,
# before memory is allocated. PNG: ISO/IEC 15948; TIFF: revision 6.0; OpenEXR: the project's file
# layout document; PFM as read_pfm().

# Kind of a picture file by its first bytes; NULL if unknown.
detect_picture_kind <- function(path) {
  head <- readBin(path, "raw", 8)
  begins <- function(starts) any(vapply(starts, function(s) identical(head[seq_along(s)], s), NA))
  Find(function(kind) begins(picture_starts[[kind]]), names(picture_starts))
}

picture_starts <- list(
  png = list(as.raw(c(137, 80, 78, 71, 13, 10, 26, 10))),
  tiff = list(charToRaw("II*"), charToRaw("MM")),
  pfm = list(charToRaw("PF"), charToRaw("Pf")), exr = list(as.raw(c(118, 47, 49, 1)))
)

# list(width, height), and `fault`: what is wrong with the file, in words, or NULL.
picture_extent <- function(path, kind = detect_picture_kind(path)) {
  size <- file.size(path)
  file <- file(path, "rb")
  on.exit(close(file))
  found <- tryCatch(
    switch(kind, png = png_extent(file, size), pfm = pfm_extent(file, size),
           tiff = tiff_extent(file, size), exr = exr_extent(file, size)),
    error = function(e) list(fault = "is cut off"), warning = function(w) list(fault = "is cut off")
  )
  sides <- c(found$width, found$height)
  if (is.null(found$fault) &&
      (length(sides) < 2 || anyNA(sides) || any(sides < 1) || prod(sides) > 2^31)) {
    found$fault <- "says a size that no picture has"
  }
  found
}

# Chunks, one after the other, up to the one that ends the file.
png_extent <- function(file, size) {
  word <- function() sum(as.numeric(readBin(file, "raw", 4)) * 256^(3:0))
  at <- 8
  sides <- NULL
  data <- 0
  repeat {
    if (at + 12 > size) return(list(fault = "is cut off"))
    seek(file, at)
    length <- word()
    type <- readBin(file, "raw", 4)
    type <- if (all(type > 31 & type < 127)) rawToChar(type) else ""
    if (is.null(sides)) {
      if (type != "IHDR") return(list(fault = "does not begin as a PNG does"))
      sides <- list(width = word(), height = word())
    }
    if (type == "IDAT") data <- data + length
    at <- at + 12 + length
    if (at > size) return(c(sides, fault = "is cut off"))
    if (type == "IEND") break
  }
  # Deflate packs a thousand to one at best.
  if (data * 1100 < sides$width * sides$height / 8)
    return(c(sides, fault = "says a size that its data cannot fill"))
  sides
}

# The header's words and where its values begin: list(type, width, height, scale, at).
pfm_header <- function(file) {
  bytes <- readBin(file, "raw", 256)
  blank <- bytes %in% charToRaw(" \n\t\r")
  starts <- which(!blank & c(TRUE, blank[-length(blank)]))
  ends <- which(!blank & c(blank[-1], FALSE))
  if (length(starts) < 4 || length(ends) < 4) stop("has no header of a float map")
  words <- vapply(1:4, function(k) rawToChar(bytes[starts[k]:ends[k]]), "")
  said <- suppressWarnings(as.numeric(words[-1]))
  if (!words[1] %in% c("PF", "Pf") || anyNA(said) || any(said[1:2] < 1) ||
      any(said[1:2] != round(said[1:2]))) {
    stop("has no header of a float map")
  }
  list(channels = if (words[1] == "PF") 3L else 1L, width = said[1], height = said[2],
       scale = said[3], at = ends[4] + 1)
}

pfm_extent <- function(file, size) {
  head <- tryCatch(pfm_header(file), error = identity)
  if (inherits(head, "error")) return(list(fault = conditionMessage(head)))
  sides <- head[c("width", "height")]
  if (size < head$at + 4 * prod(unlist(head[c("channels", "width", "height")])))
    sides$fault <- "is cut off"
  sides
}

# The first directory: width, height, where the strips or tiles are and how long.
tiff_extent <- function(file, size) {
  big <- rawToChar(readBin(file, "raw", 2)) == "MM"
  order <- if (big) "big" else "little"
  number <- function(n, bytes) tiff_numbers(file, n, bytes, order)
  seek(file, 4)
  seek(file, number(1, 4))
  entries <- lapply(seq_len(number(1, 2)), function(i) {
    list(tag = number(1, 2), type = number(1, 2), count = number(1, 4),
         raw = readBin(file, "raw", 4))
  })
  number(1, 4)  # where the next directory is
  for (entry in entries) check_tiff_entry(entry, order, size)
  names(entries) <- vapply(entries, function(e) paste(e$tag), "")
  values <- function(tag) {
    entry <- entries[[tag]]
    if (is.null(entry)) return(NULL)
    bytes <- c("3" = 2, "4" = 4)[paste(entry$type)]
    if (is.na(bytes) || entry$count * bytes > size) stop("odd")
    if (entry$count * bytes <= 4)
      return(as.numeric(tiff_numbers(entry$raw, entry$count, bytes, order)))
    seek(file, readBin(entry$raw, "integer", 1, endian = order))
    number(entry$count, bytes)
  }
  sides <- list(width = values("256"), height = values("257"))
  begins <- c(values("273"), values("324"))
  lengths <- c(values("279"), values("325"))
  if (!length(begins) || length(begins) != length(lengths))
    return(c(sides, fault = "says not where its rows are"))
  if (any(begins + lengths > size)) sides$fault <- "is cut off"
  sides
}

# The attribute `dataWindow`, and the table of offsets behind the header: the last block begins
# within the file.
exr_extent <- function(file, size) {
  header <- exr_header(file, "")
  if (is.null(header$dataWindow) || length(header$compression$body) < 1) {
    return(list(fault = "says no size in its header"))
  }
  box <- as.numeric(readBin(header$dataWindow$body, "integer", 4, endian = "little"))
  sides <- list(width = box[3] - box[1] + 1, height = box[4] - box[2] + 1)
  if (anyNA(box) || sides$width < 1 || sides$height < 1)
    return(list(fault = "says no size in its header"))
  if (length(header$tiles)) return(sides)
  # Lines in a block, by the kind of packing (none, RLE, ZIPS, ZIP, PIZ, PXR24, B44, B44A, DWAA,
  # DWAB).
  lines <- c(1, 1, 1, 16, 32, 16, 32, 32, 32, 256)[as.integer(header$compression$body[1]) + 1]
  blocks <- ceiling(sides$height / lines)
  if (is.na(blocks) || 8 * blocks > size) return(c(sides, fault = "is cut off"))
  offsets <- readBin(file, "integer", 2 * blocks, endian = "little")
  low <- offsets[c(TRUE, FALSE)]
  last <- max(ifelse(low < 0, low + 2^32, low) + offsets[c(FALSE, TRUE)] * 2^32)
  if (length(offsets) < 2 * blocks || last + 8 > size) sides$fault <- "is cut off"
  sides
}

# Whole numbers without a sign, of 2 or 4 bytes, from a file or from raw bytes.
tiff_numbers <- function(from, n, bytes, order) {
  x <- readBin(from, "integer", n, size = bytes, endian = order, signed = bytes > 2)
  if (length(x) < n) stop("cut off")
  if (bytes == 4) ifelse(x < 0, x + 2^32, as.numeric(x)) else x
}

# The values of an entry that do not fit into it lie within the file.
check_tiff_entry <- function(entry, order, size) {
  bytes <- entry$count * c(1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8)[entry$type]
  if (is.na(bytes) || bytes <= 4) return(invisible())
  place <- readBin(entry$raw, "integer", 1, endian = order)
  if (place < 0 || place + bytes > size) stop("cut off")
}
