# The frames of a job on own nodes: each is given to a slot, brought home, and given to another when its node vanishes,
# freezes or fails.

# `job`: what is to be done, as pool_job() makes it; `ledger`: open for writing. Runs until nothing is left to do, or
# nothing can be done any more. What happens is in the ledger before the next step is taken, so that a run that was
# ended anyhow is resumed by running again. Returns the frames with their `state`.
run_pool <- function(job, ledger, progress = FALSE, clock = wall_clock) {
  pool <- list(job = job, ledger = ledger, clock = clock, run = new_run(), frames = job$frames, begun = 0L,
               paused = FALSE, stopped = FALSE, heeded = -Inf, said = -Inf, progress = progress)
  if (is.null(pool$frames[["piece"]])) pool$frames <- in_pieces(job$frames, job$trials)$frames
  pool <- found_frames(pool)
  pool$prepassed <- prepassed_before(pool)
  pool$slots <- lapply(job$slots, function(slot) c(slot, list(state = "closed", again = 0, tries = 0)))
  on.exit({
    close_slots(pool)
    unlink(file.path(job$root, job$making), recursive = TRUE, expand = FALSE)
  })
  repeat {
    pool <- heed(pool)
    if (pool$stopped || !can_go_on(pool)) break
    for (name in names(pool$slots)) pool <- step_slot(pool, name)
    pool <- tell_progress_of(pool)
    Sys.sleep(if (pool$paused) 0.2 else 0.01)
  }
  if (pool$stopped) pool <- end_all(pool)
  whole_frames(pool$frames)
}

# Whether a frame is under way, or waits for a slot that is not given up.
can_go_on <- function(pool) {
  state <- pool$frames[["state"]]
  slots <- Filter(function(slot) slot$state != "lost", pool$slots)
  any(state == "out") || any(vapply(slots, function(slot) any(for_slot(pool, slot)), NA))
}

# A name for this run that no other has.
new_run <- function() paste0(format(Sys.time(), "%y%m%d%H%M%S", tz = "UTC"), Sys.getpid())

pool_event <- function(pool, what, ...) {
  row <- list(what = what, time = utc_now(as.POSIXct(pool$clock(), origin = "1970-01-01")), source = "place", ...)
  add_events(pool$ledger, pool$job$name, as.data.frame(Filter(length, row)))
}

frame_event <- function(pool, what, i, node = NULL, ...) {
  frame <- pool$frames[i, ]
  pool_event(pool, what, place = frame[["site"]], shot = frame[["shot"]], frame = frame[["frame"]],
             piece = if (!is.na(frame[["piece"]])) frame[["piece"]], node = node, ...)
}

# Frames that are there under their names are whole, whoever brought them: those that the ledger does not know of are
# written down as of the time of their file.
found_frames <- function(pool) {
  at <- function(path) file.path(pool$job$root, path)
  whole <- file.exists(at(pool$frames[["into"]]))
  there <- whole | file.exists(at(pool$frames[["to"]]))
  pool$frames$state <- ifelse(there, "done", "waiting")
  pool$frames$failures <- 0L
  pool$frames$last <- NA_character_
  known <- without_refused(job_events(pool$ledger, pool$job$name))
  known <- known[known[["what"]] == "arrived", , drop = FALSE]
  # Of a frame that is there it does not matter which pieces were told of.
  found <- pool$frames
  found$piece[whole] <- NA_character_
  columns <- c("shot", "frame", "piece")
  told <- row_key(found, columns) %in% row_key(known, columns) | duplicated(found[columns])
  for (i in which(there & !told)) {
    path <- found[[if (whole[i]) "into" else "to"]][i]
    add_events(pool$ledger, pool$job$name, data.frame(
      what = "arrived", time = utc_now(file.mtime(at(path))), place = found[["site"]][i], shot = found[["shot"]][i],
      frame = found[["frame"]][i], piece = found[["piece"]][i], source = "place", detail = "found there"
    ))
  }
  unlink(at(pool$frames[["to"]][whole & !is.na(pool$frames[["piece"]])]))
  for (i in which(there & !whole & !duplicated(found[["into"]]))) pool <- join_whole(pool, i)
  pool
}

