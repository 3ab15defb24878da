# Types of fields: how a value is read, what its JSON Schema is, and what stands in where it is
# absent. A format is a list of field()s of these types.

# `read(value, where)` checks the raw value and returns the clean one; `schema` is a list, or a
# function that makes it.
field_type <- function(read, schema = structure(list(), names = character()), default = NULL) {
  list(read = read, schema = schema, default = default)
}

# A field of a format: one that is absent gets `default`, or is an error when required.
field <- function(type, required = FALSE, default = type$default) {
  c(type[c("read", "schema")], list(required = required, default = default))
}

# Values of a record's absent fields.
defaults_of <- function(fields) lapply(fields, `[[`, "default")

# A record that is made here and not read from a file: the fields given, and the defaults of others.
filled_record <- function(class, fields, ..., path = NULL) {
  given <- list(...)
  odd <- setdiff(names(given), names(fields))
  if (length(odd)) refuse_record(class, "has no field named", odd)
  record <- defaults_of(fields)
  record[names(given)] <- given
  structure(record, class = class, path = path)
}

record_of <- function(fields, filled = FALSE) {
  field_type(function(x, where) check_fields(x, fields, where), function() record_schema(fields),
             if (filled) defaults_of(fields))
}

# A list of records of one format.
records_of <- function(fields) {
  field_type(function(x, where) {
    if (!is.list(x) || !length(x) || !is.null(names(x))) {
      stop_input("type", paste("got", show_value(x)), where,
                 "Write a list, each entry behind a dash.")
    }
    lapply(seq_along(x), function(i) check_fields(x[[i]], fields, paste0(where, "[", i, "]")))
  }, function() list_schema(record_schema(fields)))
}

record_schema <- function(fields) {
  required <- names(fields)[vapply(fields, `[[`, NA, "required")]
  properties <- lapply(fields, function(f) if (is.function(f$schema)) f$schema() else f$schema)
  c(list(type = "object", properties = properties, additionalProperties = FALSE),
    if (length(required)) list(required = I(required)))
}

list_schema <- function(items) list(type = "array", items = items)
one_or_list <- function(items) list(anyOf = list(items, list_schema(items)))
mapping_schema <- function(of) list(type = "object", additionalProperties = of)
text_schema <- function(pattern = NULL, examples = NULL) {
  c(list(type = "string"), if (length(pattern)) list(pattern = pattern),
    if (length(examples)) list(examples = I(examples)))
}
version_schema <- function() one_or_list(text_schema(examples = "4.2"))
number_pattern <- "^[0-9]+(\\.[0-9]+)?"

a_name <- function() field_type(check_name, text_schema("^[^/\\\\:*?\"<>|]+$"))
a_text <- function() field_type(check_text, text_schema())

# A text of one form. `instead`: what to write.
text_like <- function(pattern, instead) {
  field_type(function(x, where) {
    x <- check_text(x, where)
    if (!grepl(pattern, x)) stop_input("type", paste("got", show_value(x)), where, instead)
    x
  }, text_schema(pattern))
}

text_field <- function() field_type(check_texts, one_or_list(text_schema()))
a_flag <- function() field_type(check_flag, list(type = "boolean"))

one_of <- function(...) {
  choices <- c(...)
  field_type(function(x, where) check_choice(x, where, choices), list(enum = I(choices)))
}

words_of <- function(words) {
  field_type(function(x, where) {
    vapply(check_texts(x, where), check_choice, "", where = where, choices = words,
           USE.NAMES = FALSE)
  }, one_or_list(list(enum = I(words))))
}

a_count <- function(least = 1, most = 1e9) {
  field_type(function(x, where) check_count(x, where, least = least, most = most),
             c(list(type = "integer", minimum = least), if (most < 1e9) list(maximum = most)))
}

a_number <- function(above = -Inf, least = -Inf, most = Inf) {
  field_type(function(x, where) check_number(x, where, least = least, most = most, above = above),
             c(list(type = "number"), if (above > -Inf) list(exclusiveMinimum = above),
               if (least > -Inf) list(minimum = least), if (most < Inf) list(maximum = most)))
}

