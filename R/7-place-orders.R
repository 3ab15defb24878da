# Orders and progress of a job on the own pool.

# States of a slot that has a frame.
running_frame <- c("preparing", "rendering", "bringing")

# Poll for pause, resume and stop orders twice a second.
poll_orders <- function(pool) {
  now <- pool$clock()
  if (now - pool$heeded < 0.5) return(pool)
  pool$heeded <- now
  said <- job_orders(pool$ledger, pool$job$name)
  pool$paused <- identical(utils::tail(said[said %in% c("paused", "resumed")], 1), "paused")
  pool$stopped <- "stopped" %in% said
  pool <- look_now(pool, now)
  pool
}

# At the plan's checkpoint: with too few frames finished, hand the frames not started to the second
# site.
look_now <- function(pool, now) {
  look <- pool$job$look
  if (is.null(look) || now < look$at || isTRUE(pool$looked)) return(pool)
  pool$looked <- TRUE
  whole <- whole_frames(pool$frames)
  # A look that was taken before stands, however the frames stand now.
  before <- job_events(pool$ledger, pool$job$name)
  before <- before[before[["what"]] == "looked", , drop = FALSE]
  send <- if (nrow(before)) before[["detail"]][1] == "send" else
    sum(whole[["state"]] == "done") < look$fewer
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

# Report the number of finished frames on standard error from time to time.
tell_progress_of <- function(pool) {
  now <- pool$clock()
  if (!pool$progress || now - pool$said < 5) return(pool)
  pool$said <- now
  state <- whole_frames(pool$frames)[["state"]]
  up <- sum(vapply(pool$slots, `[[`, "", "state") %in% c("idle", "cut", running_frame))
  queued <- sum(vapply(pool$slots, `[[`, "", "state") == "queued")
  cat(sum(state == "done"), " of ", length(state), " frames, ", up, " of ", length(pool$slots),
      " slots at work", if (queued) paste0(", ", queued, " in the queue"),
      if (any(state == "failed")) paste0(", ", sum(state == "failed"), " failed"),
      if (pool$paused) ", paused", "\n", sep = "", file = stderr())
  pool
}
