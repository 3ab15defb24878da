# The command `settle`: a job's bill against what was promised, metered and priced.

cli_settle <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "rates"))
  job <- if (length(args)) args[1] else cli_one_job(project)
  check_choice(o$list, "option --list", c("steps", "findings", "lines"))
  if (length(o$forget)) return(cli_forget_bill(project, job, o$forget))
  x <- cli_ledger(project, FALSE, function(ledger) settle_job(project, ledger, job, o$bill, o$site))
  if (length(o$dispute)) {
    files <- write_dispute(x, o$dispute)
    cli_note("Written for the site: ", paste(files, collapse = " and "))
  }
  if (length(o$export)) {
    lines <- standard_export(x, project)
    write_whole(o$export, function(part) write_csv(lines, part))
    cli_note("Written in the columns of the FinOps Open Cost and Usage Specification ",
             standard_version, ": ",
             o$export)
  }
  cli_figure(x, o$figure)
  cli_emit(x[[o$list]], o$format, function() settle_lines(x, o$all))
  if (x$too_much > 0) 3L else 0L
}

# Withdraw a bill that should not count.
cli_forget_bill <- function(project, job, bill) {
  n <- cli_ledger(project, FALSE, function(ledger) forget_bill(ledger, job, bill))
  show_lines(paste0(n, if (n == 1) " line of " else " lines of ", basename(bill),
                    if (n == 1) " no longer counts."
                    else " no longer count.", " clockpigeon settle ", job, " --bill ", bill,
                    " reads it again."))
  0L
}

standard_export <- function(x, project) {
  moment <- function(at) format(at, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
  source <- x$lines[["source"]]
  as_standard_lines(as_frame(x$lines), project$sites[[x$site]],
                    ifelse(startsWith(source, "line "), x$job, source),
                    c(moment(x$watched$placed), moment(x$watched$placed + x$watched$passed_s)))
}
