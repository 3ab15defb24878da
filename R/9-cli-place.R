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
      if (goes && !o$yes)
        cli_note("Nothing was placed. To place it: clockpigeon place ", name, " --yes",
                 if (length(despite)) paste0(" --despite ", o$despite))
      return(if (goes) 0L else 3L)
    }
    if (o$yes) cli_note(paste(place_lines(place, despite), collapse = "\n"), "\n")
    placed <- place_job(place, ledger, despite, progress = TRUE, options = place_options(limit),
                        trial = o$trial)
    if (o$trial && length(placed$remote)) wait_remote(project, ledger, name, progress = TRUE)
    cli_emit(or_else(placed$frames, place$parts), o$format, function() {
      c(placed_lines(placed, place), if (o$trial) c("", "With what the trial frames took:", "",
                                                        place_lines(plan_place(project, ledger,
                                                                               name), despite)))
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

# An order to whoever runs the job.
cli_order <- function(args, what) {
  project <- read_project(parts = c("shots", "sites", "rates"))
  said <- cli_ledger(project, FALSE, function(ledger) order_job(project, ledger, args[1], what))
  cli_note("job ", args[1], said$says)
  if (length(said$trouble)) cli_note(said$trouble)
  if (length(said$trouble)) 1L else 0L
}
