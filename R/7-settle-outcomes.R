# Outcome of a job at a site, kept with its forecast: the evidence for correcting later forecasts.

# One row for each outcome of a job at a site: its cost (`cost`), the arrival of its last frame
# (`finish_s`, from the placing), its speed (`speed`: seconds of the middle frame relative to the
# forecast), the wait until it started (`wait_s`), the start of nodes (`start_s`), the upload
# (`upload_s`), the share of runs that failed (`failed`), and the remaining time at three moments of
# its run (`left_25`, `left_50`, `left_75`: per cent of its time had passed). The quantiles are
# those of the forecast before any correction; for the remaining time, those of `watch`. NULL while
# frames are still to come, and if the ledger has them already.
settled_outcomes <- function(ledger, job, site, promise, meter, priced, lines, watched, project) {
  came <- watched$came[promise$columns]
  # A frame that failed for good is an end too; one that is still to come, or was stopped, is none.
  told <- watched$frames
  state <- told[["state"]][match(row_key(promise$frames, c("shot", "frame")),
                                 row_key(told, c("shot", "frame")))]
  if (!any(is.finite(came)) || any(!is.finite(came) & !state %in% "failed")) return(NULL)
  known <- job_outcomes(ledger)
  if (any(tolower(known[["job"]]) == tolower(job) & known[["site"]] == site)) return(NULL)
  came <- first_attempts(ledger, job, promise, watched)
  came <- came[is.finite(came)]
  d <- as_is_draws(promise, watched$begun, job_decision(ledger, job)$plan)
  card <- project$sites[[site]]
  rate <- or_else(rate_to(card, project$currency, project$rates)$rate, NA_real_)
  # Prepaid money counts as paid; gifts do not.
  ahead <- vapply(Filter(function(b) b$kind == "prepaid", card$balances), `[[`, "", "balance")
  credit <- sum(lines[["amount"]][lines[["kind"]] == "credit" & lines[["item"]] %in% ahead])
  slower <- exp(-d[["log_speed"]])
  rows <- list(
    outcome_row("cost", rate * round(sum(lines[["amount"]]) - credit, 6), length(came),
                d[["cost"]]),
    outcome_row("finish_s", max(came), length(came), d[["finish_s"]]),
    if (meter$whole) outcome_row("speed", priced$ratio, priced$runs, slower / mean(slower)),
    if (meter$whole)
    outcome_row("failed", meter$runs[["failed"]] / meter$runs[["all"]], meter$runs[["all"]],
                or_else(card$troubles$fails, 0) / 100)
  )
  rows <- c(rows, stage_outcomes(meter$moments, d, ledger, job, site, watched),
            left_outcomes(ledger, job, watched, came))
  rows <- as_frame(bind_tables(rows))
  data.frame(made_at = utc_now(watched$placed + watched$passed_s), site = site,
             tier = as.character(promise$part$tier),
             evidence = as.character(promise$part$evidence), rows,
             key = paste(site, rows[["what"]]))
}

# Waiting, starting and sending, if the end of each was reported. The start is that of the first
# node.
stage_outcomes <- function(moments, d, ledger, job, site, watched) {
  begun <- is.finite(moments$begun)
  sent <- sent_bytes(ledger, job, site)
  size <- sum(vapply(watched$state$job$shots, `[[`, 0, "upload"))
  list(
    if (begun && is.finite(moments$sent))
    outcome_row("wait_s", moments$begun - moments$sent, 1, d[["wait_s"]]),
    if (begun && length(moments$up)) {
      outcome_row("start_s", min(unlist(moments$up)) - moments$begun, length(moments$up),
                  d[["start_s"]])
    },
    # By its bytes a second: what was there before was not sent again.
    if (sent$bytes >= min_upload_bytes && sent$seconds > 0)
    outcome_row("upload_s", size * sent$seconds / sent$bytes, 1, d[["upload_s"]])
  )
}

# Smaller uploads measure the round trip and not the link.
min_upload_bytes <- 5e6

sent_bytes <- function(ledger, job, site) {
  events <- as_frame(job_events(ledger, job))
  events <- events[events[["what"]] == "uploaded" & events[["place"]] %in% site, , drop = FALSE]
  list(bytes = sum(events[["amount"]]), seconds = sum(events[["seconds"]]))
}

# Remaining time as watch_job() estimated it after a quarter, half and three quarters of the time,
# from the reports up to then; for jobs whose frames were all at one site.
left_outcomes <- function(ledger, job, watched, came, at = c(0.25, 0.5, 0.75)) {
  if (length(watched$going$used) > 1 || length(watched$begun$parts$used) > 1) return(NULL)
  decision <- job_decision(ledger, job)
  files <- placed_files(watched$begun, placed_of(ledger, job, decision)$folders)
  events <- as_frame(job_events(ledger, job))
  # If the site reports when a frame is ready, its arrival here is by another clock.
  if (any(events[["what"]] == "ready")) {
    events <- events[events[["what"]] != "arrived", , drop = FALSE]
    files <- files[0, , drop = FALSE]
  }
  time <- column_moments(events[["time"]], "time", "UTC", "the ledger") - as.numeric(watched$placed)
  lapply(at, function(share) {
    now <- share * max(came)
    # Frames refused later counted at that time.
    told <- without_refused(as_table(events[time <= now, , drop = FALSE]))
    x <- watch_frames(decision$plan, watched$begun, files, watched$placed + now, told)
    outcome_row(paste0("left_", 100 * share), max(came) - now, sum(x$came <= now),
                x$draws[["finish_s"]] - now)
  })
}

# First moment at which each frame of a part was ready, in seconds from the placing: frames refused
# and rendered again later are no evidence of the site's pace.
first_attempts <- function(ledger, job, promise, watched) {
  events <- as_frame(job_events(ledger, job))
  events <- events[events[["what"]] %in% c("ready", "arrived"), , drop = FALSE]
  time <- column_moments(events[["time"]], "time", "UTC", "the ledger") - as.numeric(watched$placed)
  first <- tapply(time, row_key(events, c("shot", "frame")), min)
  told <- as.vector(first[row_key(promise$frames, c("shot", "frame"))])
  if (is.null(told)) told <- rep(NA_real_, nrow(promise$frames))
  ifelse(is.na(told), watched$came[promise$columns], told)
}

# A part's draws as they were forecast before past jobs corrected them.
as_is_draws <- function(promise, begun, plan) {
  state <- begun$state
  if (!NROW(state$scenario$corrections)) return(promise$draws)
  state$scenario$corrections <- NULL
  plain <- simulated_parts(plan, state$scenario, state$asked, nrow(state$seconds), state$seed)
  of <- match(promise$part$option, as_frame(state$options)[["option"]][plain$parts$used])
  # A rescue is reported with its own forecast.
  if (is.na(of)) promise$draws else plain$parts$draws[[of]]
}

outcome_row <- function(what, actual, count, draws) {
  points <- quantile_of(draws, forecast_probs)
  points[!is.finite(points)] <- NA
  data.frame(what = what, actual = as.numeric(actual), count = as.numeric(count),
             as.list(stats::setNames(points, forecast_points())))
}
