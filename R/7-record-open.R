# Running jobs and their shots, without repeating their forecasts.

# Placed jobs with frames still to come by `now`. Of years of jobs most are done, which their events
# and folders show at once. A job that cannot be checked counts as open: watching it reports the
# reason.
open_jobs <- function(ledger, now = this_moment()) {
  Filter(function(job)
         !tryCatch(is_job_complete(ledger, job, now), clockpigeon_error = function(e) FALSE),
         placed_jobs(ledger))
}

# Are all frames of a job received, as watch_job() counts them: by its events, and by the files in
# its folders?
is_job_complete <- function(ledger, job, now = this_moment()) {
  decision <- job_plan_record(ledger, job)
  wanted <- frame_keys(decided_frames(decision))
  placed <- placed_of(ledger, job, decision)
  passed <- as.numeric(now) - as.numeric(placed$moment)
  told <- seconds_since_placing(without_refused(job_events(ledger, job)), placed$moment)
  told <- told[told[["time"]] <= passed, , drop = FALSE]
  # That a band is there is not yet the frame.
  came <- told[["what"]] %in% "arrived" & is.na(or_else(told[["piece"]], NA))
  left <- setdiff(wanted, frame_keys(told[came, c("shot", "frame"), drop = FALSE]))
  if (!length(left)) return(TRUE)
  files <- lapply(unique(unlist(placed$folders)), folder_frames,
                  unique(decided_frames(decision)[["shot"]]))
  files <- do.call(rbind, files)
  since <- files[["time"]] - as.numeric(placed$moment)
  fresh <- since > clock_slack_s & since <= passed
  !length(setdiff(left, frame_keys(files[fresh, , drop = FALSE])))
}

# The frames of a decision, a row each: `shot`, `frame`.
decided_frames <- function(decision) {
  do.call(rbind, lapply(decision$asked$shots, function(asked) {
    data.frame(shot = asked$shot, frame = parse_frames(asked$frames, "the decision, frames"))
  }))
}

frame_keys <- function(rows) row_key(rows, c("shot", "frame"))

# The placed job, the last one, that renders all frames of some shots at their limits; NULL for
# none.
placed_for <- function(ledger, shots) {
  limits <- vapply(shots, function(shot) format_limit(shot$limit), "")
  names(limits) <- vapply(shots, `[[`, "", "shot")
  wanted <- do.call(rbind, lapply(unname(shots), function(shot) {
    data.frame(shot = shot$shot, frame = shot$frames)
  }))
  for (job in rev(placed_jobs(ledger))) {
    decision <- job_decision(ledger, job)
    if (is.null(decision$plan)) next
    same <- vapply(decision$asked$shots,
                   function(asked) identical(asked$limit, unname(limits[asked$shot])), NA)
    decision$asked$shots <- decision$asked$shots[same]
    if (any(same) && !length(setdiff(frame_keys(wanted), frame_keys(decided_frames(decision)))))
      return(job)
  }
}

# Moment at which a job was placed, and the folders of its frames, by site: the last record of each.
# Without a record, the moment of the decision.
placed_of <- function(ledger, job, decision) {
  events <- as_frame(job_events(ledger, job))
  told <- events[events[["what"]] == "placed" & !is.na(events[["detail"]]), , drop = FALSE]
  told <- told[!duplicated(told[["place"]], fromLast = TRUE), , drop = FALSE]
  moment <- if (nrow(told)) utils::tail(told[["time"]], 1) else decision$made_at
  list(moment = as_utc(moment),
       folders = stats::setNames(as.list(told[["detail"]]), told[["place"]]))
}
