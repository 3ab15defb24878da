# Commands that decide: `forecast`, `choose`, `report`, `next`, `week`, `sites` and `bill`.

# The question: options before the job file before the project's defaults.
cli_question <- function(project, o, args = character()) {
  file <- if (length(args)) cli_job_file(project, args[1])
  defaults <- project$defaults
  # A job file's engine takes no version of the project's default engine, nor its deadline and
  # budget.
  if (length(file)) defaults <- list(engine = defaults$engine, version = defaults$version)
  list_of <- function(text, split = ",") if (length(text))
    trimws(strsplit(text, split, fixed = TRUE)[[1]])
  engines <- first_of(list_of(o$engine), file$engines, defaults$engine)
  if (is.null(engines)) {
    stop_input("usage", "no engine was named", "option --engine",
               "Write --engine NAME, or `engine` under `defaults` in clockpigeon.yaml.")
  }
  version <- first_of(list_of(o$engine_version), file$versions,
                      if (identical(engines, defaults$engine)) defaults$version)
  limits <- first_of(list_of(o$limits), file$limits, "own")
  list(shots = first_of(list_of(o$shots), file$shots, defaults$shots, names(project$shots)),
       engines = engines,
       versions = version, limits = lapply(limits, parse_limit_choice, where = "option --limits"),
       only = first_of(list_of(o$only), file$only),
       without = first_of(list_of(o$without), file$without),
       spreads = first_of(list_of(o$spreads), file$spreads),
       deadline = first_of(o$deadline, file$deadline,
                                                                                defaults$deadline),
       budget = first_of(o$budget, file$budget, defaults$budget),
       confidence = first_of(o$confidence, file$confidence, defaults$confidence, 0.9),
       rule = first_of(o$rule, file$rule, "cheapest"), draws = first_of(o$draws, file$draws, 2000L),
       seed = first_of(o$seed, file$seed, 1L), as_is = o$as_is,
       done = o$done,
       machine = check_choice(first_of(o$machine, "busy"), "option --machine", machine_states))
}

cli_job_file <- function(project, name) {
  if (file.exists(name)) read_job(name) else project_entry(project$job_files, name, "job")
}

# A job for each engine, version and limit that the ledger can tell of.
cli_jobs <- function(project, asked) {
  shots <- lapply(asked$shots, project_entry, entries = project$shots, what = "shot")
  scenes <- vapply(shots, `[[`, "", "scene")
  rows <- cli_ledger(project, code = function(ledger) timings_near(ledger, scenes))
  ways <- expand.grid(limit = seq_along(asked$limits),
                      version = seq_len(max(1, length(asked$versions))),
                      engine = asked$engines, stringsAsFactors = FALSE)
  jobs <- lapply(seq_len(nrow(ways)), function(i) {
    engine <- ways$engine[i]
    if (length(asked$versions)) engine <- stats::setNames(asked$versions[ways$version[i]], engine)
    tryCatch(render_job(shots, engine, rows, project$currency, project$rates, project$time_zone,
                        asked$limits[[ways$limit[i]]], asked$machine, asked$done),
             clockpigeon_error_evidence = identity)
  })
  names(jobs) <- trimws(paste(ways$engine,
                              if (length(asked$versions)) asked$versions[ways$version]))
  advice <- unique(unlist(lapply(jobs, function(job) if (inherits(job, "cp_job"))
                                 busy_advice(job$busy))))
  if (length(advice)) cli_note(advice)
  jobs
}

cli_job_forecast <- function(project, asked, now = this_moment()) {
  scenario <- plan_options(cli_jobs(project, asked), project$sites, asked$only, asked$without,
                           asked$spreads, now, cli_corrections(project, asked$as_is))
  note_unable(scenario, asked$only)
  forecast_job(scenario, asked$draws, asked$seed, progress = TRUE)
}

# Which of the sites that `--only` named cannot run the job, and why.
note_unable <- function(scenario, only) {
  left_out <- as_frame(scenario$left_out)
  for (site in setdiff(intersect(only, left_out[["site"]]), scenario$options[["site"]])) {
    reasons <- unique(left_out[["reason"]][left_out[["site"]] == site])
    cli_note(site, " cannot run this job: ", paste(reasons, collapse = "; "))
  }
}

