# Metadata of a picture: text chunks of PNG (ISO/IEC 15948, 11.3.4) and header attributes of OpenEXR
# (the project's file layout document), both open standards.

# Key and value texts of a picture's metadata; an error for a file that is neither or is cut off.
picture_metadata <- function(path) {
  file <- file(path, "rb")
  on.exit(close(file))
  head <- readBin(file, "raw", 8)
  if (identical(head, as.raw(c(137, 80, 78, 71, 13, 10, 26, 10)))) return(png_texts(file, path))
  if (identical(head[1:4], as.raw(c(118, 47, 49, 1)))) return(exr_attributes(file, path))
  stop_input("picture", "is neither PNG nor OpenEXR", short_path(path),
             "Name pictures in one of these formats.")
}

stop_cut_off <- function(path)
  stop_input("picture", "is cut off", short_path(path), "Copy it again.")

# Text chunks of an open PNG file.
png_texts <- function(file, path) {
  found <- character()
  repeat {
    size <- readBin(file, "integer", 1, size = 4, endian = "big")
    type <- readBin(file, "raw", 4)
    if (!length(size) || length(type) < 4 || is.na(size) || size < 0) stop_cut_off(path)
    type <- rawToChar(replace(type, type < 32 | type > 126, charToRaw("?")))
    if (type == "IEND") return(found)
    if (type %in% c("tEXt", "zTXt", "iTXt")) {
      body <- readBin(file, "raw", size)
      if (length(body) < size) stop_cut_off(path)
      found <- c(found, png_text(type, body))
    } else {
      seek(file, size, origin = "current")
    }
    seek(file, 4, origin = "current")  # the checksum
  }
}

# One text chunk as a named text; nothing when it cannot be read.
png_text <- function(type, body) {
  zero <- which(body == as.raw(0))
  if (!length(zero) || zero[1] < 2) return(NULL)
  key <- rawToChar(body[seq_len(zero[1] - 1)])
  rest <- body[-seq_len(zero[1])]
  text <- switch(type, tEXt = rest, zTXt = inflate_bytes(rest[-1]), iTXt = {
    zeros <- which(rest[-(1:2)] == as.raw(0))[2] + 2
    value <- rest[-seq_len(zeros)]
    if (rest[1] == as.raw(1)) inflate_bytes(value) else value
  })
  if (length(text)) stats::setNames(raw_text(text, if (type == "iTXt") "UTF-8" else "latin1"), key)
}

inflate_bytes <- function(x) tryCatch(memDecompress(x, "gzip"), error = function(e) NULL)

raw_text <- function(x, encoding)
  enc2utf8(iconv(rawToChar(x[x != 0]), encoding, "UTF-8", sub = "?"))

exr_attributes <- function(file, path) {
  header <- exr_header(file, path)
  values <- lapply(header, function(attribute) {
    number <- function(what, bytes) {
      format(readBin(attribute$body, what, 1, size = bytes, endian = "little"), digits = 15)
    }
    switch(attribute$type, string = raw_text(attribute$body, "UTF-8"), int = number("integer", 4),
           float = number("numeric", 4), double = number("numeric", 8))
  })
  unlist(c(character(), Filter(length, values)))
}

# The attributes of a header, by name: `type` and `body`. The file stands behind the header then.
exr_header <- function(file, path) {
  found <- list()
  seek(file, 8)
  repeat {
    name <- exr_name(file, path)
    if (!nzchar(name)) return(found)
    type <- exr_name(file, path)
    size <- readBin(file, "integer", 1, size = 4, endian = "little")
    if (!length(size) || is.na(size) || size < 0) stop_cut_off(path)
    body <- readBin(file, "raw", size)
    if (length(body) < size) stop_cut_off(path)
    found[[name]] <- list(type = type, body = body)
  }
}

# A text up to its zero byte.
exr_name <- function(file, path) {
  bytes <- raw()
  repeat {
    byte <- readBin(file, "raw", 1)
    if (!length(byte) || length(bytes) > 255) stop_cut_off(path)
    if (byte == 0) return(rawToChar(bytes))
    bytes <- c(bytes, byte)
  }
}

# The names of an OpenEXR picture's channels (its first part's), as R, G, B, Z or normal.X; none
# where they cannot be read.
exr_channels <- function(path) {
  file <- file(path, "rb")
  on.exit(close(file))
  body <- tryCatch(exr_header(file, path)$channels$body, clockpigeon_error = function(e) NULL)
  names <- character()
  # Each is a name, its zero byte, and 16 bytes of its kind; one more zero ends them.
  while (length(body) && body[1] != 0) {
    end <- match(as.raw(0), body)
    if (is.na(end)) break
    names <- c(names, rawToChar(body[seq_len(end - 1)]))
    body <- utils::tail(body, -(end + 16))
  }
  names
}
