# Slots on a scheduler's machines: asked for, waited for, timed, and given back.

# Asks for a machine for a slot; why not, as a text, where the scheduler refuses.
ask_for_machine <- function(pool, name) {
  slot <- pool$slots[[name]]
  refused <- tryCatch({
    begin_node(slot$node)
    NULL
  }, clockpigeon_error_node = function(e) e$what)
  if (length(refused)) return(refused)
  now <- pool$clock()
  pool_event(pool, "queued", place = slot$site,
             detail = paste0(slot$node$node, ", job ", in_queue_id(slot$node)))
  set_slot(pool, name, state = "queued", again = now + 0.1, asked = now, fresh = TRUE,
           machine_name = name, ends = Inf, stands = NULL)
}

# A slot that waits in the queue: its job may have ended there, or no frame may be left for it.
check_queued_slot <- function(pool, name) {
  slot <- pool$slots[[name]]
  if (identical(slot$stands$state, "ended")) return(retry_slot_later(pool, name, slot$stands$why))
  if (!any(for_slot(pool, slot)) && !any(pool$frames[["state"]] == "out")) {
    close_node(slot$node)
    return(set_slot(pool, name, state = "closed"))
  }
  set_slot(pool, name, again = pool$clock() + 0.1)
}

# A machine has answered: what it is called, until when it is ours, and how long it was waited for.
# The wait of the first of a site's slots is the queue's, that of the others how much later they
# start.
machine_given <- function(pool, name) {
  slot <- pool$slots[[name]]
  now <- pool$clock()
  given <- slot$host$given
  called <- or_else(given$name, slot$node$node)
  taken <- vapply(pool$slots[setdiff(names(pool$slots), name)], function(s) {
    if (s$state %in% c("closed", "lost")) "" else or_else(s$machine_name, "")
  }, "")
  k <- 1
  while (paste0(called, if (k > 1) paste0("/", k)) %in% taken) k <- k + 1
  stands <- or_else(node_queue(slot$node), list())
  pool <- set_slot(pool, name, machine_name = paste0(called, if (k > 1) paste0("/", k)),
                   stands = stands, ends = now + or_else(stands$left_s, Inf))
  with_it <- Filter(function(s) isTRUE(s$site == slot$site && abs(s$asked - slot$asked) < 60),
                    pool$slots)
  first <- or_else(pool$first_given[[slot$site]], -Inf)
  is_first <- first < slot$asked
  if (is_first) pool$first_given[[slot$site]] <- now
  add_timings(pool$ledger, data.frame(
    activity = if (is_first) "wait" else "start", status = "ok", kind = "measured",
    precision = "exact", measured_at = utc_now(as.POSIXct(slot$asked, origin = "1970-01-01")),
    site = slot$site, node = slot$node$node,
    wall_s = max(0.1, if (is_first) now - slot$asked else now - first), job = pool$job$name,
    conditions = to_json(list(host = called, nodes = length(with_it)))
  ))
  pool
}

# Looks now and then at how the jobs of all slots stand, with one question for each scheduler.
look_at_slots <- function(pool) {
  now <- pool$clock()
  if (now - or_else(pool$looked_at, -Inf) < max(1, 2.5 * pool$job$again_s)) return(pool)
  pool$looked_at <- now
  mine <- Filter(function(slot) is_scheduled(slot$node) && !slot$state %in% c("closed", "lost"),
                 pool$slots)
  jobs <- lapply(mine, function(slot) in_queue[[node_profile(slot$node)]])
  jobs <- Filter(length, jobs)
  by <- split(names(jobs), vapply(jobs, `[[`, "", "command"))
  for (command in names(by)) {
    states <- queue_states(vapply(jobs[by[[command]]], `[[`, "", "id"), command)
    if (is.null(states)) next
    for (k in seq_along(by[[command]]))
      pool <- set_slot(pool, by[[command]][k], stands = as.list(states[k, ]))
  }
  pool
}

# Has this slot lost its machine? The scheduler says so, or an idle node stopped answering.
lost_machine <- function(slot) {
  if (!is_scheduled(slot$node)) return(FALSE)
  length(slot$stands) > 0 && !identical(slot$stands$state, "runs") ||
    slot$state == "idle" && !node_answers(slot$node)
}

# Why the scheduler took a slot's machine; NULL where it did not, or is not known to have.
taken_by_scheduler <- function(slot) {
  if (!is_scheduled(slot$node)) return(NULL)
  stands <- node_queue(slot$node)
  if (length(stands) && stands$state != "runs" && is_node_lost(stands$why)) stands$why
}

# Keep an idle slot's machine? Yes while it may get a frame and has time for one. A slot without a
# frame for a while is returned to the scheduler.
is_worth_keeping <- function(pool, slot) {
  now <- pool$clock()
  state <- pool$frames[["state"]]
  waits <- any(state == "waiting" & pool$frames[["site"]] == slot$site)
  if (!waits) return(now - slot$worked < 10 * pool$job$again_s && any(state == "out"))
  needs <- or_else(pool$slowest[[slot$site]], pool$job$limit_s[[slot$site]] / 3)
  !isFALSE(slot$fresh) || now + 1.2 * needs < slot$ends
}

in_queue_id <- function(node) or_else(in_queue[[node_profile(node)]]$id, "unknown")
