# Frame times from when pictures were written.

# For pictures with their frame numbers and the times they were finished: how long each took, and
# who wrote it.
#
# Ranges. A frame that follows the last of a chain of frames goes on that chain; when all chains are
# long they are fixed ranges, one writer each, and a frame was begun when the one before it in its
# chain was finished.
#
# Turns. Otherwise frames were handed out in order of their numbers, each to the writer that was
# free first. Then at any moment the unfinished lower frames and the one just finished were in work
# together, so that the most of them is the number n of writers (a lower bound, reached once the
# writers were out of step far enough; `writers` overrides it), and the k-th frame was begun when k
# - n frames had been finished: at the (k - n)-th time in order.
#
# Gaps. A time over 5 times the medians both of up to 5 times before it and of up to 5 after it is a
# pause or a restart and no frame time; a slow frame of a heavy part has slow neighbours on one side
# at least.
#
# `first_begun`: when the first frame of each writer was begun, where it is known.
#
# Returns, in order of time: frame, finished, seconds (NA where not known), writer (NA when frames
# took turns), why (when there is no time). A frame that was written more than once counts as it was
# written last.
write_times <- function(frame, finished, writers = NULL, first_begun = NULL) {
  at <- order(finished, frame)
  x <- data.frame(frame = frame[at], finished = finished[at])
  x <- x[!duplicated(x[["frame"]], fromLast = TRUE), , drop = FALSE]
  x[["writer"]] <- if (is.null(writers)) range_writers(x[["frame"]]) else NA_integer_
  in_turn <- anyNA(x[["writer"]])
  begun <- if (in_turn) turn_start(x[["frame"]], x[["finished"]], writers)
           else stats::ave(x[["finished"]], x[["writer"]], FUN = function(t) c(NA, t[-length(t)]))
  if (length(first_begun)) begun[is.na(begun)] <- first_begun
  x[["seconds"]] <- x[["finished"]] - begun
  x[["why"]] <- ifelse(is.na(x[["seconds"]]), "first of its writer: when it began is not known", "")
  gap <- as.logical(stats::ave(x[["seconds"]], if (in_turn) 1 else x[["writer"]], FUN = is_gap))
  x[["why"]][gap] <- paste0("after a gap of ", round(x[["seconds"]][gap]),
                            " s: a pause or a restart, no frame time")
  x[["seconds"]][gap] <- NA
  x
}

# Chains of consecutive frames, in the order they were written; NA when these are no ranges (a chain
# under 3 frames).
range_writers <- function(f) {
  step <- if (length(f) > 1) stats::median(diff(sort(f))) else 1
  writer <- integer(length(f))
  last <- integer()
  for (i in seq_along(f)) {
    at <- match(f[i] - step, last)
    if (is.na(at)) at <- length(last) + 1L
    last[at] <- f[i]
    writer[i] <- at
  }
  if (length(f) > 2 && min(table(writer)) < 3) NA_integer_ else writer
}

turn_start <- function(f, finished, writers = NULL) {
  in_work <- vapply(seq_along(f), function(i) sum(f[-seq_len(i)] < f[i]), 0L) + 1L
  n <- if (is.null(writers)) max(in_work) else writers
  turn <- rank(f)
  c(rep(NA_real_, n), sort(finished))[turn]
}

is_gap <- function(seconds) {
  n <- length(seconds)
  vapply(seq_len(n), function(i) {
    if (is.na(seconds[i])) return(FALSE)
    near <- list(if (i > 1) seconds[max(1, i - 5):(i - 1)],
                 if (i < n) seconds[(i + 1):min(n, i + 5)])
    sides <- vapply(Filter(length, near), stats::median, 0, na.rm = TRUE)
    any(!is.na(sides)) && seconds[i] > 5 * max(sides, na.rm = TRUE)
  }, NA)
}
