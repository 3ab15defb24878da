# Files: written whole or not at all, and compared by their content.

# Writes a file under a temporary name and moves it into place, so that a file of this name is
# complete: `write(part)` makes it. A failure is an error and keeps the old file.
write_whole <- function(path, write, topic = "file") {
  if (!dir.exists(dirname(path)))
    stop_input(topic, "its folder does not exist", path, "Make the folder first.")
  # The ending stays: it tells some writers what to write.
  part <- file.path(dirname(path), paste0("part-", Sys.getpid(), "-", basename(path)))
  on.exit(unlink(part, recursive = TRUE, expand = FALSE))
  refuse <- function(e) {
    if (inherits(e, "clockpigeon_error")) stop(e)
    why <- if (has_room(dirname(path))) sub("\\.$", "", conditionMessage(e)) else "the disk is full"
    stop_input(topic, paste0("cannot be written (", why, ")"), path,
               "Name another file, or make room.")
  }
  tryCatch(write(part), error = refuse)
  if (!has_room(dirname(path))) refuse(simpleError("no room"))
  if (!file.exists(part) || !suppressWarnings(file.rename(part, path))) {
    stop_input(topic, "cannot be written", path, "Name another file.")
  }
  invisible(path)
}

# Is there room on a folder's disk? R writes to a full disk without an error and leaves a file cut
# short.
has_room <- function(folder, bytes = 65536) {
  probe <- tempfile("part-", tmpdir = folder)
  on.exit(unlink(probe, expand = FALSE))
  suppressWarnings(tryCatch(writeBin(raw(bytes), probe), error = function(e) NULL))
  identical(as.numeric(file.size(probe)), as.numeric(bytes))
}

# A folder that files can be made in, found out by making one; an error where they cannot.
check_folder_open <- function(folder, where = folder) {
  if (!dir.exists(folder)) stop_input("file", "no such folder", where, "Make it first.")
  test <- tempfile("part-", tmpdir = folder)
  if (!suppressWarnings(file.create(test, showWarnings = FALSE))) {
    stop_input("file", "this folder cannot be written", where,
               "Give yourself the right to write there, or name another.")
  }
  unlink(test, expand = FALSE)
  invisible(folder)
}

write_text <- function(text, path)
  write_whole(path, function(part) suppressWarnings(writeLines(enc2utf8(text), part)))

# Text of a file in UTF-8 with plain line ends, from UTF-8, UTF-16 or Latin-1. Refuses a file that
# cannot be read, is binary, or is larger than `most` bytes.
text_of_file <- function(path, topic, most = 1e9) {
  refuse <- function(why, instead = "Check the path.")
    stop_input(topic, why, short_path(path), instead)
  if (!file.exists(path))
    stop_input(if (topic == "yaml") "file" else topic, "no such file", short_path(path),
               "Check the path.")
  if (dir.exists(path)) refuse("is a folder", "Name a file in it.")
  size <- file.size(path)
  if (size > most) refuse(paste("is", format_size(size), "long"), "Name a text file.")
  unread <- function(e) refuse("cannot be read", "Give yourself the right to read it.")
  bytes <- tryCatch(readBin(path, "raw", size), error = unread, warning = unread)
  mark <- function(...) identical(bytes[seq_along(c(...))], as.raw(c(...)))
  wide <- if (mark(0xff, 0xfe)) "UTF-16LE" else if (mark(0xfe, 0xff)) "UTF-16BE"
  if (length(wide)) {
    text <- tryCatch(iconv(list(bytes[-(1:2)]), wide, "UTF-8"), error = function(e) NA_character_)
    if (is.na(text)) refuse("is no text", "Write it in UTF-8.")
  } else {
    if (mark(0xef, 0xbb, 0xbf)) bytes <- bytes[-(1:3)]
    if (any(bytes == 0)) refuse("is binary", "Name a text file.")
    text <- decode_bytes(bytes)
  }
  gsub("\r", "\n", gsub("\r\n", "\n", text, fixed = TRUE), fixed = TRUE)
}

