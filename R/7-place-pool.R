# The frames of a job on own nodes: each is given to a slot, brought home, and given to another when
# its node vanishes, freezes or fails.

# `job`: the work, as pool_job() makes it; `ledger`: open for writing. Runs until no frames remain,
# or none can be rendered any more. Each event is in the ledger before the next step, so that a
# killed run can be resumed by running again. Returns the frames with their `state`. Tests replace
# `clock` and `sleep`.
run_pool <- function(job, ledger, progress = FALSE, clock = wall_clock, sleep = Sys.sleep) {
  pool <- list(job = job, ledger = ledger, clock = clock, run = new_run(), frames = job$frames,
               begun = 0L, paused = FALSE, stopped = FALSE, heeded = -Inf, said = -Inf,
               progress = progress, slowest = list(), first_given = list())
  if (is.null(pool$frames[["piece"]])) pool$frames <- in_pieces(job$frames, job$trials)$frames
  pool <- found_frames(pool)
  pool$prepassed <- finished_prepasses(pool)
  pool$slots <- lapply(job$slots, function(slot)
                       c(slot, list(state = "closed", again = 0, tries = 0)))
  on.exit({
    close_slots(pool)
    unlink(file.path(job$root, job$making), recursive = TRUE, expand = FALSE)
  })
  repeat {
    pool <- look_at_slots(poll_orders(pool))
    if (pool$stopped || !can_go_on(pool)) break
    for (name in names(pool$slots)) pool <- step_slot(pool, name)
    pool <- tell_progress_of(pool)
    sleep(if (pool$paused) 0.2 else 0.01)
  }
  if (pool$stopped) pool <- end_all(pool)
  whole_frames(pool$frames)
}

# Is a frame running, or waiting for a slot that may still take it?
can_go_on <- function(pool) {
  state <- pool$frames[["state"]]
  slots <- Filter(function(slot) slot$state != "lost", pool$slots)
  any(state == "out") || any(vapply(slots, function(slot) any(for_slot(pool, slot)), NA))
}

# A name for this run that no other has.
new_run <- function() paste0(format(Sys.time(), "%y%m%d%H%M%S", tz = "UTC"), Sys.getpid())

frame_event <- function(pool, what, i, node = NULL, ...) {
  frame <- pool$frames[i, ]
  pool_event(pool, what, place = frame[["site"]], shot = frame[["shot"]], frame = frame[["frame"]],
             piece = if (!is.na(frame[["piece"]])) frame[["piece"]], node = node, ...)
}

# Frames that exist under their names are complete, from any source: those unknown to the ledger are
# recorded with the time of their file.
found_frames <- function(pool) {
  at <- function(path) file.path(pool$job$root, path)
  whole <- file.exists(at(pool$frames[["into"]]))
  there <- whole | file.exists(at(pool$frames[["to"]]))
  pool$frames$state <- ifelse(there, "done", "waiting")
  pool$frames$failures <- 0L
  pool$frames$last <- NA_character_
  known <- without_refused(job_events(pool$ledger, pool$job$name))
  known <- known[known[["what"]] == "arrived", , drop = FALSE]
  # For a finished frame the events of its pieces do not matter.
  found <- pool$frames
  found$piece[whole] <- NA_character_
  columns <- c("shot", "frame", "piece")
  told <- row_key(found, columns) %in% row_key(known, columns) | duplicated(found[columns])
  for (i in which(there & !told)) {
    path <- found[[if (whole[i]) "into" else "to"]][i]
    add_events(pool$ledger, pool$job$name, data.frame(
      what = "arrived", time = utc_now(file.mtime(at(path))), place = found[["site"]][i],
      shot = found[["shot"]][i], frame = found[["frame"]][i], piece = found[["piece"]][i],
      source = "place", detail = "found there"
    ))
  }
  unlink(at(pool$frames[["to"]][whole & !is.na(pool$frames[["piece"]])]))
  for (i in which(there & !whole & !duplicated(found[["into"]]))) pool <- join_whole(pool, i)
  pool
}

