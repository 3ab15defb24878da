# The command `page`: the project in a browser of this machine.

cli_page <- function(o, args) {
  project <- read_project(parts = character())
  until <- if (length(o[["for"]])) parse_duration(o[["for"]], "option --for") else Inf
  port <- check_count(o$port, "option --port", least = 0, most = 65535)
  # A slip in the question is said here, not in the browser.
  asked <- cli_asked(read_project(parts = c("shots", "sites", "jobs", "rates")), o, args)
  parse_page_question(asked, project)
  attach_defaults()
  serve_page(project, page_question, list(project$root, o, args),
             list(measure = page_measure, limit = page_limit), port, function(url) {
    cli_note("The page is open until it is ended (Ctrl-C). Its address, for this machine alone:")
    write_now(url, "\n")
    if (!isTRUE(o$no_open)) open_page(url)
  }, until)
  0L
}

# What would be refused later is refused now.
parse_page_question <- function(asked, project) {
  if (length(asked$deadline))
    parse_deadline(asked$deadline, this_moment(), project$time_zone, "option --deadline")
  check_number(asked$confidence, "option --confidence", above = 0, most = 0.9999)
  check_choice(asked$rule, "option --rule", choice_rules)
}

# The question of the page and its forecast, in the process that works for it.
page_question <- function(root, o, args) {
  old <- setwd(root)
  on.exit(setwd(old))
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  asked <- cli_asked(project, o, args)
  forecast <- cli_job_forecast(project, asked)
  list(forecast = forecast,
       asked = question_of(forecast, asked$deadline, asked$budget, asked$confidence, asked$rule,
                           !isTRUE(o$each)))
}

# What is to be found out first, done from the page.
page_measure <- function(root, o, args, row) {
  old <- setwd(root)
  on.exit(setwd(old))
  cli_measure(row, o)
}

# The limit of a shot probed from the page, as the command `limit` does it by itself.
page_limit <- function(root, shot, engine) {
  old <- setwd(root)
  on.exit(setwd(old))
  project <- read_project()
  shot <- project_entry(project$shots, shot, "shot")
  engine <- project_entry(project$engines, engine, "engine")
  counts <- cli_sample_counts(NULL, engine)
  cli_ledger(project, FALSE, function(ledger) {
    probe_limit(shot, engine, ledger, counts,
                beside = list(noise = cli_coarse_noise(list(noise = NULL), engine)),
                running = running(NULL, cli_nodes(project), project$root, progress = TRUE))
  })
}
