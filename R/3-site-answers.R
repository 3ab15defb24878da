# Types and ranges of the protocol's fields in a site's answers (inst/protocol/site.yaml). An answer
# that breaks them is an error that names the field; a row of a list that breaks them is set aside
# with the reason, and the other rows count.

# One amount, duration and count that no honest job reaches.
most_amount <- 1e9
most_seconds <- 366 * 86400
most_count <- 1e7

# Each type: whether a value is one. A value is JSON as lists.
answer_types <- list(
  text = function(x) is.character(x) && length(x) == 1 && nchar(x, "bytes") <= 2000,
  flag = function(x) is.logical(x) && length(x) == 1 && !is.na(x),
  count = function(x) is_one_number(x, 0, most_count) && x == round(x),
  bytes = function(x) is_one_number(x, 0, 1e13) && x == round(x),
  amount = function(x) is_one_number(x, -most_amount, most_amount),
  charge = function(x) is_one_number(x, 0, most_amount),
  seconds = function(x) is_one_number(x, 0, most_seconds),
  currency = function(x) is.character(x) && length(x) == 1 &&
  grepl("^[[:alpha:]][[:alnum:] _-]{0,19}$", x),
  sha256 = function(x) is.character(x) && length(x) == 1 && grepl("^[0-9a-f]{64}$", x),
  moment = function(x) answer_types$text(x) && !is.na(service_moment(x)),
  rows = function(x) is.list(x) && is.null(names(x)),
  part_bytes = function(x) is_one_number(x, 1024, 2^20) && x == round(x),
  state = function(x) answer_types$text(x) &&
  x %in% c("waiting", "running", "paused", "stopped", "done")
)
answer_type_words <- c(
  text = "text", flag = "true or false", count = "count", bytes = "number of bytes",
  amount = "amount", charge = "charge of 0 or more", seconds = "time in seconds",
  currency = "currency", sha256 = "SHA-256", moment = "moment", rows = "list",
  part_bytes = "size from 1,024 to 1,048,576 bytes", state = "state of a job"
)

is_one_number <- function(x, least, most) {
  is.numeric(x) && length(x) == 1 && is.finite(x) && x >= least && x <= most
}

# Why the fields of a record are not of their types: `name` is shown, type and value; NULL where
# they are. `types`: a type by the name of its field; `optional`: names that may be absent.
answer_fault <- function(x, types, optional = character()) {
  if (!is.list(x) || length(x) && is.null(names(x))) return("is no record")
  for (name in names(types)) {
    value <- x[[name]]
    if (is.null(value) && name %in% optional) next
    if (is.null(value)) return(paste("lacks", name))
    type <- types[[name]]
    if (!answer_types[[type]](value))
      return(paste0("has the ", name, " ", show_value(value), ", which is no ",
                    answer_type_words[[type]]))
  }
  NULL
}

# Rows that are of their types, and why the others are not: list(rows, faults). `more(row)`: what
# else may be wrong with a row that is of its types.
sound_rows <- function(rows, types, optional = character(), more = function(row) NULL) {
  faults <- vapply(rows, function(row) {
    fault <- answer_fault(row, types, optional)
    if (is.null(fault)) fault <- more(row)
    or_else(fault, NA_character_)
  }, "")
  list(rows = rows[is.na(faults)], faults = as.character(faults[!is.na(faults)]))
}

# Moments as the protocol writes them.
service_time <- function(moment) format(moment, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")
service_moment <- function(text)
  as.POSIXct(or_else(text, NA_character_), tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ")
