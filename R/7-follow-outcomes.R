# What became of a job at a site, kept beside what was forecast of it: from this later forecasts are corrected.

# Writes it down once for each job and site: what it cost (`cost`), when the last frame came (`finish_s`, from the
# placing), how fast it was (`speed`: seconds of the middle frame beside those expected), waiting until it began
# (`wait_s`), the start of nodes (`start_s`) and the share of runs that failed (`failed`). The quantiles are those of
# the forecast as it was before any correction.
keep_outcomes <- function(ledger, job, site, promise, meter, priced, lines, watched, project) {
  came <- watched$came[promise$columns]
  # A frame that failed for good is an end too; one that is still to come, or was stopped, is none.
  told <- watched$frames
  state <- told[["state"]][match(row_key(promise$frames, c("shot", "frame")), row_key(told, c("shot", "frame")))]
  if (!any(is.finite(came)) || any(!is.finite(came) & !state %in% "failed")) return(invisible(0L))
  came <- first_came(ledger, job, promise, watched)
  came <- came[is.finite(came)]
  d <- as_is_draws(promise, watched$state$scenario$corrections)
  card <- project$sites[[site]]
  rate <- or_else(rate_to(card, project$currency, project$rates)$rate, NA_real_)
  # What was paid ahead is paid; what was given is not.
  ahead <- vapply(Filter(function(b) b$kind == "prepaid", card$balances), `[[`, "", "balance")
  credit <- sum(lines[["amount"]][lines[["kind"]] == "credit" & lines[["item"]] %in% ahead])
  moments <- meter$moments
  slower <- exp(-d[["log_speed"]])
  rows <- list(
    outcome_row("cost", rate * round(sum(lines[["amount"]]) - credit, 6), length(came), d[["cost"]]),
    outcome_row("finish_s", max(came), length(came), d[["finish_s"]]),
    if (meter$whole) outcome_row("speed", priced$ratio, priced$runs, slower / mean(slower)),
    if (is.finite(moments$begun) && is.finite(moments$sent)) {
      outcome_row("wait_s", moments$begun - moments$sent, 1, d[["wait_s"]])
    },
    if (length(moments$up) && is.finite(moments$begun)) {
      outcome_row("start_s", min(unlist(moments$up)) - moments$begun, length(moments$up), d[["start_s"]])
    },
    if (meter$whole) outcome_row("failed", meter$runs[["failed"]] / meter$runs[["all"]], meter$runs[["all"]], NULL)
  )
  rows <- as_frame(bind_tables(rows))
  rows <- data.frame(made_at = utc_now(watched$placed + watched$passed_s), site = site,
                     tier = as.character(promise$part$tier), evidence = as.character(promise$part$evidence), rows,
                     key = paste(site, rows[["what"]]))
  invisible(add_outcomes(ledger, job, rows))
}

# When each frame of a part was ready for the first time, in seconds from the placing: what was refused and rendered
# again later says nothing of the site's pace.
first_came <- function(ledger, job, promise, watched) {
  events <- as_frame(job_events(ledger, job))
  events <- events[events[["what"]] %in% c("ready", "arrived"), , drop = FALSE]
  time <- column_moments(events[["time"]], "time", "UTC", "the ledger") - as.numeric(watched$placed)
  first <- tapply(time, row_key(events, c("shot", "frame")), min)
  told <- as.vector(first[row_key(promise$frames, c("shot", "frame"))])
  if (is.null(told)) told <- rep(NA_real_, nrow(promise$frames))
  ifelse(is.na(told), watched$came[promise$columns], told)
}

# Finish and cost of a part's draws as they were forecast before past jobs corrected them.
as_is_draws <- function(promise, corrections) {
  d <- promise$draws
  for (what in c("finish_s", "cost")) {
    moved <- is.finite(d[[what]]) & d[[what]] > 0
    correction <- correction_of(corrections, promise$part, what)
    if (is.null(correction) || !any(moved)) next
    y <- log(d[[what]][moved])
    d[[what]][moved] <- exp(uncorrected(y, stats::median(y), correction))
  }
  d
}

outcome_row <- function(what, actual, count, draws) {
  points <- if (length(draws)) quantile_of(draws, forecast_probs) else rep(NA_real_, length(forecast_probs))
  points[!is.finite(points)] <- NA
  data.frame(what = what, actual = as.numeric(actual), count = as.numeric(count),
             as.list(stats::setNames(points, forecast_points())))
}
