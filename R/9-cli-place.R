# The commands `place`, `pause`, `resume` and `stop`.

cli_place <- function(o, args) {
  name <- args[1]
  limit <- if (length(o$frame_limit)) parse_duration(o$frame_limit, "option --frame-limit")
  project <- read_project()
  despite <- if (length(o$despite)) trimws(strsplit(o$despite, ",", fixed = TRUE)[[1]])
  for (code in despite) check_choice(code, "option --despite", finding_codes)
  cli_ledger(project, FALSE, function(ledger) {
    place <- plan_place(project, ledger, name)
    stops <- place$findings[["code"]][place$findings[["weight"]] == "stops"]
    goes <- all(stops %in% despite)
    run <- goes && (o$yes || cli_agreed(place, o))
    if (!run) {
      cli_emit(place$findings, o$format, function() place_lines(place, despite))
      if (goes && !o$yes) cli_note("Nothing was placed. To place it: clockpigeon place ", name, " --yes",
                                   if (length(despite)) paste0(" --despite ", o$despite))
      return(if (goes) 0L else 3L)
    }
    if (o$yes) cli_note(paste(place_lines(place, despite), collapse = "\n"), "\n")
    placed <- place_job(place, ledger, despite, progress = TRUE, options = place_options(limit),
                        trial = o$trial)
    if (o$trial && length(placed$remote)) wait_remote(project, ledger, name, progress = TRUE)
    cli_emit(or_else(placed$frames, place$parts), o$format, function() {
      c(placed_lines(placed, place), if (o$trial) c("", "With what the trial frames took:", "",
                                                        place_lines(plan_place(project, ledger, name), despite)))
    })
    if (any(placed$frames[["state"]] %in% c("waiting", "failed"))) 1L else 0L
  })
}

# On a terminal it is asked for.
cli_agreed <- function(place, o) {
  if (!isatty(stdin()) || !on_terminal() || o$format != "table") return(FALSE)
  write_now(paste0(place_lines(place), "\n"), "\nPlace it? [y/N] ")
  answer <- readLines(file("stdin"), 1)
  length(answer) > 0 && tolower(trimws(answer)) %in% c("y", "yes")
}

# What whoever runs the job reads in the ledger.
cli_order <- function(args, what) {
  project <- read_project(parts = c("shots", "sites", "rates"))
  name <- args[1]
  cli_ledger(project, FALSE, function(ledger) {
    said <- job_orders(ledger, name)
    if ("stopped" %in% said) {
      stop_input("job", paste0("job ", name, " was stopped"), "argument JOB",
                 "What is left of it can be decided anew: clockpigeon choose --done.")
    }
    now <- utils::tail(c("resumed", said), 1)
    if (what == now) {
      cli_note("job ", name, " is ", if (what == "paused") "paused already" else "not paused")
      return(0L)
    }
    add_events(ledger, name, data.frame(what = what, source = "command"))
    cli_note("job ", name, ": ", what)
    if (!length(remote_jobs(ledger, name))) return(0L)
    rows <- as_frame(fetch_job(project, ledger, name, 0))
    lost <- rows[!is.na(rows[["trouble"]]), , drop = FALSE]
    if (nrow(lost)) {
      cli_note(lost[["site"]][1], " does not know it yet: it ", lost[["trouble"]][1],
               ". It is told at the next fetch or watch.")
    }
    if (nrow(lost)) 1L else 0L
  })
}