counts_type <- function() field_type(count_field, one_or_list(list(type = "integer", minimum = 1)))
a_duration <- function() {
  field_type(duration_field, text_schema(examples = c("12m40s", "760 s", "00:12:40", "PT12M40S")))
}

no_time <- list(median_s = 0, p90_s = 0)

# A time that varies, given as its median and its 90 % point (kept as the log-normal that has them),
# as one duration, or as none.
varying_field <- function(x, where) {
  if (identical(x, "none")) return(list(median_s = 0, p90_s = 0))
  if (!is.list(x)) {
    s <- duration_field(x, where)
    return(list(median_s = s, p90_s = s))
  }
  x <- check_fields(x, varying_points(), where)
  if (x$median <= 0 || x$p90 < x$median) {
    stop_input("site", "has a 90 % point below its median, or a median of 0", where,
               "Write median and p90, the larger last, or `none`.")
  }
  list(median_s = x$median, p90_s = x$p90)
}

varying_points <- function() {
  list(median = field(a_duration(), required = TRUE), p90 = field(a_duration(), required = TRUE))
}

a_varying <- function() {
  field_type(varying_field, function() {
    list(anyOf = list(list(const = "none"), text_schema(examples = "5 min"),
                      record_schema(varying_points())))
  })
}

a_percent <- function()
  field_type(percent_field, text_schema(paste0(number_pattern, " ?%$"), "20 %"))
a_date <- function() field_type(date_field, text_schema("^[0-9]{4}-[0-9]{2}-[0-9]{2}$"))
a_past_date <- function() field_type(past_date, text_schema("^[0-9]{4}-[0-9]{2}-[0-9]{2}$"))
a_zone <- function() field_type(zone_field, text_schema(examples = "Europe/Lisbon"))
a_version <- function() {
  field_type(function(x, where) check_text(version_field(x, where), where),
             text_schema(examples = "4.2"))
}
versions_type <- function() field_type(version_field, version_schema())
versions_by_name <- function() {
  field_type(named_versions,
             list(anyOf = list(one_or_list(text_schema()), mapping_schema(version_schema()))))
}
frame_set_type <- function() {
  field_type(frames_field,
             list(anyOf = list(list(type = "integer"), text_schema(examples = "1-240 by 10"),
                               list_schema(list(type = "integer")))))
}
a_size <- function() field_type(parse_size, text_schema(examples = c("80 MB", "32 GiB")))
# A size that may be nothing.
a_size_or_none <- function() {
  field_type(function(x, where) if (identical(x, "none")) 0 else parse_size(x, where),
             text_schema(examples = c("80 MB", "none")))
}
a_rate <- function() field_type(parse_rate, text_schema(examples = "100 Mbit/s"))
a_power <- function() field_type(parse_power, text_schema(examples = "350 W"))
resolution_schema <- function() text_schema("^[0-9]+x[0-9]+$", "1920x1080")
a_resolution <- function() field_type(parse_resolution, resolution_schema())
resolutions_type <- function() {
  field_type(function(x, where) lapply(check_texts(x, where), parse_resolution, where = where),
             one_or_list(resolution_schema()))
}

a_currency <- function() field_type(check_currency, text_schema("^[A-Z]{3}$", "EUR"))
a_deadline <- function() field_type(deadline_field, text_schema(examples = c("fri 18:00", "30 h")))

# Columns of ours, by name, as those of a foreign table, or arithmetic of them. `like`: an entry, to
# tell how it is written.
a_column_map <- function(columns, like) {
  read <- function(x, where) {
    if (!is.list(x) || is.null(names(x))) {
      stop_input("type", paste("got", show_value(x)), where,
                 paste0("Write `", like, "` and the like: our name, then theirs."))
    }
    for (name in names(x)) check_choice(name, where, names(columns))
    vapply(names(x), function(name) check_text(x[[name]], paste0(where, "$", name)), "")
  }
  field_type(read, c(list(type = "object", additionalProperties = FALSE),
                     list(properties = lapply(columns, function(as) text_schema()))))
}
