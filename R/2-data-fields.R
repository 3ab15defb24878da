# Files to records: each YAML format is a list of fields, and the same list reads, checks and
# refuses.

# Whole numbers, one or several.
count_field <- function(x, where) check_counts(x, where)

duration_field <- function(x, where) {
  if (is.numeric(x)) x <- format(x)
  parse_duration(check_text(x, where), where)
}

# A share written with its sign: 20 and 0.2 can both be meant, 20 % cannot be misread.
percent_field <- function(x, where) {
  part <- if (is.character(x) && length(x) == 1) {
    regmatches(trimws(x), regexec("^([0-9]+(?:\\.[0-9]+)?)\\s*%$", trimws(x), perl = TRUE))[[1]]
  }
  if (!length(part) || as.numeric(part[2]) > 100) {
    stop_input("unit", paste("got", show_value(x)), where,
               paste0("Write a share with its sign, from 0 % to 100 %",
                      if (is.numeric(x) && length(x) == 1)
                      paste0(": ", if (x < 1) 100 * x else x, " %"), "."))
  }
  as.numeric(part[2])
}

date_field <- function(x, where) {
  day <- if (is.character(x) && length(x) == 1 && grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", x))
    as.Date(x, optional = TRUE)
  if (is.null(day) || is.na(day))
    stop_input("type", paste("got", show_value(x)), where, "Write a date as 2026-10-01.")
  day
}

# A day that has come.
past_date <- function(x, where) {
  day <- date_field(x, where)
  if (day > this_day() + 1)
    stop_input("type", paste("got", format(day), "which is in the future"), where,
               "Write a day that has come.")
  day
}

zone_field <- function(x, where) {
  if (!is_zone(check_text(x, where))) {
    stop_input("time_zone", paste("got", show_value(x)), where,
               "Write a zone such as Europe/Lisbon.")
  }
  x
}

# A version is text: YAML would read an unquoted 1.0 as the number 1.
version_field <- function(x, where) {
  numbers <- if (is.list(x)) any(vapply(x, is.numeric, NA)) else is.numeric(x)
  if (numbers) {
    stop_input("type", paste("got the number", show_value(unlist(x))), where,
               "Put versions in quotes, such as \"1.0\".")
  }
  check_texts(x, where)
}

# Names with a version each: a list of plain names, or `name: "4.2"`, `name: ">=4 <5"`, `name: any`,
# or several.
named_versions <- function(x, where) {
  if (is.null(names(x)))
    return(stats::setNames(rep(list("any"), length(unlist(x))), check_texts(x, where)))
  Map(function(value, name) version_field(value, paste0(where, "$", name)), as.list(x), names(x))
}

frames_field <- function(x, where) {
  if (is.numeric(x)) parse_frames(x, where) else parse_frames(check_text(x, where), where)
}

# Reads one mapping by its format. Unknown and missing fields and bad values are errors that name
# the file and field.
check_fields <- function(x, fields, where) {
  if (!is.list(x) || is.null(names(x)) || !all(nzchar(names(x)))) {
    stop_input("type", paste("got", show_value(x)), where,
               paste0("Write fields as `name: value` (", toString(names(fields)), ")."))
  }
  odd <- setdiff(names(x), names(fields))
  if (length(odd)) {
    near <- closest(odd[1], names(fields))
    stop_input("field", paste0("unknown field `", odd[1], "`"), where,
               if (length(near)) paste0("Did you mean `", near, "`?")
               else paste0("Fields here are ", toString(names(fields)), "."))
  }
  out <- list()
  for (name in names(fields)) {
    f <- fields[[name]]
    at <- paste0(where, ", field `", name, "`")
    if (!is.null(x[[name]])) out[[name]] <- f$read(x[[name]], at)
    else if (f$required)
      stop_input("field", paste0("field `", name, "` is missing"), where, "Write it.")
    else out[name] <- list(f$default)
  }
  out
}

# Reads a YAML file into a record of class `class`. YAML never evaluates code here, times written as
# 00:12:40 stay text (YAML 1.1 would make them numbers in base 60), and only true and false are
# flags.
read_record <- function(path, fields, class,
                        x = read_yaml_file(check_text(path, argument("path")))) {
  record <- check_fields(x, fields, short_path(path))
  structure(record, class = class, path = path)
}

# Why a YAML text is larger than any file of ours: the parser's time grows with the square of the
# keys, and its stack with the depth. NULL where it is not.
yaml_excess <- function(text, lines) {
  if (nchar(text, "bytes") > 8e6) return("is larger than 8 MB")
  if (sum(grepl(":([[:space:]]|$)", lines)) > 50000) return("has more than 50,000 keys")
  # Brackets nest within a line or over many, blocks by their indentation or by dashes.
  bytes <- charToRaw(text)
  indent <- attr(regexpr("^[ ]*", lines), "match.length")
  dashes <- attr(regexpr("^[ ]*([-?] +)*", lines), "match.length") - indent
  if (json_depth(bytes) > 64 || max(0, length(unique(indent)), dashes %/% 2) > 64)
    return("is nested more than 64 deep")
}

# A YAML file as lists, without evaluation. A file with several documents is refused.
read_yaml_file <- function(path) {
  text <- text_of_file(path, "yaml")
  refuse <- function(why, instead = "Mend it there.")
    stop_input("yaml", why, short_path(path), instead)
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  marks <- grep("^---([ \t]|$)", lines)
  if (length(marks) > 1 || length(marks) && any(grepl("^[^#% ]", lines[seq_len(marks[1] - 1)]))) {
    refuse("holds several documents", "Write each into a separate file.")
  }
  # An alias may repeat what repeats what it repeats: such a file grows without end.
  aliases <- regmatches(text, gregexpr("(^|[-:,?\\[{[:space:]])[*][^][:space:],{}*]", text))
  if (lengths(aliases) > 20) refuse("repeats itself by aliases", "Write it out.")
  large <- yaml_excess(text, lines)
  if (length(large)) refuse(large, "Split it into several files.")
  failed <- function(e) {
    refuse(paste("is no YAML:", shown_text(sub("\\.?\\s*$", "", conditionMessage(e)), 200)),
           "Mend the line it names.")
  }
  # Explicit keys take precedence over keys merged with `<<`.
  tryCatch(yaml::yaml.load(text, eval.expr = FALSE, handlers = yaml_handlers,
                           merge.precedence = "override"), error = failed, warning = failed)
}

# Only plain numbers become numbers: 1,3 and 010 and clock times stay text, and so do yes and no.
# The field's reader accepts or refuses them.
yaml_handlers <- local({
  plain_flag <- function(x) if (tolower(x) %in% c("true", "false")) tolower(x) == "true" else x
  number <- function(x)
    if (grepl("^[-+]?(0|[1-9][0-9]*|[0-9]*\\.[0-9]+|[0-9]+\\.[0-9]*)([eE][-+]?[0-9]+)?$", x)) {
    value <- as.numeric(x)
    if (value == round(value) && abs(value) < 2^31 && grepl("^[-+]?[0-9]+$", x))
      as.integer(value) else value
  } else x
  list("int" = number, "int#hex" = identity, "int#oct" = identity, "int#base60" = identity,
       "float" = number, "float#fix" = number, "float#exp" = number, "float#base60" = identity,
       "float#nan" = identity, "float#inf" = identity, "float#neginf" = identity,
       "bool#yes" = plain_flag, "bool#no" = plain_flag)
})