cli_forecast <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  forecast <- cli_job_forecast(project, cli_question(project, o, args))
  cli_emit(summary(forecast), o$format, function() forecast_lines(forecast))
  0L
}

# The question is read before anything is simulated, so that a slip costs no time. `details`: of
# what figures, reports and explanations show.
cli_job_choice <- function(project, o, args = character(), details = TRUE) {
  asked <- cli_question(project, o, args)
  now <- this_moment()
  if (length(asked$deadline))
    parse_deadline(asked$deadline, now, project$time_zone, "option --deadline")
  if (length(asked$budget)) budget_amount(asked$budget, project[c("currency", "rates")])
  check_number(asked$confidence, "option --confidence", above = 0, most = 0.9999)
  check_choice(asked$rule, "option --rule", choice_rules)
  if (length(o$show)) check_choice(o$show, "option --show", choice_shows)
  stated <- if (length(o$plan)) read_stated_plan(o$plan)
  forecast <- cli_job_forecast(project, asked, now)
  make_decision(forecast, question_of(forecast, asked$deadline, asked$budget, asked$confidence,
                                      asked$rule, !isTRUE(o$each)),
                plans = or_else(stated, TRUE), details = details)
}

# A recent decision, if none of its inputs has changed since: as long as the time that has passed is
# small compared with the time to the deadline, and a quarter of an hour at most.
cli_kept_choice <- function(o, args, details) {
  config <- read_project(parts = character())
  # Display options do not change the decision.
  question <- o[setdiff(names(o), c("why", "changes", "all", "test_frames", "record", "figure",
                                    "show", "format"))]
  now <- this_moment()
  passed <- function(choice) as.numeric(now) - as.numeric(choice$forecast$scenario$now)
  good <- function(choice) passed(choice) >= 0 &&
    passed(choice) <= min(900, 0.02 * choice$deadline_s)
  fresh <- FALSE
  from <- list(project_stamp(config, ledger_stamp(config$ledger)), question, args,
               if (length(o$plan) && file.exists(o$plan)) file_hash(o$plan))
  choice <- read_or_make_cached("choice", from, still = good, make = function() {
    fresh <<- TRUE
    project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
    cli_job_choice(project, o, args, details)
  })
  if (!fresh) {
    cli_note("computed ", format_duration(max(round(passed(choice)), 0)),
             " ago; nothing has changed since")
    note_unable(choice$forecast$scenario,
                if (length(o$only)) trimws(strsplit(o$only, ",", fixed = TRUE)[[1]]))
    if (details) choice <- with_details(choice)
  }
  choice
}

# Run `choose`.
cli_choose <- function(o, args) {
  project <- read_project(parts = character())
  if (length(o$record)) cli_check_name(project, o$record)
  if (length(o$show)) check_choice(o$show, "option --show", choice_shows)
  told <- names(Filter(isTRUE, o[c("why", "changes", "all")]))
  choice <- cli_kept_choice(o, args, length(o$figure) > 0 || length(o$record) > 0 ||
                            any(told != "all"))
  trials <- if (length(o$test_frames)) trial_value(choice, o$test_frames)
  changes <- if ("changes" %in% told || length(o$record)) break_even(choice)
  cli_emit(choice$options, o$format, function() {
    c(choice_lines(choice, parts = told, changes = changes),
      if (length(trials)) trial_lines(trials))
  })
  cli_figure(choice, o$figure, show = o$show)
  if (length(o$record)) {
    name <- basename(o$record)
    cli_ledger(project, FALSE, function(ledger) record_job(ledger, choice, name, changes = changes))
    cli_note("record: job ", name, " in the ledger, ",
             paste(record_choice(choice, o$record, changes), collapse = ", "))
  }
  choice_status(choice)
}

# A name that cannot be taken is refused before anything is simulated.
cli_check_name <- function(project, path) {
  name <- check_job_name(basename(path), "option --record")
  if (!dir.exists(dirname(path))) {
    stop_input("file", "its folder does not exist", paste0("option --record: ", path),
               "Make the folder first.")
  }
  taken <- name_findings(name, cli_ledger(project, code = function(ledger) jobs(ledger)[["name"]]))
  if (length(taken)) {
    stop_input("job", paste0("the name ", show_value(name), " ", taken$what), "option --record",
               taken$instead)
  }
}