# A frame whose bands are all there gets its picture; where they cannot be joined they are rendered
# again.
join_whole <- function(pool, i) {
  at <- bands_of(pool$frames, i)
  if (is.na(pool$frames[["piece"]][i]) || !all(pool$frames[["state"]][at] == "done")) return(pool)
  fault <- join_frame(pool$job$root, pool$frames[at, , drop = FALSE])
  frame <- pool$frames[i, ]
  tell <- function(what, detail)
    pool_event(pool, what, place = frame[["site"]], shot = frame[["shot"]],
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

step_queued_slot <- function(pool, name) {
  if (node_answers(pool$slots[[name]]$node)) greet_slot(pool, name) else
    check_queued_slot(pool, name)
}

# One slot a step further.
step_slot <- function(pool, name) {
  slot <- pool$slots[[name]]
  now <- pool$clock()
  if (slot$state == "lost" || slot$again > now) return(pool)
  if (slot$state == "closed") return(open_slot(pool, name))
  if (slot$state == "queued") return(step_queued_slot(pool, name))
  if (slot$state == "cut") return(learn_why(pool, name))
  if (lost_machine(slot))
    return(cut_slot(pool, name, or_else(slot$stands$why, "it answers no more")))
  if (slot$state == "idle") return(assign_frame(pool, name))
  if (mirai::unresolved(slot$task)) return(pool)
  said <- task_result(slot$task)
  if (length(said$lost)) return(cut_slot(pool, name, said$lost))
  switch(slot$state, greeting = note_greeting(pool, name, said),
         bringing = bring_more(pool, name, said), preparing = take_prepass(pool, name, said),
         take_message(pool, name, said))
}

# Opens a slot: its node is reached, readied, and given what it lacks.
open_slot <- function(pool, name) {
  slot <- pool$slots[[name]]
  if (!any(for_slot(pool, slot))) return(set_slot(pool, name, again = pool$clock() + 1))
  if (is_scheduled(slot$node)) {
    if (!is_open_now(pool, slot)) return(set_slot(pool, name, again = pool$clock() + 5))
    asked <- ask_for_machine(pool, name)
    return(if (is.character(asked)) retry_slot_later(pool, name, asked) else asked)
  }
  reached <- tryCatch(open_node(slot$node, 20), error = function(e) {
    if (inherits(e, "clockpigeon_error_package")) stop(e)
    FALSE
  })
  if (!isTRUE(reached)) return(retry_slot_later(pool, name, "it does not answer"))
  greet_slot(pool, name)
}

# Has a node that was reached ready itself for the frames of the job.
greet_slot <- function(pool, name) {
  slot <- pool$slots[[name]]
  mark <- list(job = pool$job$id, run = pool$run, slot = name)
  task <- ask_node(slot$node, host_slot,
                   list(mark, pool$job$pairs, pool$job$engines, slot$node, slot$share), 120)
  # The scheduler's earlier report concerned a machine that was still queued.
  set_slot(pool, name, state = "greeting", task = task, stands = NULL)
}

note_greeting <- function(pool, name, said) {
  slot <- pool$slots[[name]]
  if (is.null(said$value)) return(retry_slot_later(pool, name, said$error))
  pool <- set_slot(pool, name, host = said$value,
                   machine = machine_id(pool$ledger, said$value$facts))
  if (is_scheduled(slot$node)) pool <- machine_given(pool, name)
  shared <- tryCatch(share_folder(pool, name), clockpigeon_error_node = identity)
  if (inherits(shared, "error")) return(retry_slot_later(pool, name, shared$what))
  pool <- shared
  pool_event(pool, "node up", place = slot$site, node = name)
  set_slot(pool, name, state = "idle", since = pool$clock(), worked = pool$clock())
}

# Gives an idle slot its next frame: one that did not fail there before others.
assign_frame <- function(pool, name) {
  slot <- pool$slots[[name]]
  if (pool$paused) return(pool)
  now <- pool$clock()
  open <- is_open_now(pool, slot)
  if (is_scheduled(slot$node) && (!open || !is_worth_keeping(pool, slot))) {
    close_slot(pool, slot, name)
    pool_event(pool, "node gone", place = slot$site, node = name,
               detail = "given back to the scheduler")
    return(set_slot(pool, name, state = "closed", again = now))
  }
  if (!open) return(set_slot(pool, name, again = now + 5))
  at <- which(for_slot(pool, slot))
  ready <- prepass_state(pool, slot, pool$frames[["shot"]][at])
  at <- at[ready != "under way"]
  if (!length(at)) return(set_slot(pool, name, again = now + 0.2))
  at <- at[order(pool$frames[["last"]][at] %in% name)][1]
  pool$begun <- pool$begun + 1L
  trial <- as.list(pool$job$trials[at, , drop = FALSE])
  if (is.na(or_else(trial$band_first, NA))) trial[c("band_first", "band_last")] <- NULL
  trial$threads <- slot$host$threads
  first <- prepass_state(pool, slot, pool$frames[["shot"]][at]) == "needed"
  bench <- c(list(engines = pool$job$engines, folder = pool$job$root, making = pool$job$making,
                  machine = slot$machine,
                  options = list(time_limit = pool$job$limit_s[[slot$site]]),
                  prepass = if (first) "alone" else "done"),
             slot$host[setdiff(names(slot$host), c("facts", "threads", "pid"))])
  run <- paste(pool$run, pool$begun, sep = "-")
  if (first) pool$prepassed[[prepass_key(pool$frames[["shot"]][at], slot)]] <- "under way"
  else frame_event(pool, "rendering", at, name, detail = run)
  pool$frames$state[at] <- "out"
  task <- ask_node(slot$node, host_frame, list(trial, bench, pool$frames[["to"]][at], run),
                   pool$job$limit_s[[slot$site]] + pool$job$grace_s)
  set_slot(pool, name, state = if (first) "preparing" else "rendering", task = task, at = at)
}

# Report of a slot about its pre-pass: the frame it was for waits, and all others of its shot may
# start.
take_prepass <- function(pool, name, said) {
  slot <- pool$slots[[name]]
  key <- prepass_key(pool$frames[["shot"]][slot$at], slot)
  pool$prepassed[[key]] <- NULL
  if (length(said$value$wait)) {
    pool$frames$state[slot$at] <- "waiting"
    return(set_slot(pool, name, state = "idle", again = pool$clock() + 30))
  }
  rows <- said$value$rows
  keep_rows(pool, slot, rows)
  last <- if (length(rows)) rows[[length(rows)]]
  if (length(said$error) || length(last) && !identical(last$status, "ok")) {
    return(requeue_frame(pool, name, or_else(last$note, said$error)))
  }
  pool$prepassed[[key]] <- "done"
  pool_event(pool, "prepassed", place = slot$site, node = name,
             shot = pool$frames[["shot"]][slot$at], detail = key)
  pool$frames$state[slot$at] <- "waiting"
  set_slot(pool, name, state = "idle", tries = 0, bad = 0)
}

# Report of a slot about its frame.
take_message <- function(pool, name, said) {
  slot <- pool$slots[[name]]
  if (length(said$value$wait)) {
    frame_event(pool, "lost", slot$at, name, detail = said$value$wait)
    pool$frames$state[slot$at] <- "waiting"
    return(set_slot(pool, name, state = "idle", again = pool$clock() + 30))
  }
  rows <- said$value$rows
  keep_rows(pool, slot, rows)
  last <- if (length(rows)) rows[[length(rows)]]
  if (!identical(last$status, "ok"))
    return(requeue_frame(pool, name, or_else(last$note, said$error)))
  pool <- set_slot(pool, name, seconds = last$wall_s, tries = 0, bad = 0, worked = pool$clock(),
                   fresh = FALSE)
  pool$slowest[[slot$site]] <- max(pool$slowest[[slot$site]], last$wall_s)
  if (!slot$travels) return(accept_frame(pool, name))
  set_slot(bring_part(pool, name, 0), name, state = "bringing", from = 0)
}

# The timings of a job's frames are evidence of its site.
keep_rows <- function(pool, slot, rows) {
  for (row in rows) {
    row[c("run_order", "plan_id")] <- NULL
    row <- c(row, list(job = pool$job$name, site = slot$site))
    add_timings(pool$ledger, as_table(row))
  }
}

accept_frame <- function(pool, name) {
  slot <- pool$slots[[name]]
  frame_event(pool, "arrived", slot$at, name, seconds = slot$seconds)
  pool$frames$state[slot$at] <- "done"
  join_whole(set_slot(pool, name, state = "idle", again = 0), slot$at)
}

requeue_frame <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  frame_event(pool, "failed", slot$at, name, detail = first_line(why))
  pool$frames$failures[slot$at] <- pool$frames$failures[slot$at] + 1L
  pool$frames$last[slot$at] <- name
  over <- pool$frames$failures[slot$at] > pool$job$retries[[slot$site]]
  pool$frames$state[slot$at] <- if (over) "failed" else "waiting"
  # A slot on which one frame after another fails has a problem itself: each failure adds a pause.
  bad <- or_else(slot$bad, 0) + 1
  set_slot(pool, name, state = "idle", bad = bad,
           again = if (bad < 3) 0 else pool$clock() + min(600, pool$job$again_s * 2^(bad - 3)))
}

# A picture is fetched in parts under a temporary name, and gets its name when its SHA-256 matches.
bring_part <- function(pool, name, from) {
  slot <- pool$slots[[name]]
  task <- ask_node(slot$node, read_host_part,
                   list(slot$node$folder, pool$frames[["to"]][slot$at], from), 600)
  set_slot(pool, name, task = task)
}

# Bring the next part of a finished frame home from a node that shares no folder.
bring_more <- function(pool, name, said) {
  slot <- pool$slots[[name]]
  got <- said$value
  if (is.null(got))
    return(requeue_frame(pool, name, paste("it could not be brought home:", said$error)))
  if (slot$from == 0) slot$sha256 <- got$sha256
  to <- pool$frames[["to"]][slot$at]
  path <- file.path(pool$job$root, to)
  dir.create(dirname(path), FALSE, TRUE)
  whole <- tryCatch(write_part(path, slot$from, got$bytes, got$size, slot$sha256),
                    error = function(e) NA,
                    warning = function(w) NA)
  from <- slot$from + length(got$bytes)
  if (isTRUE(whole)) {
    wait_for(ask_node(slot$node, host_remove, list(slot$node$folder, to), 60))
    return(accept_frame(pool, name))
  }
  if (is.na(whole) || from >= got$size)
    return(requeue_frame(pool, name, "it did not come home whole"))
  bring_part(set_slot(pool, name, from = from, sha256 = slot$sha256), name, from)
}

# The reason why a scheduler's machine is gone is often known only a few seconds later.
cut_slot <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  if (!is_scheduled(slot$node)) return(lose_slot(pool, name, why))
  set_slot(pool, name, state = "cut", was = slot$state, cut_at = pool$clock(), why = why)
}

