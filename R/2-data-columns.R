# Tables from elsewhere: CSV and JSON, with a map from their columns to those of a timing.

# Reads a table of texts: the separator (comma, semicolon, tab) and the encoding are inferred from
# the file. `decimal` is the comma when fields are set apart by semicolons and a comma stands
# between digits.
read_foreign_csv <- function(path, map = NULL) {
  if (file.size(path) > 2e6 && requireNamespace("data.table", quietly = TRUE)) {
    large <- read_large_csv(path, map)
    if (!is.null(large)) return(large)
  }
  lines <- read_text_lines(path)
  if (!any(nzchar(trimws(lines)))) {
    stop_input("import", "is empty", short_path(path), "Name a file with something in it.")
  }
  sep <- csv_separator(lines[1])
  if (!grepl(sep, lines[1], fixed = TRUE)) {
    stop_input("import", "has one column only", short_path(path),
               "Set columns apart by comma, semicolon or tab.")
  }
  refuse <- function(e) {
    stop_input("import", paste("is no table:", conditionMessage(e)), short_path(path),
               "Give each line as many fields as the first.", parent = e)
  }
  x <- parse_csv(lines, sep, c("", "NA"), refuse)
  if (sep != ",") x[] <- lapply(x, function(column) sub("^(-?[0-9]+),([0-9]+)$", "\\1.\\2", column))
  x
}

# Reads a large table with data.table if it is plain UTF-8 with commas or tabs; returns NULL
# otherwise. Columns that become numbers or flags of a timing are read as such if they hold nothing
# else; all others are text.
read_large_csv <- function(path, map) {
  if (any(readBin(path, "raw", 65536) == 0)) return(NULL)
  first <- readLines(path, 1, warn = FALSE)
  sep <- Find(function(s) grepl(s, first, fixed = TRUE), c("\t", ","))
  if (is.null(sep) || grepl(";", first, fixed = TRUE)) return(NULL)
  read <- function(...)
    data.table::fread(path, sep = sep, na.strings = c("", "NA"), data.table = FALSE,
                      showProgress = FALSE, encoding = "UTF-8", ...)
  seen <- tryCatch(read(nrows = 100), error = function(e) NULL, warning = function(w) NULL)
  if (is.null(seen)) return(NULL)
  header <- names(seen)
  becomes <- ifelse(header %in% map, names(map)[match(header, map)], header)
  type <- timing_columns[becomes]
  # TRUE and FALSE are read as these; where another word comes later on, all are texts.
  typed <- type %in% c("number", "integer") | type %in% "flag" & vapply(seen, is.logical, NA)
  x <- tryCatch(read(colClasses = list(character = header[!typed])), error = function(e) NULL,
                warning = function(w) NULL)
  plain <- vapply(x, function(column) !is.character(column) || all(validUTF8(column)), NA)
  if (all(plain)) x
}

read_text_lines <- function(path) {
  if (file.size(path) == 0)
    stop_input("import", "is empty", short_path(path), "Name a file with something in it.")
  strsplit(text_of_file(path, "import"), "\n", fixed = TRUE)[[1]]
}

read_foreign_json <- function(path) {
  text <- paste(read_text_lines(path), collapse = "\n")
  refuse <- function(e)
    stop_input("import", shown_text(conditionMessage(e), 200), short_path(path), "Mend it there.",
               parent = e)
  x <- tryCatch(parse_json(text, flatten = TRUE), error = refuse, warning = refuse)
  if (!is.data.frame(x))
    stop_input("import", "holds no list of records", short_path(path), "Write [{...}, {...}].")
  x[] <- lapply(x, function(column) if (is.list(column)) vapply(column, to_json, "") else
                as.character(column))
  x
}

# Takes the mapped columns of a foreign table as those of a timing: durations with a unit or clock
# form become seconds, plain numbers in a column that ends in _s are seconds. Columns of a timing's
# own names need no map. A list: `rows`, `used` (theirs, by ours) and `ignored`. `columns`: names of
# ours that there can be.
map_columns <- function(x, map, where, columns = names(timing_columns)) {
  for (name in names(map)) check_choice(name, argument("map"), columns)
  own <- setdiff(intersect(columns, names(x)), names(map))
  from <- c(lapply(map, column_sum, x, where), stats::setNames(lapply(own, as.name), own))
  out <- Map(function(call, name) {
    if (is.name(call)) return(x[[as.character(call)]])
    seconds <- grepl("_s$", name)
    values <- lapply(stats::setNames(all.vars(call), all.vars(call)), function(column) {
      if (seconds) seconds_column(x[[column]], name, where) else
        suppressWarnings(as.numeric(x[[column]]))
    })
    eval(call, values, baseenv())
  }, from, names(from))
  out <- list2DF(out, nrow(x))
  for (name in grep("_s$", names(out), value = TRUE))
    out[[name]] <- seconds_column(out[[name]], name, where)
  used <- vapply(from, function(call) paste(deparse(call, width.cutoff = 500), collapse = " "), "")
  list(rows = out, used = used, ignored = setdiff(names(x), unlist(lapply(from, all.vars))))
}