choice_status <- function(choice) if (choice$plan$fits) 0L else 3L

cli_report <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  choice <- cli_job_choice(project, o, args)
  settled <- if (length(o$settled))
    cli_ledger(project, FALSE, function(l) settle_job(project, l, o$settled))
  cli_write_report(project, choice, o$out, settled)
  cat(o$out, "\n", sep = "")
  cli_figure(choice, o$figure, show = o$show)
  choice_status(choice)
}

# The page, with the comparison of versions when the ledger has two of the job's engine.
cli_write_report <- function(project, choice, path, settled = NULL) {
  attach_defaults()
  versions <- cli_ledger(project, code = function(ledger) {
    part <- ledger_part(ledger, list(engine = main_job(choice$forecast$scenario)$engine))
    tryCatch(compare_timings(part, by = "engine_version"),
             clockpigeon_error_compare = function(e) NULL)
  })
  report(choice, path, versions, paste0("Where to render: ", project$name), settled)
}

# ---- next ----------------------------------------------------------------------------------------

cli_next <- function(o, args) {
  limit <- if (length(o[["do"]])) spending_limit(o[["do"]])
  choice <- cli_kept_choice(o, args, FALSE)
  if (length(limit)) return(cli_do_next(o, args, choice, limit))
  rows <- next_measures(choice)
  cli_emit(rows, o$format, function() next_lines(choice, rows))
  0L
}

# A time or an amount of money.
spending_limit <- function(text) {
  money <- tryCatch(parse_money(text, "option --do"), clockpigeon_error = function(e) NULL)
  if (length(money)) list(money = money$amount, seconds = Inf)
  else list(money = Inf, seconds = parse_duration(text, "option --do"))
}

# Does the best measurements possible here, one after another, planning again after each, until the
# next one is not worth it or does not fit into the remaining time.
cli_do_next <- function(o, args, choice, limit) {
  began <- steady_clock()
  paid <- 0
  done <- character()
  for (step in seq_len(50)) {
    rows <- as_frame(next_measures(choice))
    rows <- rows[rows[["worth"]] & rows[["what"]] %in% c("probe", "cheap"), , drop = FALSE]
    left <- limit$seconds - (steady_clock() - began)
    rows <- rows[rows[["takes_s"]] <= left & rows[["price"]] <= limit$money - paid, , drop = FALSE]
    if (!nrow(rows)) break
    cli_note(step, ". ", rows[["says"]][1])
    cli_measure(rows[1, ], o)
    paid <- paid + rows[["price"]][1]
    done <- c(done, rows[["command"]][1])
    choice <- cli_kept_choice(o, args, FALSE)
  }
  cli_note(if (length(done)) paste("measured:", paste(done, collapse = "; ")) else
           "nothing was measured",
           if (step < 50)
           paste0("; the rest is not worth it, exceeds --do, or cannot be done here"))
  measures <- next_measures(choice)
  cli_emit(measures, o$format,
           function() c(choice_lines(choice), "", next_lines(choice, measures)))
  choice_status(choice)
}

# Frames of a shot, or a cheap pass, on this machine; what is measured goes to the ledger.
cli_measure <- function(row, o) {
  project <- read_project()
  shot <- project_entry(project$shots, row[["about"]], "shot")
  engine <- cli_engine(project, o$engine)
  cli_ledger(project, FALSE, function(ledger) {
    one <- row[["what"]] == "probe"
    probe_shot(shot, engine, ledger, probing(0.001, first = if (one) row[["frames"]] else 1,
                                             budget = if (one) row[["takes_s"]] else 1,
                                             cheap = !one),
               running(o$engine_version, cli_nodes(project), project$root, progress = TRUE))
  })
}

# ---- week ----------------------------------------------------------------------------------------