# A frame whose bands are all there gets its picture; where they cannot be joined they are rendered again.
join_whole <- function(pool, i) {
  at <- bands_of(pool$frames, i)
  if (is.na(pool$frames[["piece"]][i]) || !all(pool$frames[["state"]][at] == "done")) return(pool)
  fault <- join_frame(pool$job$root, pool$frames[at, , drop = FALSE])
  frame <- pool$frames[i, ]
  tell <- function(what, detail) pool_event(pool, what, place = frame[["site"]], shot = frame[["shot"]],
                                            frame = frame[["frame"]], detail = detail)
  if (is.null(fault)) {
    tell("arrived", paste("joined of", length(at), "bands"))
    return(pool)
  }
  tell("failed", first_line(fault))
  pool$frames$failures[at] <- pool$frames$failures[at] + 1L
  over <- max(pool$frames$failures[at]) > pool$job$retries[[frame[["site"]]]]
  pool$frames$state[at] <- if (over) "failed" else "waiting"
  pool
}

# What was said of the job elsewhere: paused, resumed, stopped. Looked at twice a second.
heed <- function(pool) {
  now <- pool$clock()
  if (now - pool$heeded < 0.5) return(pool)
  pool$heeded <- now
  said <- job_orders(pool$ledger, pool$job$name)
  pool$paused <- identical(utils::tail(said[said %in% c("paused", "resumed")], 1), "paused")
  pool$stopped <- "stopped" %in% said
  pool <- look_now(pool, now)
  pool
}

# A fallback's moment: where fewer frames are done than the plan asks for, those not begun are given up here, and named
# for the rescue.
look_now <- function(pool, now) {
  look <- pool$job$look
  if (is.null(look) || now < look$at || isTRUE(pool$looked)) return(pool)
  pool$looked <- TRUE
  whole <- whole_frames(pool$frames)
  # A look that was taken before stands, however the frames stand now.
  before <- job_events(pool$ledger, pool$job$name)
  before <- before[before[["what"]] == "looked", , drop = FALSE]
  send <- if (nrow(before)) before[["detail"]][1] == "send" else sum(whole[["state"]] == "done") < look$fewer
  if (!nrow(before)) pool_event(pool, "looked", detail = if (send) "send" else "go on")
  if (send) {
    waiting <- whole[["into"]][whole[["state"]] == "waiting"]
    at <- pool$frames[["into"]] %in% waiting & !pool$frames[["site"]] %in% look$rescue
    if (look$own) {
      pool$frames$site[at] <- look$rescue
      pool$frames$range[at] <- NA
    } else pool$frames$state[at] <- "sent"
  }
  pool
}

# One slot a step further.
step_slot <- function(pool, name) {
  slot <- pool$slots[[name]]
  now <- pool$clock()
  if (slot$state == "lost" || slot$again > now) return(pool)
  if (slot$state == "closed") return(open_slot(pool, name))
  if (slot$state == "idle") return(give_out(pool, name))
  if (mirai::unresolved(slot$task)) return(pool)
  said <- task_result(slot$task)
  if (length(said$lost)) return(lose_slot(pool, name, said$lost))
  switch(slot$state, bringing = bring_more(pool, name, said), preparing = take_prepass(pool, name, said),
         take_in(pool, name, said))
}

slot_of <- function(pool, name, ...) {
  pool$slots[[name]] <- utils::modifyList(pool$slots[[name]], list(...))
  pool
}

# Waits longer after each failure, up to ten minutes; after the eighth in a row a node is given up.
later <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  tries <- slot$tries + 1
  if (tries == 1 || tries == 8) {
    pool_event(pool, "node gone", place = slot$site, node = name,
               detail = if (tries == 8) paste("given up:", why) else why)
  }
  close_node(slot$node)  # what began to be opened would be in the way of the next try
  slot_of(pool, name, tries = tries, again = pool$clock() + min(600, pool$job$again_s * 2^tries),
          state = if (tries >= 8) "lost" else "closed")
}

