# The commands `fetch` and `delete`: what sites that answer by an address, or leave reports, have of
# a job.

cli_fetch <- function(o, args) {
  project <- read_project()
  cli_ledger(project, FALSE, function(ledger) {
    rows <- if (o$wait) wait_remote(project, ledger, args[1], progress = TRUE) else
      fetch_job(project, ledger, args[1])
    cli_emit(rows, o$format, function() fetch_lines(rows, args[1]))
    if (any(!is.na(rows[["trouble"]]))) 1L else 0L
  })
}

# Fetches until all that a job has at sites is ended and here; what cannot be asked for `patience`
# seconds ends it too.
wait_remote <- function(project, ledger, job, progress = FALSE, every = 1, patience = 600) {
  links <- new_links()
  on.exit(close_links(links))
  said <- -Inf
  heard <- steady_clock()
  repeat {
    rows <- as_frame(fetch_job(project, ledger, job, 30, links))
    now <- steady_clock()
    if (all(is.na(rows[["trouble"]]))) heard <- now
    if (all(rows[["state"]] %in% c("done", "stopped") & rows[["here"]] >= rows[["ready"]]))
      return(as_table(rows))
    if (now - heard > patience) return(as_table(rows))
    if (progress && now - said >= 5) {
      said <- now
      cli_note(paste0(rows[["site"]], ": ", rows[["here"]], " of ", rows[["frames"]],
                      " frames here",
                      ifelse(is.na(rows[["trouble"]]), "", paste0(" (", rows[["trouble"]], ")")),
                      collapse = "; "))
    }
    Sys.sleep(every)
  }
}

cli_delete <- function(o, args) {
  project <- read_project()
  cli_ledger(project, FALSE, function(ledger) {
    if (!o$yes) {
      cli_note("This deletes what job ", args[1],
               " has at its sites; what is here stays. To do it: ", "clockpigeon delete ", args[1],
               " --yes")
      return(3L)
    }
    ids <- delete_remote(project, ledger, args[1])
    cli_note("deleted there: ", toString(ids))
    0L
  })
}

# What has come at a job's sites is taken before it is looked at, for some seconds at most.
cli_take <- function(project, name, seconds, links) {
  if (cli_ledger(project, code = function(ledger) told_elsewhere(project, ledger, name))) {
    cli_ledger(project, FALSE, function(ledger) fetch_job(project, ledger, name, seconds, links))
  }
  invisible()
}
