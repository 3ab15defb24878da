# Timings as data: the columns checked, and CSV in and out.

new_timings <- table_type("cp_timings", names(timing_columns))

# Brings a data frame to the columns of a timing. Missing columns become NA; the words and types are
# checked.
as_timings <- function(x, where = argument("x")) {
  if (!is.data.frame(x))
    stop_input("type", paste("got", a_kind(x)), where, "Give a data frame of timings.")
  odd <- setdiff(names(x), names(timing_columns))
  if (length(odd)) {
    near <- closest(odd[1], names(timing_columns))
    stop_input("field", paste0("unknown column `", odd[1], "`"), where,
               if (length(near)) paste0("Did you mean `", near, "`?") else
               "See ?timings for the columns of a timing.")
  }
  absent <- lapply(list(text = NA_character_, integer = NA_integer_, number = NA_real_, flag = NA),
                   rep, nrow(x))
  out <- absent[timing_columns]
  names(out) <- names(timing_columns)
  for (name in intersect(names(timing_columns), names(x)))
    out[[name]] <- timing_column(x[[name]], name, where)
  out <- new_timings(out)
  for (name in intersect(names(timing_words), names(x))) check_words(out[[name]], name, where)
  for (name in c("activity", "status", "kind")) {
    if (anyNA(out[[name]])) {
      stop_input("timing", paste0("row ", which(is.na(out[[name]]))[1], " has no ", name), where,
                 paste0("Write ", either(timing_words[[name]]), "."))
    }
  }
  for (name in c("wall_s", "load_s", "compute_s", "cpu_s", "peak_mem_mb", "samples_done", "work",
                 "noise", "billed")) {
    if (name %in% names(x) && !all(out[[name]] >= 0 & out[[name]] < Inf, na.rm = TRUE)) {
      bad <- which(out[[name]] < 0 | is.infinite(out[[name]]))
      stop_input("timing", paste0("row ", bad[1], " has ", name, " ", out[[name]][bad[1]]), where,
                 "Write a number of at least 0, or leave it empty.")
    }
  }
  out
}

# A column of timings in its type; an error names the first value that does not fit.
timing_column <- function(value, name, where) {
  type <- timing_columns[[name]]
  as <- list(text = as.character, integer = as.numeric, number = as.numeric,
             flag = as.logical)[[type]]
  if (is.factor(value)) value <- as.character(value)
  if (is.character(value)) value <- blank_to_na(value)
  stored <- c(text = "character", integer = "integer", number = "double", flag = "logical")[[type]]
  if (!is.object(value) && typeof(value) == stored) return(value)
  clean <- suppressWarnings(as(value))
  odd <- is.na(clean) & !is.na(value)
  if (type == "integer") odd <- odd | (!is.na(clean) & (clean != round(clean) | abs(clean) >= 2^31))
  bad <- which(odd)
  if (length(bad)) {
    stop_input("timing", paste0("row ", bad[1], " has ", name, " ", show_value(value[bad[1]])),
               where, paste0("Write ", c(integer = "a whole number", number = "a number",
                                         flag = "TRUE or FALSE", text = "a text")[[type]],
                             ", or leave it empty."))
  }
  if (type == "integer") as.integer(clean) else clean
}

check_words <- function(value, name, where) {
  odd <- setdiff(unique(value), c(timing_words[[name]], NA))
  if (length(odd)) {
    bad <- which(value %in% odd)
    stop_input("timing", paste0("row ", bad[1], " has ", name, " ", show_value(value[bad[1]])),
               where, paste0("Write ", either(timing_words[[name]]), "."))
  }
  invisible(value)
}

# Timings from a CSV with the columns of a timing; an empty field is NA, never zero.
read_timings_csv <- function(path) {
  raw <- read_csv_texts(path, names(timing_columns), "timing", empty = c("", "NA"))
  as_timings(raw, short_path(path))
}

#' Example timings
#'
#' The sample evidence of the demo project: invented trial frames of two GPU engines in two versions
#' each, on four devices, at two limits, and on three sites. Every row says so in its `note`.
#'
#' @return A tibble of timings.
#' @examples
#' nrow(example_timings())
#' @export
example_timings <- function() read_timings_csv(demo_file("sample-timings.csv"))