# Opens a slot: its node is reached, readied, and given what it lacks.
open_slot <- function(pool, name) {
  slot <- pool$slots[[name]]
  if (!any(for_slot(pool, slot))) return(slot_of(pool, name, again = pool$clock() + 1))
  reached <- tryCatch(open_node(slot$node, 20), error = function(e) {
    if (inherits(e, "clockpigeon_error_package")) stop(e)
    FALSE
  })
  if (!reached) return(later(pool, name, "it does not answer"))
  mark <- list(job = pool$job$id, run = pool$run, slot = name)
  said <- wait_for(ask_node(slot$node, host_slot, list(mark, pool$job$pairs, pool$job$engines, slot$node, slot$share),
                            120))
  if (is.null(said$value)) return(later(pool, name, c(said$error, said$lost)[1]))
  pool <- slot_of(pool, name, host = said$value, machine = machine_id(pool$ledger, said$value$facts))
  shared <- tryCatch(share_folder(pool, name), clockpigeon_error_node = identity)
  if (inherits(shared, "error")) return(later(pool, name, shared$what))
  pool <- shared
  pool_event(pool, "node up", place = slot$site, node = name)
  slot_of(pool, name, state = "idle", since = pool$clock())
}

# Whether a node sees this project's folder; where it does not, the files of the job are sent there, those that it has
# not got.
share_folder <- function(pool, name) {
  slot <- pool$slots[[name]]
  folder <- slot$node$folder
  travels <- FALSE
  if (length(folder)) {
    dir.create(file.path(pool$job$root, pool$job$making), FALSE, TRUE)
    token <- file.path(pool$job$making, paste0("token-", pool$run))
    write_text(pool$run, file.path(pool$job$root, token))
    own <- file_hashes(file.path(pool$job$root, token))
    travels <- !identical(wait_for(ask_node(slot$node, host_files, list(folder, token), 60))$value, own)
    unlink(file.path(pool$job$root, token))
    if (travels) send_files(slot$node, pool$job$root, folder, pool$job$files)
  }
  slot_of(pool, name, travels = travels)
}

# Frames that a slot may render: of its site, in its own run of frames where there are runs.
for_slot <- function(pool, slot) {
  frames <- pool$frames
  frames[["state"]] == "waiting" & frames[["site"]] == slot$site &
    (is.na(frames[["range"]]) | frames[["range"]] == slot$number)
}

# Gives an idle slot its next frame: one that did not fail there before others.
give_out <- function(pool, name) {
  slot <- pool$slots[[name]]
  if (pool$paused) return(pool)
  hours <- slot$node$hours
  now <- pool$clock()
  if (length(hours) && !is_in_hours(as.POSIXct(now, origin = "1970-01-01"), hours, pool$job$time_zone)) {
    return(slot_of(pool, name, again = now + 5))
  }
  at <- which(for_slot(pool, slot))
  ready <- prepass_state(pool, slot, pool$frames[["shot"]][at])
  at <- at[ready != "under way"]
  if (!length(at)) return(slot_of(pool, name, again = now + 0.2))
  at <- at[order(pool$frames[["last"]][at] %in% name)][1]
  pool$begun <- pool$begun + 1L
  trial <- as.list(pool$job$trials[at, , drop = FALSE])
  if (is.na(or_else(trial$band_first, NA))) trial[c("band_first", "band_last")] <- NULL
  trial$threads <- slot$host$threads
  first <- prepass_state(pool, slot, pool$frames[["shot"]][at]) == "needed"
  bench <- c(list(engines = pool$job$engines, folder = pool$job$root, making = pool$job$making, machine = slot$machine,
                  options = list(time_limit = pool$job$limit_s[[slot$site]]),
                  prepass = if (first) "alone" else "done"),
             slot$host[setdiff(names(slot$host), c("facts", "threads", "pid"))])
  run <- paste(pool$run, pool$begun, sep = "-")
  if (first) pool$prepassed[[prepass_key(pool$frames[["shot"]][at], slot)]] <- "under way"
  else frame_event(pool, "rendering", at, name, detail = run)
  pool$frames$state[at] <- "out"
  task <- ask_node(slot$node, host_frame, list(trial, bench, pool$frames[["to"]][at], run),
                   pool$job$limit_s[[slot$site]] + pool$job$grace_s)
  slot_of(pool, name, state = if (first) "preparing" else "rendering", task = task, at = at)
}