learn_why <- function(pool, name) {
  slot <- pool$slots[[name]]
  now <- pool$clock()
  stands <- node_queue(slot$node)
  if (or_else(stands$state, "ended") %in% c("runs", "ends") && now - slot$cut_at < 5) {
    return(set_slot(pool, name, again = now + 0.3))
  }
  lose_slot(set_slot(pool, name, state = slot$was), name, slot$why)
}

# A node that vanished, or is silent long after its frame should have finished: stop its leftovers
# here, requeue its frame, and try the node later.
lose_slot <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  taken <- taken_by_scheduler(slot)
  if (length(taken)) why <- taken
  close_slot(pool, slot, name)
  # A frame that started on a fresh machine and did not finish within its whole wall time will not
  # finish there.
  if (identical(taken, end_reasons[["TIMEOUT"]]) && !isFALSE(slot$fresh) &&
        slot$state %in% c("preparing", "rendering")) {
    if (slot$state == "preparing")
      pool$prepassed[[prepass_key(pool$frames[["shot"]][slot$at], slot)]] <- NULL
    pool_event(pool, "node gone", place = slot$site, node = name, detail = why)
    pool <- requeue_frame(pool, name, "it takes longer than the wall time that the scheduler gives")
    return(set_slot(pool, name, state = "closed"))
  }
  if (slot$state %in% running_frame) {
    pool <- cut_frame(pool, name, why)
    pool$frames$last[slot$at] <- name
  }
  if (is.null(taken)) return(retry_slot_later(pool, name, why))
  pool_event(pool, "node gone", place = slot$site, node = name, detail = why)
  set_slot(pool, name, state = "closed", again = pool$clock())
}

