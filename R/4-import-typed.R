# Timings typed by hand: what was read off a screen.

#' Record a timing by hand
#'
#' For times that no program wrote down. The words that came with a time are kept and decide how far
#' it is trusted: `"about 15 min"` is about, `"2 h left"` is an estimate.
#'
#' @param ledger A ledger from [open_ledger()].
#' @param time The time as text (see `parse_typed_duration()`), a rate such as `"24 fps"` for
#'   playback; `NULL` when `began` and `ended` say it, or when there is none, as for a frame that
#'   failed.
#' @param ... Columns of a timing, such as `shot`, `frame`, `engine`, `node`, `site`, `status`.
#' @param activity What was timed: `render`, `playback`, `encode`, ...
#' @param frames_done,frames_asked Of a time for many frames: how many were finished, and how many
#'   asked. The time of one is kept, and when some are missing it is `incomplete`: the finished ones
#'   may be the easy ones.
#' @param began,ended Clock times as `"2026-11-03 14:05:10"`.
#' @return The id of the row, invisibly.
#' @section Conditions: `clockpigeon_error_duration` for an ambiguous time;
#'   `clockpigeon_error_record` when it ended before it began, nothing says how long it took, or an
#'   estimate is given as a measurement; `clockpigeon_error_timing` and `clockpigeon_error_field`
#'   for columns that do not fit.
#' @examples
#' ledger <- open_ledger(":memory:")
#' record_timing(ledger, "about 15 min", shot = "gears", frame = 12, engine = "sundew")
#' record_timing(ledger, "24 fps", activity = "playback", shot = "gears")
#' timings(ledger)[c("activity", "wall_s", "kind", "precision", "note")]
#' close_ledger(ledger)
#' @export
record_timing <- function(ledger, time = NULL, ..., activity = "render", frames_done = NULL,
                          frames_asked = NULL, began = NULL, ended = NULL) {
  activity <- check_choice(activity, argument("activity"), timing_words$activity)
  said <- if (length(time)) parse_typed_duration(time, argument("time")) else
    clock_span(began, ended)
  row <- list(...)
  check_typed_time(said, row, time)
  if (length(frames_done)) {
    said <- mean_of_frames(said, frames_done, frames_asked)
    if (said$incomplete) row$status <- "incomplete"
  }
  defaults <- list(activity = activity, status = "ok", kind = said$kind, precision = said$precision,
                   wall_s = said$seconds)
  if (is.null(said)) defaults$kind <- "typed"
  row <- c(row, defaults[setdiff(names(defaults), names(row))])
  row$note <- paste(c(row$note, if (length(said)) paste("said:", said$said)), collapse = "; ")
  add_timings(ledger, as.data.frame(Filter(length, row), check.names = FALSE))
}

# A clock time as seconds since 1970.
clock_moment <- function(x, where) {
  x <- check_text(x, where)
  time <- as.POSIXct(x, tz = "UTC",
                     tryFormats = c("%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M:%S"),
                     optional = TRUE)
  if (is.na(time))
    stop_input("record", paste("got", show_value(x)), where, "Write it as 2026-11-03 14:05:10.")
  as.numeric(time)
}

# From one clock time to another, as a said duration; NULL when neither is given.
clock_span <- function(began, ended) {
  if (is.null(began) && is.null(ended)) return(NULL)
  span <- clock_moment(ended, argument("ended")) - clock_moment(began, argument("began"))
  if (span <= 0) {
    stop_input("record", paste0("ended ", ended, ", which is not after it began, ", began),
               "arguments `began` and `ended`", "Check the two, and the day.")
  }
  list(seconds = span, precision = "exact", kind = "typed", said = paste(began, "to", ended))
}

#' Read a time written by a person
#'
#' A time read off a screen or quoted in a meeting, with its precision. A qualifier (`about`,
#' `around`, `roughly`, `ca.`, `~`, `just under`, `just over`, `under`, `over`) makes it `about`;
#' `left`, `remaining`, `estimated` or `expected` make it an estimate and no measurement.
#'
#' @param x One text: a duration as for `parse_duration()`, alone or with such words; or a rate in
#'   frames per second, such as `"24 fps"`, which becomes seconds per frame.
#' @param where What to call the value in an error message.
#' @return A list: `seconds`, `precision` (`exact` or `about`), `kind` (`typed` or `estimated`),
#'   `said` (the text).
#' @section Conditions: `clockpigeon_error_duration` when no duration is in the text.
#' @noRd
parse_typed_duration <- function(x, where = argument("x")) {
  text <- tolower(trimws(check_text(x, where)))
  about <- paste0(
    "^(about|around|roughly|approximately|approx\\.?|circa|ca\\.?|~|just under|just ",
    "over|nearly|almost|",
    "under|over)\\s*")
  guess <- "\\s*\\b(left|remaining|estimated|expected|to go)\\b\\s*"
  kind <- if (grepl(guess, text)) "estimated" else "typed"
  bare <- trimws(gsub(guess, " ", text))
  precision <- if (grepl(about, bare)) "about" else "exact"
  bare <- trimws(sub(about, "", bare))
  rate_form <- "^([0-9]+(?:\\.[0-9]+)?)\\s*(?:fps|frames (?:per|a) second)$"
  rate <- regmatches(bare, regexec(rate_form, bare, perl = TRUE))[[1]]
  seconds <- if (length(rate)) 1 / as.numeric(rate[2]) else parse_duration(hours_spelt(bare), where)
  if (!is.finite(seconds))
    stop_input("duration", paste("got", show_value(x)), where, "Write a rate above 0.")
  list(seconds = seconds, precision = precision, kind = kind, said = x)
}

# Spelt units to short ones: "2 hours 5 minutes" is "2 h 5 min".
hours_spelt <- function(x) {
  words <- c(days = "d", day = "d", hours = "h", hour = "h", hrs = "h", minutes = "min",
             minute = "min", mins = "min", seconds = "s", second = "s", secs = "s", sec = "s")
  for (word in names(words)) x <- gsub(paste0("\\b", word, "\\b"), words[[word]], x)
  x
}

# Time of several frames as the mean of one; `incomplete` if fewer finished than requested.
mean_of_frames <- function(said, frames_done, frames_asked) {
  done <- check_count(frames_done, argument("frames_done"))
  asked <- if (length(frames_asked))
    check_count(frames_asked, argument("frames_asked"), least = done) else done
  said$seconds <- said$seconds / done
  said$said <- paste0(said$said, ": mean of ", done, " frames of ", asked, " asked")
  said$precision <- "about"
  said$incomplete <- asked > done
  said
}

# A typed time is there unless the run did not finish, and an estimate is no measurement.
check_typed_time <- function(said, row, time) {
  unfinished <- length(row$status) && !row$status %in% c("ok", "incomplete")
  if (is.null(said) && !unfinished) {
    stop_input("record", "nothing says how long it took", argument("time"),
               "Give a time, or began and ended, or a status such as failed.")
  }
  if (length(said) && said$kind == "estimated" && identical(row$kind, "measured")) {
    stop_input("record", paste0("got ", show_value(time),
                                ", which is an estimate, as a measurement"), argument("kind"),
               "Leave kind out, or write estimated.")
  }
}
