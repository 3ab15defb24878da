# The pre-pass of a pool's job: a stage of its own, once for each shot and folder, before the frames
# that need it.

# What a pre-pass holds for: a shot, and the folder that a slot renders in.
prepass_key <- function(shot, slot)
  paste(shot, if (isTRUE(slot$travels)) slot$node$node else "here", sep = " at ")

# Of shots: whether a slot may render their frames (`done`, also where the engine has no pre-pass of
# shots), must run the pre-pass first (`needed`), or waits for another that does (`under way`).
prepass_state <- function(pool, slot, shots) {
  none <- !any(vapply(pool$job$engines, function(engine) identical(engine$prepass$each, "shot"),
                      NA))
  if (none) return(rep("done", length(shots)))
  vapply(shots, function(shot) or_else(pool$prepassed[[prepass_key(shot, slot)]], "needed"), "",
         USE.NAMES = FALSE)
}

# Pre-passes that an earlier run of the job ended.
finished_prepasses <- function(pool) {
  events <- job_events(pool$ledger, pool$job$name)
  done <- unique(events[["detail"]][events[["what"]] == "prepassed"])
  stats::setNames(rep(list("done"), length(done)), done)
}
