# The command `week`.

cli_week <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  names <- if (length(args)) args else names(project$job_files)
  if (!length(names)) {
    stop_input("job", "this project has no job file", "clockpigeon week",
               "Write jobs/NAME.yaml with shots, deadline and budget, one a job.")
  }
  now <- this_moment()
  # A job that is named is planned whatever was placed.
  placed <- if (!length(args)) week_placed(project, names)
  names <- setdiff(names, names(placed))
  if (!length(names)) {
    words <- paste(placed_words(placed),
                   "Nothing else is there to plan; how they go: clockpigeon watch.")
    cli_emit(as_table(no_week_rows), o$format, function() wrap_lines(words, terminal_width()))
    return(0L)
  }
  asked <- lapply(names, function(name) week_asked(project, o, name, now))
  names(asked) <- vapply(names, function(name) cli_job_file(project, name)$job, "")
  if (anyDuplicated(names(asked))) {
    stop_input("job", paste("two are called", names(asked)[duplicated(names(asked))][1]),
               "clockpigeon week", "Give each a name of its own.")
  }
  forecasts <- lapply(asked, function(one) cli_job_forecast(project, one, now))
  questions <- Map(function(forecast, one) {
    question_of(forecast, one$deadline, one$budget, one$confidence, one$rule, TRUE)
  }, forecasts, asked)
  budget <- budget_amount(o$budget, project[c("currency", "rates")])
  running <- if (has_ledger(project$ledger))
    cli_ledger(project, code = function(l) running_here(project, l, now))
  x <- choose_week(forecasts, questions, budget, first_of(o$confidence, 0.9), running)
  x$placed <- placed
  cli_figure(x, o$figure)
  cli_emit(as_table(week_table(x)), o$format, function() week_lines(x))
  if (x$week$kept < length(asked)) 3L else 0L
}

# What a job file asks; a week needs its deadline.
week_asked <- function(project, o, name, now) {
  mine <- list(draws = o$draws, seed = o$seed, only = o$only, without = o$without, as_is = FALSE)
  asked <- cli_asked(project, mine, name)
  if (!length(asked$deadline)) {
    stop_input("deadline", "has none", paste("job", name),
               "Write `deadline` into its file: a week is planned by deadlines.")
  }
  parse_deadline(asked$deadline, now, project$time_zone, paste("job", name))
  asked
}

# Job files whose frames a job renders that was placed, or has rendered: its name, by theirs.
week_placed <- function(project, names) {
  if (!has_ledger(project$ledger)) return(NULL)
  found <- cli_ledger(project, code = function(ledger) {
    lapply(stats::setNames(nm = names), function(name) {
      shots <- lapply(cli_asked(project, list(), name)$shots, project_entry,
                      entries = project$shots, what = "shot")
      placed_for(ledger, shots)
    })
  })
  unlist(Filter(length, found))
}
