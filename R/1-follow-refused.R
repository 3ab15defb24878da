# Frames that came back and were refused: what was told of them before does not count any more.

# `events` as job_events() has them, in their order. A frame is refused by an event `failed` of
# source `verify`; that it was begun, ready or there is left out where it was told before that.
without_refused <- function(events) {
  x <- as_frame(events)
  refused <- x[["what"]] %in% "failed" & x[["source"]] %in% "verify"
  if (!any(refused)) return(x)
  key <- row_key(x, c("shot", "frame"))
  last <- tapply(x[["sequence"]][refused], key[refused], max)
  before <- x[["sequence"]] < last[match(key, names(last))]
  x[!(before %in% TRUE &
      x[["what"]] %in% c("given out", "rendering", "ready", "arrived", "usable")), , drop = FALSE]
}

# The frames that are refused and not there anew: `shot`, `frame`, `sequence` (of the event that
# refused them).
refused_frames <- function(events) {
  x <- as_frame(events)
  refused <- x[x[["what"]] %in% "failed" & x[["source"]] %in% "verify", , drop = FALSE]
  refused <- refused[!duplicated(refused[c("shot", "frame")], fromLast = TRUE), , drop = FALSE]
  there <- without_refused(events)
  there <- there[there[["what"]] %in% "arrived", , drop = FALSE]
  refused[!row_key(refused, c("shot", "frame")) %in% row_key(there, c("shot", "frame")),
          c("shot", "frame", "sequence"), drop = FALSE]
}
