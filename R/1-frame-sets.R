# Frame sets: "1-240", "1-240 by 10", "1-48, 96-120"; inclusive at both ends.

#' Read a frame set
#'
#' @param x Text such as `"1-240"`, `"1-240 by 10"` or `"1-48, 96-120, 200"`, both ends included; or
#'   whole numbers.
#' @param where What to call the value in an error message.
#' @return Integer vector of frames, in the order written.
#' @section Conditions: `clockpigeon_error_frames` when a range ends before it starts, a frame
#'   stands twice, or the text is no frame set.
#' @noRd
parse_frames <- function(x, where = argument("x")) {
  refuse <- function(why, instead)
    stop_input("frames", paste0("got ", show_value(x), ", ", why), where, instead)
  if (is.numeric(x)) {
    if (!length(x) || !all(is.finite(x)) || any(x != round(x)) || any(abs(x) > 1e7)) {
      refuse("not whole numbers", "Write frames as 1-240.")
    }
    frames <- as.integer(x)
  } else {
    if (!is.character(x) || length(x) != 1 || is.na(x) || !nzchar(trimws(x))) {
      refuse("no frame set", "Write it as 1-240 or 1-240 by 10.")
    }
    frames <- unlist(lapply(strsplit(x, ",", fixed = TRUE)[[1]],
                            function(part) frame_range(trimws(part), refuse)))
  }
  if (anyDuplicated(frames)) {
    refuse(paste("with frame", frames[anyDuplicated(frames)], "twice"), "Write each frame once.")
  }
  frames
}

# Frames of one part of a frame set, such as `7`, `1-240` or `1-240 by 10`.
frame_range <- function(part, refuse) {
  bits <- regmatches(
    part, regexec("^(-?[0-9]{1,7})(?:\\s*-\\s*(-?[0-9]{1,7})(?:\\s+by\\s+([0-9]{1,7}))?)?$", part,
                  perl = TRUE))[[1]]
  if (!length(bits))
    refuse(paste0("where '", part, "' is no range"),
           "Write it as 1-240, 1-240 by 10 or 1-48, 96-120.")
  from <- as.integer(bits[2])
  if (!nzchar(bits[3])) return(from)
  to <- as.integer(bits[3])
  by <- if (nzchar(bits[4])) as.integer(bits[4]) else 1L
  if (to < from) refuse("which ends before it starts", paste0("Write ", to, "-", from, "."))
  if (by < 1) refuse("with a step of 0", "Write a step of at least 1.")
  seq.int(from, to, by)
}

#' Write a frame set
#'
#' @param frames Integer vector of frames, in any order.
#' @return One text that `parse_frames()` reads back as the same frames in rising order.
#' @noRd
format_frames <- function(frames) {
  frames <- sort(unique(as.integer(frames)))
  parts <- character()
  at <- 1L
  while (at <= length(frames)) {
    step <- if (at < length(frames)) frames[at + 1L] - frames[at] else 1L
    last <- at
    while (last < length(frames) && frames[last + 1L] - frames[last] == step) last <- last + 1L
    if (last == at + 1L && step > 1L) last <- at  # two frames apart are two frames, not a range
    range <- paste0(frames[at], "-", frames[last], if (step > 1L) paste(" by", step))
    parts <- c(parts, if (last == at) paste0(frames[at]) else range)
    at <- last + 1L
  }
  paste(parts, collapse = ", ")
}

# `n` frames spread evenly over a frame set, each in the middle of its stretch: the ends of a shot
# are its least typical frames.
spread_frames <- function(frames, n) {
  n <- min(n, length(frames))
  frames[unique(ceiling((seq_len(n) - 0.5) / n * length(frames)))]
}
