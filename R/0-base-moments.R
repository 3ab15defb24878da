# Moments: deadlines as people say them, in a zone.

# Clock for every day or moment that decides something: Sys.time(), or the environment variable
# CLOCKPIGEON_NOW. The variable holds a moment; a moment from which time runs faster,
# `2027-06-01T12:00:00Z x60 since 2027-05-01T09:30:00Z` (the second moment is the machine's clock at
# the first); or `@` and the path of a file with a moment, a simulated clock that advances only with
# set_clock_file().
this_moment <- function() {
  said <- Sys.getenv("CLOCKPIGEON_NOW")
  if (!nzchar(said)) return(Sys.time())
  if (has_clock_file()) said <- read_clock_file(substring(said, 2))
  read <- function(text) as.POSIXct(text, tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ")
  hit <- regmatches(said, regexec("^(\\S+Z) x([0-9.]+) since (\\S+Z)$", said))[[1]]
  moment <- if (length(hit)) {
    read(hit[2]) +
      suppressWarnings(as.numeric(hit[3])) * (as.numeric(Sys.time()) - as.numeric(read(hit[4])))
  } else if (grepl("^\\S+Z$", said)) read(said) else NA
  if (is.na(moment)) {
    stop_input("type", paste("got", show_value(said)), "the environment variable CLOCKPIGEON_NOW",
               "Write a moment such as 2027-06-01T12:00:00Z, or unset it.")
  }
  moment
}

# Does the clock stand in a file?
has_clock_file <- function() startsWith(Sys.getenv("CLOCKPIGEON_NOW"), "@")

read_clock_file <- function(path) {
  if (!file.exists(path)) {
    stop_input("type", paste("there is no file", show_value(path)),
               "the environment variable CLOCKPIGEON_NOW",
               "Write the path of a file that holds a moment, or unset it.")
  }
  trimws(c(readLines(path, 1, warn = FALSE), "")[1])
}

# Set the simulated clock in a file. Readers see the old moment or the new one, never half a line.
set_clock_file <- function(path, moment) {
  beside <- paste0(path, ".new")
  writeLines(format(moment, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC"), beside)
  file.rename(beside, path)
  invisible(moment)
}

# The day it is in a zone; UTC where none is known.
this_day <- function(zone = NULL) day_in_zone(this_moment(), zone)
day_in_zone <- function(moment, zone = NULL)
  as.Date(format(moment, "%Y-%m-%d", tz = first_of(zone, "UTC")))

week_days <- c("mon", "tue", "wed", "thu", "fri", "sat", "sun")

#' Read a deadline
#'
#' Reads a time from now (`"30 h"`, `"7min"`), a day and a time of it (`"fri 18:00"`: the next one;
#' `"today 18:00"`, `"tomorrow 9:00"`), or a date and time (`"2026-11-27 18:00"`, with seconds too).
#' Clock times are local in `zone`, unless they end with a zone of their own
#' (`"2026-11-27 18:00 Europe/Lisbon"`) or with `Z` or `+01:00`.
#'
#' @param x One text, or a number of seconds from now.
#' @param now Moment of the question.
#' @param zone Time zone, or `NULL` when none is known.
#' @param where What to call the value in an error message.
#' @return A moment (`POSIXct`).
#' @section Conditions: `clockpigeon_error_deadline` for a moment that has passed, a clock time
#'   without a zone, and one that a change of the clock skips or shows twice;
#'   `clockpigeon_error_duration` for an ambiguous duration.
#' @noRd
parse_deadline <- function(x, now = this_moment(), zone = NULL, where = argument("x")) {
  if (is.numeric(x)) return(now + check_number(x, where, above = 0))
  x <- trimws(check_text(x, where))
  said <- split_zone(x, zone, where)
  # Machines may write a moment without seconds: add them.
  stamp <- regmatches(
    said$text, regexec(
    "^([0-9]{4}-[0-9]{2}-[0-9]{2}[ T][0-9]{2}:[0-9]{2}):([0-5][0-9]([.][0-9]+)?)$",
    said$text))[[1]]
  if (length(stamp)) said$text <- stamp[2]
  clock <- regmatches(said$text, regexec("^(?:(.+?)[ T]+)?([0-9]{1,2}):([0-9]{2})$", said$text,
                                         perl = TRUE))[[1]]
  day <- if (length(clock)) deadline_day(clock[2], now, first_of(said$zone, "UTC"))
  if (is.null(day)) return(now + duration_to_deadline(x, said$text, where))
  if (is.null(said$zone)) {
    stop_input("deadline", paste0("got ", show_value(x), " and no time zone"), where,
               paste0("Write `time_zone` in clockpigeon.yaml, or add the zone: ", x,
                      " Europe/Lisbon."))
  }
  time <- sprintf("%02d:%02d", as.integer(clock[3]), as.integer(clock[4]))
  moment <- one_moment(day, time, said$zone, x, where) +
    if (length(stamp)) as.numeric(stamp[3]) else 0
  passed <- function() as.numeric(moment) <= as.numeric(now)
  comes_again <- attr(day, "next")
  if (passed() && length(comes_again))
    moment <- one_moment(day + comes_again, time, said$zone, x, where)
  if (passed()) {
    stop_input("deadline", paste0("got ", show_value(x), ", which has passed (it is ",
                                  format(now, "%Y-%m-%d %H:%M", tz = said$zone), ")"), where,
               "Write a later moment.")
  }
  moment
}

# A text without the zone behind it, and the zone: a name of the zone list, or an offset as one (its
# sign turned round there, as POSIX has it).
split_zone <- function(x, zone, where) {
  offset <- regmatches(x, regexec("^(.*[0-9])\\s*(Z|([+-])([0-9]{2}):?([0-9]{2}))$", x,
                                  perl = TRUE))[[1]]
  if (length(offset)) {
    if (offset[3] == "Z") return(list(text = trimws(offset[2]), zone = "UTC"))
    hours <- as.integer(offset[5]) * 60 + as.integer(offset[6])
    return(list(text = trimws(offset[2]),
                zone = structure("UTC", minutes = if (offset[4] == "+") hours else -hours)))
  }
  named <- regmatches(x, regexec("^(.*[0-9])\\s+([A-Z][A-Za-z_]+(?:/[A-Za-z_/+-]+)?)$", x,
                                 perl = TRUE))[[1]]
  if (!length(named)) return(list(text = x, zone = zone))
  if (!named[3] %in% OlsonNames()) {
    stop_input("deadline", paste("got the zone", show_value(named[3])), where,
               "Write a zone such as Europe/Lisbon.")
  }
  list(text = named[2], zone = named[3])
}

# The day that a text means; `next`: how many days on it comes again. NULL when it is no day.
deadline_day <- function(text, now, zone) {
  today <- as.Date(format(now, "%Y-%m-%d", tz = zone))
  if (text %in% c("", "today")) return(structure(today, "next" = if (text == "") 1))
  if (text == "tomorrow") return(today + 1)
  if (grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text)) return(as.Date(text, optional = TRUE))
  at <- match(substr(tolower(text), 1, 3), week_days)
  if (is.na(at) || !grepl("^[A-Za-z]+$", text)) return(NULL)
  ahead <- (at - as.POSIXlt(today)$wday) %% 7
  structure(today + ahead, "next" = 7)
}

# The one moment at which the clocks of a zone show a day and time.
one_moment <- function(day, time, zone, x, where) {
  if (is.na(day))
    stop_input("deadline", paste("got", show_value(x)), where, "Write a date that there is.")
  text <- paste(as.character(structure(day, "next" = NULL)), time)
  plain <- as.POSIXct(text, tz = "UTC", format = "%Y-%m-%d %H:%M")
  if (is.na(plain))
    stop_input("deadline", paste("got", show_value(x)), where, "Write a time such as 18:00.")
  if (length(attr(zone, "minutes"))) return(plain - 60 * attr(zone, "minutes"))
  shown <- function(moment) format(moment, "%Y-%m-%d %H:%M", tz = zone)
  offsets <- vapply(c(-1, 1) * 86400, function(shift) {
    as.numeric(as.POSIXct(shown(plain + shift), tz = "UTC", format = "%Y-%m-%d %H:%M") -
               (plain + shift),
               units = "secs")
  }, 0)
  moments <- unique(as.numeric(plain) - offsets)
  moments <- moments[vapply(moments, function(m)
                            shown(as.POSIXct(m, origin = "1970-01-01", tz = "UTC")) == text, NA)]
  if (length(moments) != 1) {
    stop_input("deadline", paste0("got ", show_value(x), ", which the clocks of ", zone,
                                  if (length(moments)) " show twice that day" else
                                  " skip that day"), where,
               if (length(moments)) paste0("Write the moment with its offset: ", text, " +00:00.")
               else "Write a time that there is.")
  }
  as.POSIXct(moments, origin = "1970-01-01", tz = "UTC")
}

# A moment as people say it, with the zone: Fri 27 Nov 18:00 (Europe/Lisbon).
format_moment <- function(moment, zone = NULL) {
  zone <- first_of(zone, "UTC")
  ifelse(is.na(moment) | is.infinite(as.numeric(moment)), "never",
         paste0(clock_text(moment, zone, date = TRUE), " (", zone, ")"))
}

# Day and time, with its date or without, the same in every locale. A moment of another year than
# today's has its date and its year.
clock_text <- function(moment, zone, date = FALSE, today = this_moment()) {
  at <- as.POSIXlt(moment, tz = zone)
  day <- c("Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat")[at$wday + 1]
  other_year <- !is.na(at$year) & at$year != as.POSIXlt(today, tz = zone)$year
  dated <- sprintf(" %02d %s", at$mday, month.abb[at$mon + 1])
  year <- ifelse(other_year, sprintf(" %d", at$year + 1900L), "")
  sprintf("%s%s%s %02d:%02d", day, ifelse(date | other_year, dated, ""), year, at$hour, at$min)
}

# A deadline in a file is a duration or a moment. Which moment it means is computed when a question
# is put.
deadline_field <- function(x, where) {
  x <- check_text(if (is.numeric(x)) format(x) else x, where)
  parse_deadline(x, as.POSIXct("1970-01-01", tz = "UTC"), "UTC", where)
  x
}

# Whether R knows a time zone of this name; looking through all of them takes a while, so that each
# is looked up once.
is_zone <- function(name) {
  if (is.null(seen_zones[[name]])) assign(name, name %in% OlsonNames(), envir = seen_zones)
  seen_zones[[name]]
}
seen_zones <- new.env()

# A deadline that is no clock time is a time from now, unless it looks like a day.
duration_to_deadline <- function(x, text, where) {
  if (grepl("[a-z]{3,}|-[0-9]", text) && !grepl("^P|[0-9] *(d|h|min|m|s)", text)) {
    stop_input("deadline", paste("got", show_value(x)), where,
               paste0("Write fri 18:00, tomorrow 9:00, 2026-11-27 18:00, or a time from now ",
                      "such as 30 h."))
  }
  check_number(parse_duration(x, where), where, above = 0)
}
