# Units: durations in seconds, sizes in bytes, link speeds in bytes a second. A unit is read, never
# guessed.

duration_units <- c(d = 86400, h = 3600, min = 60, m = 60, s = 1, ms = 0.001)
size_units <- c(B = 1, kB = 1e3, MB = 1e6, GB = 1e9, TB = 1e12, KiB = 2^10, MiB = 2^20, GiB = 2^30,
                TiB = 2^40)
rate_units <- c("kbit/s" = 125, "Mbit/s" = 125e3, "Gbit/s" = 125e6, "kB/s" = 1e3, "MB/s" = 1e6,
                "GB/s" = 1e9, "MiB/s" = 2^20)

#' Read a duration
#'
#' Reads what people write as a duration and refuses what can be read in two ways.
#'
#' @param x Character vector: `"12m40s"`, `"760 s"`, `"1.5 h"`, `"00:12:40"` (hours, minutes,
#'   seconds) or ISO 8601 `"PT12M40S"`. Units are d, h, min or m, s and ms.
#' @param where What to call the value in an error message, for example a file and field.
#' @return Numeric vector of seconds, as long as `x`; `NA` stays `NA`.
#' @section Conditions: `clockpigeon_error_duration` for a value without a unit (`"8.20"`), with a
#'   decimal comma, below zero, or impossible (`"00:75:00"`).
#' @noRd
parse_duration <- function(x, where = argument("x")) {
  if (!is.character(x)) {
    stop_input("duration", paste("got", show_value(x)), where,
               "Write a duration with its unit, such as 12m40s.")
  }
  vapply(x, function(one) if (is.na(one)) NA_real_ else one_duration(trimws(one), where), 0,
         USE.NAMES = FALSE)
}

# Seconds of one written duration such as `1h 20m`; an error that says how to write it otherwise.
one_duration <- function(x, where) {
  refuse <- function(why, instead)
    stop_input("duration", paste0("got '", x, "', ", why), where, instead)
  if (grepl("^-", x)) refuse("which is below zero", "Write a duration of at least 0 s.")
  if (grepl(",", x))
    refuse("with a comma", paste0("Write a decimal point, as in ", gsub(",", ".", x), "."))
  if (grepl("^[0-9]+$", x)) refuse("without a unit", paste0("Write ", x, " s or ", x, " min."))
  if (grepl("^[0-9]+\\.[0-9]+$", x)) {
    part <- strsplit(x, ".", fixed = TRUE)[[1]]
    refuse("which can be read in two ways",
           paste0("Write ", x, " s, or ", part[1], "m", part[2], "s."))
  }
  if (grepl("^[0-9]+:[0-9]+(:[0-9]+(\\.[0-9]+)?)?$", x)) return(clock_duration(x, refuse))
  iso <- regmatches(
    x, regexec("^P(?:([0-9]+)D)?(?:T(?:([0-9]+)H)?(?:([0-9]+)M)?(?:([0-9]+(?:\\.[0-9]+)?)S)?)?$", x,
               perl = TRUE))[[1]]
  if (length(iso) && any(nzchar(iso[-1]))) {
    return(sum(as.numeric(ifelse(nzchar(iso[-1]), iso[-1], "0")) * c(86400, 3600, 60, 1)))
  }
  if (!grepl("^([0-9]+(\\.[0-9]+)?\\s*(d|h|min|ms|m|s)\\s*)+$", x)) {
    refuse("which is no duration", "Write it as 12m40s, 760 s, 00:12:40 or PT12M40S.")
  }
  parts <- regmatches(x, gregexpr("([0-9]+(\\.[0-9]+)?)\\s*(d|h|min|ms|m|s)", x))[[1]]
  unit <- gsub("[0-9. ]", "", parts)
  factor <- duration_units[unit]
  if (anyDuplicated(factor) || is.unsorted(rev(factor))) {
    refuse("with units out of order", "Write the larger unit first, each once.")
  }
  sum(as.numeric(gsub("[a-z ]", "", parts)) * factor)
}

clock_duration <- function(x, refuse) {
  part <- as.numeric(strsplit(x, ":", fixed = TRUE)[[1]])
  if (any(part[-1] >= 60)) {
    refuse("with more than 59 behind a colon",
           "Write it as hours:minutes:seconds, such as 00:12:40.")
  }
  if (length(part) == 2) {
    refuse("which can be read in two ways",
           sprintf("Write %dm%02ds, or %dh%02dm.", part[1], part[2], part[1], part[2]))
  }
  sum(part * c(3600, 60, 1))
}

