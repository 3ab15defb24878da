# The decision on a job, and its question put again to the project as it is now.

# The record of a job's decision; an error for a job without a plan.
job_plan_record <- function(ledger, job) {
  decision <- job_decision(ledger, job)
  if (is.null(decision$plan)) {
    stop_input("job", paste0("job ", job, " has no plan: it was not decided here"), argument("job"),
               "Decide with clockpigeon choose --record NAME.")
  }
  decision
}

# Question of a decision, put to the project as it is now: shots, engine, finished frames;
# `question()` gives deadline and budget from a moment on.
replan_job <- function(decision, project) {
  done <- vapply(decision$asked$shots, function(asked) {
    shot <- project_entry(project$shots, asked$shot, "shot")
    if (asked$limit != format_limit(shot$limit)) {
      stop_input("job", paste0("was decided at ", asked$limit, ", and shot ", asked$shot, " has ",
                               format_limit(shot$limit)), "the decision",
                 "Give the shot that limit, or decide again.")
    }
    left <- setdiff(shot$frames, parse_frames(asked$frames, "the decision, frames"))
    if (length(left)) paste(asked$shot, format_frames(left)) else ""
  }, "")
  names <- vapply(decision$asked$shots, `[[`, "", "shot")
  # Shots that were done when it was decided are in no question.
  done <- done[nzchar(done)]
  engine <- decision$evidence$engine
  version <- decision$evidence$version
  question <- function(now) {
    deadline <- decision$asked$deadline
    list(deadline_s = if (length(deadline)) as.numeric(as_utc(deadline)) - as.numeric(now) else Inf,
         budget = budget_amount(decision$asked$budget, project[c("currency", "rates")]),
         confidence = decision$asked$confidence, together = grepl("together", decision$asked$of))
  }
  list(shots = lapply(names, project_entry, entries = project$shots, what = "shot"),
       engine = if (length(version)) stats::setNames(version, engine) else engine,
       done = if (length(done)) paste(done, collapse = "; "), question = question,
       spreads = unlist(decision$asked$spreads),
       corrections = decision_corrections(decision), draws = decision$made_with$draws,
       seed = decision$made_with$seed)
}

# The job, on the ledger's present evidence; `but`: a job whose frames it is compared with, and
# which is excluded. Corrections from past jobs are those of the decision.
decision_corrections <- function(decision) {
  rows <- lapply(decision$corrections, function(row) {
    as.data.frame(lapply(stats::setNames(nm = correction_columns),
                         function(name) or_else(row[[name]], NA)))
  })
  if (length(rows)) as_frame(bind_tables(rows))
}

asked_job <- function(ledger, asked, project, but = NULL, until = NULL) {
  rows <- timings_near(ledger, vapply(asked$shots, `[[`, "", "scene"))
  # Later measurements were not known at the time.
  if (length(until)) {
    known <- is.na(rows[["measured_at"]]) | rows[["measured_at"]] <= until
    if (any(known)) rows <- rows[known, , drop = FALSE]
  }
  rows <- rows[!rows[["job"]] %in% but, , drop = FALSE]
  render_job(asked$shots, asked$engine, rows, project$currency, project$rates, project$time_zone,
             done = asked$done)
}

as_utc <- function(text)
  parse_deadline(text, as.POSIXct(0, origin = "1970-01-01"), NULL, "the decision")