# Run `week`.
cli_week <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  names <- if (length(args)) args else names(project$job_files)
  if (!length(names)) {
    stop_input("job", "this project has no job file", "clockpigeon week",
               "Write jobs/NAME.yaml with shots, deadline and budget, one a job.")
  }
  now <- this_moment()
  # A named job is planned even if it was placed.
  placed <- if (!length(args)) week_placed(project, names)
  names <- setdiff(names, names(placed))
  if (!length(names)) {
    words <- paste(placed_words(placed),
                   "Nothing else to plan. Progress: clockpigeon watch.")
    cli_emit(as_table(no_week_rows), o$format, function() wrap_lines(words, terminal_width()))
    return(0L)
  }
  asked <- lapply(names, function(name) week_asked(project, o, name, now))
  names(asked) <- vapply(names, function(name) cli_job_file(project, name)$job, "")
  if (anyDuplicated(names(asked))) {
    stop_input("job", paste("two are called", names(asked)[duplicated(names(asked))][1]),
               "clockpigeon week", "Give each a different name.")
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

# Question of a job file; a week needs its deadline.
week_asked <- function(project, o, name, now) {
  mine <- list(draws = o$draws, seed = o$seed, only = o$only, without = o$without, as_is = FALSE)
  asked <- cli_question(project, mine, name)
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
      shots <- lapply(cli_question(project, list(), name)$shots, project_entry,
                      entries = project$shots, what = "shot")
      placed_for(ledger, shots)
    })
  })
  unlist(Filter(length, found))
}

# ---- sites ---------------------------------------------------------------------------------------

cli_sites <- function(o, args) {
  project <- read_project(parts = "sites")
  if (!length(project$sites))
    stop_input("project", "has no site", instead = "Write a rate card under sites/.")
  if (length(args)) {
    site <- project_entry(project$sites, args[1], "site")
    cli_emit(bill_table(list(site)), o$format, function() card_lines(site))
  } else {
    cli_emit(bill_table(project$sites), o$format, function() site_lines(project$sites))
  }
  0L
}

# Run `bill`.
cli_bill <- function(o, args) {
  project <- read_project(parts = c("sites", "usages", "rates"))
  usage <- cli_usage(project, args)
  name <- first_of(o$site, if (inherits(usage, "cp_usage")) usage$site)
  if (is.null(name)) stop_input("usage", "names no site", "clockpigeon bill", "Write --site NAME.")
  site <- project_entry(project$sites, name, "site")
  on <- first_of(if (length(o$on)) date_field(o$on, "option --on"),
                 if (inherits(usage, "cp_usage")) usage$on,
                 this_day(site$time_zone))
  to <- first_of(o$to, project$currency)
  known <- !is.null(rate_to(site, to, project$rates, on))
  x <- bill(usage, site, o$tier, o$hire, first_of(o$engine, NA_character_), on,
            to = if (to != site$currency && (known || length(o$to))) {
              in_currency(check_currency(to, "option --to"), project$rates)
            })
  cli_emit(x, o$format, function() {
    c(wrap_lines(paste0(if (inherits(usage, "cp_usage")) paste0(usage$usage, ", "), site$site, ", ",
                        format(on), ":")),
      "",
      bill_text(x),
      if (!known && length(site$unit))
      wrap_lines(earning_words(site, -sum(x[["amount"]][x[["part"]] == "credit"]))))
  })
  0L
}

# The usage named: a file, or one of the project's usages/; the only one when there is one.
cli_usage <- function(project, args) {
  if (!length(args)) {
    stop_input("usage", "names no usage", "clockpigeon bill",
               paste0("Write a file, or ", either(names(project$usages)),
                      "."))
  }
  if (!file.exists(args[1])) return(project_entry(project$usages, args[1], "usage"))
  if (!grepl("\\.csv$", args[1])) return(read_usage(args[1]))
  utils::read.csv(args[1], stringsAsFactors = FALSE)
}

# How long one's own machines work for what a job took from an earned balance.
earning_words <- function(site, spent) {
  earn <- site$community$earn
  if (!length(earn) || spent <= 0) return(NULL)
  paste0("To earn that again: ", paste0(vapply(earn,
                                               function(e) paste0(format_duration(3600 * spent /
                                                                                  e$amount),
                                                                  " of a ",
                                                                  e$device), ""),
                                        collapse = ", or "), ".")
}