#' Write a duration
#'
#' @param seconds Numeric vector of seconds.
#' @return Character vector such as `"0.840s"`, `"12m40s"`, `"3h05m"` or `"2d04h"`; `"unknown"` for
#'   `NA`.
#' @noRd
format_duration <- function(seconds) {
  vapply(as.numeric(seconds), function(s) {
    if (is.na(s)) return("unknown")
    if (is.infinite(s)) return("never")
    paste0(if (s < 0) "-", if (abs(s) < 59.95) format_seconds(abs(s)) else format_long(abs(s)))
  }, "")
}

# Less than a minute, to three or four digits.
format_seconds <- function(s) {
  if (s == 0) return("0s")
  if (s < 0.09995) return(sprintf("%.1fms", 1000 * s))
  if (s < 0.9995) return(sprintf("%.3fs", s))
  if (s < 9.995) return(sprintf("%.2fs", s))
  sprintf("%.1fs", s)
}

# A minute or more, in its two largest units.
format_long <- function(s) {
  minutes <- round(s / 60)
  if (round(s) < 3600) return(sprintf("%dm%02ds", round(s) %/% 60, round(s) %% 60))
  if (minutes < 1440) return(sprintf("%dh%02dm", minutes %/% 60, minutes %% 60))
  sprintf("%dd%02dh", round(s / 3600) %/% 24, round(s / 3600) %% 24)
}

# One number and one unit out of a named table: "700 MB" -> 7e8.
parse_quantity <- function(x, units, what, where) {
  pattern <- "^([0-9]+(?:\\.[0-9]+)?)\\s*([A-Za-z/]+)$"
  part <- if (is.character(x) && length(x) == 1)
    regmatches(trimws(x), regexec(pattern, trimws(x), perl = TRUE))[[1]]
  if (!length(part) || !part[3] %in% names(units)) {
    stop_input("unit", paste0("got ", show_value(x)), where,
               paste0("Write a ", what, " with its unit, such as 10 ",
                      names(units)[min(3, length(units))], " (units: ", toString(names(units)),
                      ")."))
  }
  as.numeric(part[2]) * units[[part[3]]]
}

parse_size <- function(x, where = argument("x")) parse_quantity(x, size_units, "size", where)
parse_rate <- function(x, where = argument("x")) parse_quantity(x, rate_units, "link speed", where)
parse_power <- function(x, where = argument("x"))
  parse_quantity(x, c(W = 1, kW = 1000), "power", where)

# Reads "1920x1080" as width and height.
parse_resolution <- function(x, where = argument("x")) {
  part <- if (is.character(x) && length(x) == 1)
    regmatches(x, regexec("^([0-9]{1,5})x([0-9]{1,5})$", x))[[1]]
  if (!length(part) || any(as.integer(part[-1]) < 1)) {
    stop_input("size", paste("got", show_value(x)), where,
               "Write width x height in pixels, such as 1920x1080.")
  }
  stats::setNames(as.integer(part[-1]), c("width", "height"))
}

# A share in percent. Exact 0 and 1 print as 0 % and 100 %; near ones with a decimal, as under 0.1 %
# and over 99.9 %.
format_percent <- function(p) {
  rounded <- function(digits) formatC(100 * p, format = "f", digits = digits)
  edge <- p > 0 & p < 0.01 | p > 0.99 & p < 1
  text <- ifelse(edge %in% TRUE, rounded(1), rounded(0))
  text[text == "100.0"] <- "over 99.9"
  text[text == "0.0"] <- "under 0.1"
  ifelse(is.na(p), "unknown", paste(text, "%"))
}

# Bytes as text, in decimal units: 640 MB, 1.4 GB.
format_size <- function(bytes) {
  vapply(as.numeric(bytes), function(b) {
    if (is.na(b)) return("unknown")
    unit <- c(B = 1, kB = 1e3, MB = 1e6, GB = 1e9, TB = 1e12)
    k <- max(1, findInterval(b, unit))
    paste(format(signif(b / unit[[k]], 3), scientific = FALSE), names(unit)[k])
  }, "")
}

format_memory <- function(bytes) paste(format(signif(bytes / 2^30, 3), scientific = FALSE), "GiB")

# Numbers as texts; what is not known says so.
number_text <- function(x, digits = 2)
  ifelse(is.na(x), "unknown", formatC(x, format = "f", digits = digits))

# Counts with thousands separated.
whole_number <- function(n) format(n, big.mark = ",", scientific = FALSE, trim = TRUE)

# Both ends of a range of texts: 5-72 where that is clear, and otherwise -3 to 5, 9h to 1d02h.
format_span <- function(from, to) {
  plain <- !grepl("^-| ", from) & !grepl("^-| ", to)
  ifelse(plain, paste0(from, "-", to), paste(from, "to", to))
}

# Both ends of a range, as in 2.10 to 2.41.
range_text <- function(lower, upper, format = number_text) {
  ifelse(is.na(lower) | is.na(upper), "unknown", paste(format(lower), "to", format(upper)))
}
