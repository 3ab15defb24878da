# Events of a running job become the state of its frames and nodes, in whatever order they arrive.

# States of a frame, or a piece of one, in the order in which they follow each other.
frame_states <- c("waiting", "given out", "rendering", "arrived", "usable", "failed", "lost")

# Other events of a job or a node. Unknown events are counted and have no effect.
job_happenings <- c("placed", "asked", "refused", "sent", "begun", "paused", "resumed", "stopped",
                    "ordered", "halted", "ready", "spoilt", "other version", "fetched", "deleted",
                    "prepassed", "reported", "unreached", "reached", "looked", "told",
                    "queued", "node up", "node gone", "charged", "claim")

# `events`: a data frame with `what` (a state of a frame, or one of the happenings), `time`
# (seconds), and where they are known `shot`, `frame`, `piece`, `node`, `key`, `seconds` (of the
# frame's own run, as it was reported) and `amount` (charged; of a claim the seconds that are said
# to be left). `frames`: the frames of the job, a data frame of `shot` and `frame`, or their numbers
# where there is one shot.
#
# Events are ordered by the time that they carry, and of one time as `frame_states` has it: late and
# disordered ones give the same state, and so do doubled ones, which have one key. A frame that is
# there is not taken back by what happens to another run of it, on another node.
#
# Returns a list: `frames`, one row a frame or piece: `shot`, `frame`, `piece`, `state`, `node`,
# `since` (when it came to be so), `begun` (its last run), `seconds` (of the run that made it),
# `runs`, `failures`; `nodes`: `node`, `frames` (that arrived), `busy_s`, `first` and `last` (heard
# of), `up`; `job`: when each happening was last, `paused`, `stopped`, `charged`, `claim` and
# `claimed_at`, `unknown` (events that say what is not known, or are of no frame of the job).
fold_events <- function(events, frames) {
  if (!is.data.frame(frames))
    frames <- data.frame(shot = rep(NA_character_, length(frames)), frame = frames)
  x <- plain_events(events)
  x <- x[!duplicated(x[["key"]]), , drop = FALSE]
  x <- x[order(x[["time"]], match(x[["what"]], c(frame_states, job_happenings)), x[["key"]]), ,
         drop = FALSE]
  of_frame <- x[["what"]] %in% frame_states
  mine <- of_frame & row_key(x, c("shot", "frame")) %in% row_key(frames, c("shot", "frame"))
  list(frames = fold_frames(x[mine, , drop = FALSE], frames), nodes = fold_nodes(x),
       job = fold_job(x[!of_frame, , drop = FALSE], unknown = sum(of_frame & !mine)))
}

plain_events <- function(events) {
  x <- as_frame(events)
  fill <- list(time = NA_real_, shot = NA_character_, frame = NA_integer_, piece = NA_character_,
               node = NA_character_, seconds = NA_real_, amount = NA_real_, key = NA_character_)
  for (name in names(fill)) if (is.null(x[[name]])) x[[name]] <- rep(fill[[name]], nrow(x))
  # Without a key an event is what it says.
  x[["key"]] <- ifelse(is.na(x[["key"]]),
                       row_key(x, c("what", "time", "shot", "frame", "piece", "node")), x[["key"]])
  x
}

# State of every frame, in the order of the job; frames without events have none.
fold_frames <- function(x, frames) {
  columns <- c("shot", "frame", "piece")
  id <- row_key(x, columns)
  whole <- data.frame(shot = frames[["shot"]], frame = as.integer(frames[["frame"]]),
                      piece = NA_character_)
  none <- !row_key(whole, c("shot", "frame")) %in% row_key(x, c("shot", "frame"))
  seen <- x[!duplicated(id), columns, drop = FALSE]
  rows <- rbind(whole[none, , drop = FALSE], seen)
  # Shots in the order of the job.
  rows <- rows[order(match(rows[["shot"]], unique(whole[["shot"]])), rows[["frame"]],
                     rows[["piece"]]), , drop = FALSE]
  parts <- split(seq_len(nrow(x)), factor(id, unique(id)))
  told <- parts[row_key(rows, columns)]
  done <- lapply(told, function(at) if (length(at))
                 fold_frame(x[["what"]][at], x[["time"]][at], x[["node"]][at],
                            x[["seconds"]][at]) else untold_frame)
  pick <- function(name, type) vapply(done, `[[`, type, name, USE.NAMES = FALSE)
  data.frame(rows, state = pick("state", ""), node = pick("node", ""), since = pick("since", 0),
             begun = pick("begun", 0), seconds = pick("seconds", 0), runs = pick("runs", 0L),
             failures = pick("failures", 0L), row.names = NULL)
}

