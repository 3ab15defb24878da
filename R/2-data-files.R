# Files: written whole or not at all, and compared by their content.

# Writes a file beside its place and moves it there, so that a file of this name is whole: `write(part)` makes it. What
# it cannot do is refused, and the file that was there stays.
write_whole <- function(path, write, topic = "file") {
  if (!dir.exists(dirname(path))) stop_input(topic, "its folder does not exist", path, "Make the folder first.")
  # The ending stays: it tells some writers what to write.
  part <- file.path(dirname(path), paste0("part-", Sys.getpid(), "-", basename(path)))
  on.exit(unlink(part, recursive = TRUE))
  refuse <- function(e) {
    if (inherits(e, "clockpigeon_error")) stop(e)
    stop_input(topic, paste0("cannot be written (", sub("\\.$", "", conditionMessage(e)), ")"), path,
               "Name another file, or make room.")
  }
  tryCatch(write(part), error = refuse)
  if (!file.exists(part) || !suppressWarnings(file.rename(part, path))) {
    stop_input(topic, "cannot be written", path, "Name another file.")
  }
  invisible(path)
}

write_text <- function(text, path) write_whole(path, function(part) suppressWarnings(writeLines(enc2utf8(text), part)))

# A CSV file as a data frame of texts; an empty cell is NA. `columns`: what it must have. What cannot be read is an
# error that says which columns to write.
read_csv_texts <- function(path, columns, topic, empty = "") {
  file <- short_path(path)
  if (!file.exists(path)) stop_input(topic, "cannot be read: there is no such file", file, "Check the path.")
  refuse <- function(e) {
    stop_input(topic, paste("cannot be read:", conditionMessage(e)), file,
               paste0("Write columns ", toString(columns), "."))
  }
  tryCatch(utils::read.csv(path, colClasses = "character", check.names = FALSE, strip.white = TRUE, na.strings = empty,
                           encoding = "UTF-8"), error = refuse, warning = refuse)
}

# MD5 (RFC 1321) of a file, and of a text: it tells whether two are the same, not who made them.
file_hash <- function(path) {
  connection <- file(path, "rb")
  on.exit(close(connection))
  paste(openssl::md5(connection))
}

text_hash <- function(text) paste(openssl::md5(charToRaw(paste0(paste(enc2utf8(text), collapse = "\n"), "\n"))))

# Of a record that was read: of its file as it is now, or of its fields where it has none.
record_hash <- function(record) {
  path <- attr(record, "path")
  if (length(path) && file.exists(path)) return(file_hash(path))
  text_hash(as.character(jsonlite::toJSON(unclass(record), force = TRUE, digits = 15, null = "null")))
}
