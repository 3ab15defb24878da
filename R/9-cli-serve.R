# Commands that serve: `page`, the project in a browser, and `standin`, a farm to try things on.

# Run `page`.
cli_page <- function(o, args) {
  project <- read_project(parts = character())
  until <- if (length(o[["for"]])) parse_duration(o[["for"]], "option --for") else Inf
  port <- check_count(o$port, "option --port", least = 0, most = 65535)
  # An error in the question is reported here, not in the browser.
  asked <- cli_question(read_project(parts = c("shots", "sites", "jobs", "rates")), o, args)
  parse_page_question(asked, project)
  attach_defaults()
  serve_page(project, page_question, list(project$root, o, args),
             list(measure = page_measure, limit = page_limit), port, function(url) {
    cli_note("The page is open until it is ended (Ctrl-C). Its address, for this machine alone:")
    write_at_once(url, "\n")
    if (!isTRUE(o$no_open)) open_page(url)
  }, until)
  0L
}

# Report now any error that would appear later.
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
  asked <- cli_question(project, o, args)
  forecast <- cli_job_forecast(project, asked)
  list(forecast = forecast,
       asked = question_of(forecast, asked$deadline, asked$budget, asked$confidence, asked$rule,
                           !isTRUE(o$each)))
}

# Best next measurement, run from the page.
page_measure <- function(root, o, args, row) {
  old <- setwd(root)
  on.exit(setwd(old))
  cli_measure(row, o)
}

# The limit of a shot probed from the page, as the command `limit` does it.
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

# ---- standin -------------------------------------------------------------------------------------

# Run `standin`.
cli_standin <- function(o, args) {
  project <- read_project()
  sold <- names(Filter(function(site) site$kind != "own", project$sites))
  sites <- if (length(args)) args else sold
  for (site in sites) check_choice(site, "argument SITE", sold)
  if (!length(sites))
    stop_input("usage", "the project has no rate card of a site that sells", "clockpigeon standin",
               "Write one under sites/.")
  rows <- cli_ledger(project, code = timings)
  given <- Sys.getenv("CLOCKPIGEON_TOKEN")
  token <- if (nzchar(given)) given else paste(openssl::rand_bytes(12), collapse = "")
  options <- standin_options(o$port, token, o$speed,
                             parse_faults(o$misbehave, "option --misbehave"), o$render, o$slots,
                             o$seed)
  until <- if (length(o[["for"]])) steady_clock() + parse_duration(o[["for"]], "option --for") else
    Inf
  serve_standin(project, rows, sites, file.path(project$root, "standin"), options,
                function(farms, url) {
    cli_note("Stands in for ", toString(sites),
             " until you stop it (Ctrl-C). Its records are in standin/.")
    cli_note("In sites/", sites[1], ".yaml:\n  service: {address: ", url, "/", sites[1],
             ", token: {env: CLOCKPIGEON_TOKEN}}")
    cli_note("Where it is asked:",
             if (!nzchar(given)) paste0("\n  export CLOCKPIGEON_TOKEN=", token),
             if (o$speed != 1)
             paste0("\n  export CLOCKPIGEON_NOW='", running_moment(farms[[1]]$now(), o$speed), "'"))
    write_at_once(url, "\n")
  }, function() steady_clock() >= until)
  0L
}

# A clock that runs at another speed from now on, as this_moment() reads it.
running_moment <- function(now, speed) {
  write <- function(x)
    format(as.POSIXct(x, origin = "1970-01-01"), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")
  paste0(write(now), " x", format(speed, digits = 12), " since ", write(wall_clock()))
}