untold_frame <- list(state = "waiting", node = NA_character_, since = NA_real_, begun = NA_real_,
                     seconds = NA_real_, runs = 0L, failures = 0L)

# Events of one frame, in order. A frame that arrived stays arrived, whatever other nodes make of it
# later; only a verdict on its picture, or a failure on its own node, changes that.
fold_frame <- function(what, time, node, seconds) {
  out <- untold_frame
  for (k in seq_along(what)) {
    other <- !is.na(out$node) && !is.na(node[k]) && node[k] != out$node
    settled <- out$state %in% c("arrived", "usable")
    if (settled && (other || !what[k] %in% c("usable", "failed", "lost"))) next
    out <- fold_event(out, what[k], time[k], node[k], seconds[k], other)
  }
  rendering <- sum(what == "rendering")
  out$runs <- if (rendering) rendering else sum(what == "given out")
  out$failures <- sum(what %in% c("failed", "lost"))
  out
}

# State of a frame after one more event. The time that an arrived frame took is the one reported, or
# else the time since the same node began it.
fold_event <- function(frame, what, time, node, seconds, other) {
  is_rendering <- frame$state == "rendering"
  if (what == "rendering" || what == "given out" && !is_rendering) frame$begun <- time
  if (what == "arrived") {
    since <- if (is_rendering && !other) time - frame$begun else NA_real_
    frame$seconds <- if (is.na(seconds)) since else seconds
  }
  frame$state <- what
  frame$since <- time
  if (!is.na(node)) frame$node <- node
  frame
}

fold_nodes <- function(x) {
  x <- x[!is.na(x[["node"]]), , drop = FALSE]
  names <- unique(x[["node"]])
  at <- factor(x[["node"]], names)
  arrived <- x[["what"]] == "arrived"
  once <- arrived & !duplicated(data.frame(arrived, x[c("shot", "frame", "piece")]))
  up <- x[x[["what"]] %in% c("node up", "node gone"), , drop = FALSE]
  last <- rev(up[["what"]])[match(names, rev(up[["node"]]))]
  data.frame(node = names, frames = as.integer(tapply(once, at, sum)),
             busy_s = as.numeric(tapply(ifelse(once, x[["seconds"]], NA), at, sum, na.rm = TRUE)),
             first = as.numeric(tapply(x[["time"]], at, min)),
             last = as.numeric(tapply(x[["time"]], at, max)),
             up = !last %in% "node gone", row.names = NULL)
}

fold_job <- function(x, unknown) {
  last <- function(what)
    c(x[["time"]][x[["what"]] %in% what], NA_real_)[max(1, sum(x[["what"]] %in% what))]
  held <- x[["what"]][x[["what"]] %in% c("paused", "resumed")]
  claims <- x[x[["what"]] == "claim", , drop = FALSE]
  c(lapply(stats::setNames(nm = c("placed", "sent", "begun", "fetched")), last),
    list(paused = identical(utils::tail(held, 1), "paused"),
         stopped = any(x[["what"]] == "stopped"),
         charged = sum(x[["amount"]][x[["what"]] == "charged"], na.rm = TRUE),
         claim = utils::tail(c(NA_real_, claims[["amount"]]), 1), claimed_at = last("claim"),
         unknown = unknown + sum(!x[["what"]] %in% job_happenings)))
}

alarm_levels <- c("now", "soon", "note")

new_alarm <- function(code, level, site, says, action, until_s = NA_real_) {
  data.frame(code = code, level = level, site = site, says = says, action = action,
             until_s = until_s)
}

# The gravest first, and of these what can be done for the shortest time; NULL: none.
ranked_alarms <- function(found) {
  if (is.null(found)) return(new_alarm("", "note", NA, "", "")[0, ])
  urgency <- match(found[["code"]], urgent_alarms, length(urgent_alarms) + 1)
  found[order(match(found[["level"]], alarm_levels), urgency, found[["until_s"]]), , drop = FALSE]
}

# Alarms about the job as a whole come before those about a node or a frame.
urgent_alarms <- c("look", "money", "late")

# `events` as job_events() has them, in order. An event `failed` of source `verify` refuses a frame;
# earlier events that the frame was started, ready or delivered are dropped.
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

# Refused frames that were not delivered again: `shot`, `frame`, `sequence` (of the event that
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