# What a slot says of the pre-pass that it ran: the frame it was for waits, and all others of its shot may begin.
take_prepass <- function(pool, name, said) {
  slot <- pool$slots[[name]]
  key <- prepass_key(pool$frames[["shot"]][slot$at], slot)
  pool$prepassed[[key]] <- NULL
  if (length(said$value$wait)) {
    pool$frames$state[slot$at] <- "waiting"
    return(slot_of(pool, name, state = "idle", again = pool$clock() + 30))
  }
  rows <- said$value$rows
  keep_rows(pool, slot, rows)
  last <- if (length(rows)) rows[[length(rows)]]
  if (length(said$error) || length(last) && !identical(last$status, "ok")) {
    return(frame_failed(pool, name, or_else(last$note, said$error)))
  }
  pool$prepassed[[key]] <- "done"
  pool_event(pool, "prepassed", place = slot$site, node = name, shot = pool$frames[["shot"]][slot$at], detail = key)
  pool$frames$state[slot$at] <- "waiting"
  slot_of(pool, name, state = "idle", tries = 0, bad = 0)
}

# What a slot says of its frame.
take_in <- function(pool, name, said) {
  slot <- pool$slots[[name]]
  if (length(said$value$wait)) {
    frame_event(pool, "lost", slot$at, name, detail = said$value$wait)
    pool$frames$state[slot$at] <- "waiting"
    return(slot_of(pool, name, state = "idle", again = pool$clock() + 30))
  }
  rows <- said$value$rows
  keep_rows(pool, slot, rows)
  last <- if (length(rows)) rows[[length(rows)]]
  if (!identical(last$status, "ok")) return(frame_failed(pool, name, or_else(last$note, said$error)))
  pool <- slot_of(pool, name, seconds = last$wall_s, tries = 0, bad = 0)
  if (!slot$travels) return(frame_there(pool, name))
  slot_of(bring_part(pool, name, 0), name, state = "bringing", from = 0)
}

# The timings of a job's frames are evidence of its site.
keep_rows <- function(pool, slot, rows) {
  for (row in rows) {
    row[c("run_order", "plan_id")] <- NULL
    row <- c(row, list(job = pool$job$name, site = slot$site))
    add_timings(pool$ledger, as_table(row))
  }
}

frame_there <- function(pool, name) {
  slot <- pool$slots[[name]]
  frame_event(pool, "arrived", slot$at, name, seconds = slot$seconds)
  pool$frames$state[slot$at] <- "done"
  join_whole(slot_of(pool, name, state = "idle", again = 0), slot$at)
}

frame_failed <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  frame_event(pool, "failed", slot$at, name, detail = first_line(why))
  pool$frames$failures[slot$at] <- pool$frames$failures[slot$at] + 1L
  pool$frames$last[slot$at] <- name
  over <- pool$frames$failures[slot$at] > pool$job$retries[[slot$site]]
  pool$frames$state[slot$at] <- if (over) "failed" else "waiting"
  # A slot on which one frame after the other fails has a trouble of its own: each gets it time to pass.
  bad <- or_else(slot$bad, 0) + 1
  slot_of(pool, name, state = "idle", bad = bad,
          again = if (bad < 3) 0 else pool$clock() + min(600, pool$job$again_s * 2^(bad - 3)))
}