# A frame whose slot tells no more of it: its picture may have got its name before.
cut_frame <- function(pool, name, why) {
  slot <- pool$slots[[name]]
  there <- file.exists(file.path(pool$job$root, pool$frames[["to"]][slot$at]))
  if (slot$state == "preparing")
    pool$prepassed[[prepass_key(pool$frames[["shot"]][slot$at], slot)]] <- NULL
  else frame_event(pool, if (there) "arrived" else "lost", slot$at, name, detail = why)
  pool$frames$state[slot$at] <- if (there) "done" else "waiting"
  if (there) join_whole(pool, slot$at) else pool
}

close_slot <- function(pool, slot, name) {
  local <- is.null(slot$node$launch) || slot$node$launch$by == "local"
  close_node(slot$node)
  if (!local) return(invisible())
  # A working slot and its processes must be stopped.
  handle <- if (length(slot$host$pid))
    tryCatch(ps::ps_handle(as.integer(slot$host$pid)), error = function(e) NULL)
  if (length(handle) && slot$state != "idle")
    tryCatch(ps::ps_kill(handle), error = function(e) NULL)
  kill_marked(function(x) x == paste(pool$job$id, pool$run, name, sep = "/"))
  invisible()
}

close_slots <- function(pool) {
  for (name in names(pool$slots)) {
    slot <- pool$slots[[name]]
    if (!slot$state %in% c("closed", "lost")) close_slot(pool, slot, name)
  }
}

# Stopping a job kills its running frames and keeps the finished ones.
end_all <- function(pool) {
  for (name in names(pool$slots)) {
    slot <- pool$slots[[name]]
    if (slot$state %in% c("closed", "lost")) next
    close_slot(pool, slot, name)
    was <- if (slot$state == "cut") slot$was else slot$state
    if (was %in% running_frame) pool <- cut_frame(pool, name, "the job was stopped")
    pool <- set_slot(pool, name, state = "closed")
  }
  pool
}