# Content of a JSON text from outside; invalid JSON is an error. The text is checked before it is
# parsed: the parser puts a broken text into the format of its message.
parse_json <- function(text, simplifyVector = TRUE, ...) {
  good <- jsonlite::validate(text)
  if (!good) stop("is no JSON: ", shown_text(paste(strsplit(attr(good, "err"), "\n")[[1]][1]), 200),
                  call. = FALSE)
  jsonlite::parse_json(text, simplifyVector = simplifyVector, ...)
}

# How deep brackets are nested; those in texts count too, unless they are balanced.
json_depth <- function(bytes) {
  level <- integer(length(bytes))
  level[bytes == as.raw(0x5b) | bytes == as.raw(0x7b)] <- 1L
  level[bytes == as.raw(0x5d) | bytes == as.raw(0x7d)] <- -1L
  max(0L, cumsum(level))
}

# A table as CSV. A text that a spreadsheet would take for a formula gets an apostrophe before it;
# numbers stay numbers.
write_csv <- function(x, path) {
  x <- as.data.frame(x)
  for (name in names(x)) if (is.character(x[[name]])) x[[name]] <- plain_cells(x[[name]])
  utils::write.csv(x, path, row.names = FALSE, na = "")
}

plain_cells <- function(text) {
  number <- grepl("^[-+]?[0-9.]+([eE][-+]?[0-9]+)?( ?%)?$", text)
  risky <- !is.na(text) & grepl("^[=+@\t\r-]", text) & !number
  ifelse(risky, paste0("'", text), text)
}

# The separator that a table's first line has most of; the comma where it has none.
csv_separator <- function(line) {
  counts <- vapply(c(",", ";", "\t"), function(s) lengths(strsplit(line, s, fixed = TRUE)), 0L)
  names(which.max(counts))
}

# The rows of a CSV text as texts. `empty`: cells that are NA; `refuse`: what is done of an error or
# a warning.
parse_csv <- function(text, sep, empty, refuse) {
  tryCatch(utils::read.table(text = text, sep = sep, header = TRUE, quote = "\"",
                             colClasses = "character", check.names = FALSE, comment.char = "",
                             na.strings = empty, strip.white = TRUE),
           error = refuse, warning = refuse)
}

# A CSV file as a data frame of texts; an empty cell is NA. `columns`: the required ones, which the
# error for an unreadable file lists.
read_csv_texts <- function(path, columns, topic, empty = "") {
  file <- short_path(path)
  if (!file.exists(path))
    stop_input(topic, "cannot be read: there is no such file", file, "Check the path.")
  refuse <- function(e) {
    stop_input(topic, paste("cannot be read:", shown_text(conditionMessage(e), 200)), file,
               paste0("Write columns ", toString(columns), "."), parent = e)
  }
  text <- text_of_file(path, topic)
  x <- parse_csv(text, csv_separator(sub("\n.*", "", text)), empty, refuse)
  twice <- anyDuplicated(names(x))
  if (twice) stop_input(topic, paste("has the column", show_value(names(x)[twice]), "twice"), file,
                        "Write it once.")
  x
}

# MD5 (RFC 1321) of a file, and of a text: it tells whether two are the same, not who made them.
file_hash <- function(path) {
  connection <- file(path, "rb")
  on.exit(close(connection))
  paste(openssl::md5(connection))
}

text_hash <- function(text)
  paste(openssl::md5(charToRaw(paste0(paste(enc2utf8(text), collapse = "\n"), "\n"))))

# Hash of a record: of its file as it is now, or of its fields if it has no file.
record_hash <- function(record) {
  path <- attr(record, "path")
  if (length(path) && file.exists(path)) return(file_hash(path))
  text_hash(as.character(jsonlite::toJSON(unclass(record), force = TRUE, digits = 15,
                                          null = "null")))
}

# The SHA-256 of files (FIPS 180-4), as they are read.
file_hashes <- function(paths) {
  vapply(paths, function(path) {
    connection <- file(path, "rb")
    on.exit(close(connection))
    paste(openssl::sha256(connection))
  }, "", USE.NAMES = FALSE)
}

# A text in UTF-8, or else in Latin-1.
decode_bytes <- function(bytes) {
  text <- rawToChar(bytes)
  if (validUTF8(text)) enc2utf8(`Encoding<-`(text, "UTF-8")) else iconv(text, "latin1", "UTF-8")
}
