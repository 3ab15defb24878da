# Hours of the day: how much of a stretch of time lies in a card's local hours.


# Milliseconds of each stretch (`began` POSIXct, `ms`) inside `hours`: a list of windows, each with
# `days` and `from` and `to` in seconds of the local day; a window whose end is not after its begin
# runs into the next day, and counts by the day it begins on. Windows may overlap; time in two of
# them counts once. Days are local, so that one with a change of the clock has 23 or 25 hours.
ms_within <- function(began, ms, hours, zone) {
  vapply(seq_along(ms), function(i) {
    if (ms[i] <= 0) return(0)
    from <- as.numeric(began[i])
    to <- from + ms[i] / 1000
    days <- seq(as.Date(began[i], tz = zone) - 1,
                as.Date(as.POSIXct(to, origin = "1970-01-01"), tz = zone), by = 1)
    spans <- do.call(rbind, lapply(hours, window_spans, days = days, zone = zone))
    if (is.null(spans)) return(0)
    spans <- spans[order(spans[, 1]), , drop = FALSE]
    # Hours that an earlier window covers are not counted again.
    reached <- c(-Inf, cummax(spans[, 2])[-nrow(spans)])
    round(1000 * sum(pmax(0, pmin(to, spans[, 2]) - pmax(from, spans[, 1], reached))))
  }, 0)
}

# Begin and end (seconds since 1970) of one window on those of `days` that it has.
window_spans <- function(window, days, zone) {
  days <- days[week_days[as.POSIXlt(days)$wday + 7 * (as.POSIXlt(days)$wday == 0)] %in% window$days]
  if (!length(days)) return(NULL)
  next_day <- window$to <= window$from
  cbind(local_moment(days, window$from, zone), local_moment(days + next_day, window$to, zone))
}

# Moment at which the clocks of `zone` show a time of day. A time that a clock change skips counts
# on the clock before the change.
local_moment <- function(day, seconds, zone) {
  moment <- function(day, left) {
    text <- sprintf("%s %02d:%02d:%02d", day, left %/% 3600, left %/% 60 %% 60, left %% 60)
    as.numeric(as.POSIXct(text, tz = zone, format = "%Y-%m-%d %H:%M:%S"))
  }
  whole <- day + seconds %/% 86400
  out <- moment(whole, seconds %% 86400)
  lost <- is.na(out)
  if (any(lost)) out[lost] <- moment(whole[lost], 0) + seconds %% 86400
  out
}

# Times of `hours` as seconds after `now` (POSIXct) for a number of days: a matrix of from and to,
# separate and rising; adjacent windows are one. The last answers are cached, because a job's
# options need the same hours again and again.
hours_after <- function(hours, now, zone, days = 400) {
  asked <- list(hours, as.numeric(now), zone, days)
  known <- Find(function(one) identical(one$asked, asked), last_hours$answers)
  if (length(known)) return(known$spans)
  spans <- open_spans(hours, now, zone, days)
  last_hours$answers <- utils::head(c(list(list(asked = asked, spans = spans)), last_hours$answers),
                                    16)
  spans
}
last_hours <- new.env()

open_spans <- function(hours, now, zone, days) {
  dates <- as.Date(now, tz = zone) + seq(-1, days)
  spans <- do.call(rbind, lapply(hours, window_spans, days = dates, zone = zone))
  none <- cbind(from = numeric(), to = numeric())
  if (is.null(spans)) return(none)
  spans <- spans[order(spans[, 1]), , drop = FALSE] - as.numeric(now)
  spans <- spans[spans[, 2] > 0, , drop = FALSE]
  if (!nrow(spans)) return(none)
  reached <- cummax(spans[, 2])
  first <- c(TRUE, spans[-1, 1] > reached[-nrow(spans)])
  cbind(from = pmax(spans[first, 1], 0), to = reached[c(which(first)[-1] - 1, nrow(spans))])
}
