# Times as people say them: "about 15 min", "just under 2 h", "24 fps".

#' Read a time as it was said
#'
#' What was read off a screen or said in a meeting, with how sure it is. A qualifier (`about`,
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
    "^(about|around|roughly|approximately|approx\\.?|circa|ca\\.?|~|just under|just over|nearly|almost|",
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