# A column of a foreign table, or arithmetic of its columns, as a name or a call.
column_sum <- function(text, x, where) {
  refuse <- function(what) {
    stop_input("import", paste("has no column", show_value(what)), where,
               paste0("Its columns are ", toString(vapply(names(x), shown_text, "")), "."))
  }
  if (text %in% names(x)) return(as.name(text))
  if (!grepl("[-+*/()]", text)) refuse(text)
  call <- tryCatch(str2lang(text), error = function(e) refuse(text))
  if (!is_arithmetic(call)) refuse(text)
  lost <- setdiff(all.vars(call), names(x))
  if (length(lost)) refuse(lost[1])
  call
}

seconds_column <- function(x, name, where) {
  if (is.numeric(x)) return(as.numeric(x))
  plain <- grepl("^-?[0-9]+(\\.[0-9]+)?([eE][-+]?[0-9]+)?$", x) | is.na(x)
  out <- rep(NA_real_, length(x))
  out[plain] <- as.numeric(x[plain])
  distinct <- which(!plain & !duplicated(x))
  said <- vapply(distinct, function(i) {
    parse_duration(x[i], paste0(where, ", line ", i + 1, ", column for `", name, "`"))
  }, 0)
  out[!plain] <- said[match(x[!plain], x[distinct])]
  out
}

# Plain numbers of a column of texts; NA where it is empty.
column_numbers <- function(x, name, where) {
  out <- suppressWarnings(as.numeric(x))
  odd <- which(is.na(out) & !is.na(x) & nzchar(trimws(as.character(x))))
  if (length(odd)) {
    stop_input("import", paste0("has ", show_value(x[odd[1]]), " in line ", odd[1] + 1,
                                ", column for `", name, "`"),
               where, "Write a plain number, or map the column that has one.")
  }
  out
}

# Moments: ISO 8601 with its zone, seconds since 1970, or a clock's time in the site's zone.
column_moments <- function(x, name, zone, where) {
  if (all(is.na(x))) return(rep(NA_real_, length(x)))
  x <- trimws(as.character(x))
  out <- suppressWarnings(as.numeric(x))
  by <- function(text, format, tz) as.numeric(as.POSIXct(text, tz = tz, format = format))
  for (format in c("%Y-%m-%dT%H:%M:%OS", "%Y-%m-%d %H:%M:%OS", "%Y-%m-%dT%H:%M",
                   "%Y-%m-%d %H:%M")) {
    left <- is.na(out) & !is.na(x)
    utc <- left & grepl("Z$", x)
    out[utc] <- by(sub("Z$", "", x[utc]), format, "UTC")
    offset <- left & grepl("[+-][0-9]{2}:?[0-9]{2}$", x)
    out[offset] <- by(sub("([+-][0-9]{2}):?([0-9]{2})$", "\\1\\2", x[offset]), paste0(format, "%z"),
                      "UTC")
    plain <- left & !utc & !offset
    out[plain] <- by(x[plain], format, zone)
  }
  day <- is.na(out) & grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", x)
  out[day] <- by(x[day], "%Y-%m-%d", zone)
  odd <- which(is.na(out) & !is.na(x) & nzchar(x))
  if (length(odd)) {
    stop_input("import", paste0("has ", show_value(x[odd[1]]), " in line ", odd[1] + 1,
                                ", column for `", name, "`"),
               where, paste0("Write moments as 2026-11-27T14:05:10Z, or as 2026-11-27 14:05 in ",
                             "the site's time_zone."))
  }
  out
}

# The texts of rows, in short, and which of several alike each is.
row_marks <- function(x) {
  text <- row_key(x, names(x))
  paste(openssl::md5(enc2utf8(text)), stats::ave(seq_along(text), text, FUN = seq_along))
}