# A picture comes home in parts, beside its name, and gets it when its SHA-256 is that of the picture there.
bring_part <- function(pool, name, from) {
  slot <- pool$slots[[name]]
  task <- ask_node(slot$node, host_read, list(slot$node$folder, pool$frames[["to"]][slot$at], from), 600)
  slot_of(pool, name, task = task)
}

bring_more <- function(pool, name, said) {
  slot <- pool$slots[[name]]
  got <- said$value
  if (is.null(got)) return(frame_failed(pool, name, paste("it could not be brought home:", said$error)))
  if (slot$from == 0) slot$sha256 <- got$sha256
  to <- pool$frames[["to"]][slot$at]
  path <- file.path(pool$job$root, to)
  dir.create(dirname(path), FALSE, TRUE)
  whole <- tryCatch(write_part(path, slot$from, got$bytes, got$size, slot$sha256), error = function(e) NA,
                    warning = function(w) NA)
  from <- slot$from + length(got$bytes)
  if (isTRUE(whole)) {
    wait_for(ask_node(slot$node, host_remove, list(slot$node$folder, to), 60))
    return(frame_there(pool, name))
  }
  if (is.na(whole) || from >= got$size) return(frame_failed(pool, name, "it did not come home whole"))
  bring_part(slot_of(pool, name, from = from, sha256 = slot$sha256), name, from)
}

# A node that vanished, or says nothing long after its frame should have ended: what it left behind here is ended, its
# frame waits again, and it is tried later.
lose_slot <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  close_slot(pool, slot, name)
  pool <- cut_frame(pool, name, why)
  pool$frames$last[slot$at] <- name
  later(pool, name, why)
}

# A frame whose slot tells no more of it: its picture may have got its name before.
cut_frame <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  there <- file.exists(file.path(pool$job$root, pool$frames[["to"]][slot$at]))
  if (slot$state == "preparing") pool$prepassed[[prepass_key(pool$frames[["shot"]][slot$at], slot)]] <- NULL
  else frame_event(pool, if (there) "arrived" else "lost", slot$at, name, detail = why)
  pool$frames$state[slot$at] <- if (there) "done" else "waiting"
  if (there) join_whole(pool, slot$at) else pool
}

close_slot <- function(pool, slot, name) {
  local <- is.null(slot$node$launch) || slot$node$launch$by == "local"
  close_node(slot$node)
  if (!local) return(invisible())
  # One that is at work does not go by itself; neither does what it began.
  handle <- if (length(slot$host$pid)) tryCatch(ps::ps_handle(as.integer(slot$host$pid)), error = function(e) NULL)
  if (length(handle) && slot$state != "idle") tryCatch(ps::ps_kill(handle), error = function(e) NULL)
  end_marked(function(x) x == paste(pool$job$id, pool$run, name, sep = "/"))
  invisible()
}

close_slots <- function(pool) {
  for (name in names(pool$slots)) {
    slot <- pool$slots[[name]]
    if (!slot$state %in% c("closed", "lost")) close_slot(pool, slot, name)
  }
}

# A job that is stopped ends what is under way; what is there stays.
end_all <- function(pool) {
  for (name in names(pool$slots)) {
    slot <- pool$slots[[name]]
    if (slot$state %in% c("closed", "lost")) next
    close_slot(pool, slot, name)
    if (slot$state != "idle") pool <- cut_frame(pool, name, "the job was stopped")
    pool <- slot_of(pool, name, state = "closed")
  }
  pool
}

# Now and then, on standard error: how many frames are there.
tell_progress_of <- function(pool) {
  now <- pool$clock()
  if (!pool$progress || now - pool$said < 5) return(pool)
  pool$said <- now
  state <- whole_frames(pool$frames)[["state"]]
  up <- sum(vapply(pool$slots, `[[`, "", "state") %in% c("idle", "preparing", "rendering", "bringing"))
  cat(sum(state == "done"), " of ", length(state), " frames, ", up, " of ", length(pool$slots), " slots at work",
      if (any(state == "failed")) paste0(", ", sum(state == "failed"), " failed"),
      if (pool$paused) ", paused", "\n", sep = "", file = stderr())
  pool
}
