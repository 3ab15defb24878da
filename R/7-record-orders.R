# Orders to a running job: pause, resume, stop.

# Writes down `what` (`paused`, `resumed`, `stopped`) as said by `source`, and tells the sites of
# it. Returns `says`, what follows the job's name, and `trouble` where a site does not know it yet.
order_job <- function(project, ledger, job, what, source = "command") {
  said <- job_orders(ledger, job)
  if ("stopped" %in% said) {
    stop_input("job", paste0("job ", job, " was stopped"), "argument JOB",
               "Decide about the rest: clockpigeon choose --done.")
  }
  if (what == utils::tail(c("resumed", said), 1)) {
    return(list(says = paste(" is", if (what == "paused") "paused already" else "not paused")))
  }
  add_events(ledger, job,
             data.frame(what = what, source = source, detail = paste("by", user_name())))
  says <- paste0(": ", what)
  if (!length(remote_jobs(ledger, job))) return(list(says = says))
  rows <- as_frame(fetch_job(project, ledger, job, 0))
  # Sites that answered have the order; the others do not know it yet.
  lost <- rows[!is.na(rows[["trouble"]]) & is.na(rows[["state"]]), , drop = FALSE]
  if (nrow(lost))
    says <- paste0(": ", what, " here, and not at ", toString(unique(lost[["site"]])), " yet")
  list(says = says, trouble = if (nrow(lost)) {
    paste0(lost[["site"]][1], " ", lost[["trouble"]][1],
           ". The order is kept, and passed on at the next fetch or watch.")
  })
}

# Do sites report on a job themselves, by their addresses or by their exports?
has_reporting_site <- function(project, ledger, job) {
  length(remote_jobs(ledger, job)) > 0 || length(report_sites(project, ledger, job)) > 0
}
