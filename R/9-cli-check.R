# The command `check`.

cli_check <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "manifests", "rates"))
  described <- intersect(names(project$shots), names(project$manifests))
  shots <- if (length(args)) list(project_entry(project$shots, args[1], "shot"))
           else project$shots[if (length(described)) described else names(project$shots)]
  site <- if (length(o$site)) project_entry(project$sites, o$site, "site")
  kept <- has_ledger(project$ledger)
  scenes <- vapply(shots, `[[`, "", "scene")
  rows <- if (kept) cli_ledger(project, code = function(ledger) timings_near(ledger, scenes))
  used <- if (kept) cli_ledger(project, code = function(ledger) jobs(ledger)[["name"]])
  found <- bind_tables(lapply(shots, function(shot) {
    frame_bytes <- first_of(if (length(rows)) measured_frame_bytes(rows, shot), shot$frame_size)
    check_shot(shot, site, project$manifests[[shot$shot]], project$root, used,
               project$manifests[setdiff(names(project$manifests), shot$shot)],
               frame_bytes = frame_bytes,
               against = o$against)
  }))
  class(found) <- c("cp_check", class(found))
  fit <- cli_fit(project, shots, o$engine, site, rows)
  cli_emit(found, o$format,
           function() c(check_lines(found, fit = fit), if (length(fit)) c("", eligibility_lines(fit)[-1])))
  blocked <- any(found[["weight"]] == "blocks") || length(site) && length(fit) &&
    summary.cp_eligibility(fit)[["answer"]][1] != "fits"
  if (blocked) 3L else 0L
}

# Which sites the shots fit, where the ledger has evidence of them.
cli_fit <- function(project, shots, engine, site, rows) {
  engine <- first_of(engine, project$defaults$engine)
  if (is.null(rows) || !length(project$sites) || is.null(engine)) return(NULL)
  job <- tryCatch(render_job(shots, engine, rows, currency = project$currency,
                             rates = project$rates),
                  clockpigeon_error_evidence = function(e) {
                    cli_note("Which sites fit is not known: ", conditionMessage(e))
                    NULL
                  })
  if (length(job)) eligible(job, if (length(site)) site else project$sites)
}
