# The commands: each reads the project it stands in, calls public functions, and shows what comes back.

cli_ledger <- function(project, read_only = TRUE, code) {
  ledger <- open_ledger(project$ledger, read_only = read_only)
  on.exit(close_ledger(ledger))
  code(ledger)
}

cli_bench <- function(args) {
  parsed <- cli_parse("bench", args)
  project <- read_project()
  plan <- project_plan(project, if (length(parsed$args)) parsed$args[1])
  wanted <- if (is.null(parsed$options$node)) intersect("here", names(project$nodes)) else parsed$options$node
  node <- if (length(wanted)) project_entry(project$nodes, wanted, "node")
  rows <- cli_ledger(project, FALSE, function(ledger) {
    run_bench(plan, ledger, node, project$root, parsed$options$keep, progress = TRUE)
  })
  cli_emit(rows, parsed$options$format, function() bench_lines(rows))
  if (any(rows[["status"]] == "ok")) 0L else 1L
}

# What a benchmark gave: one line a setting, and one for each trial that was not ok. What is the same for all settings
# is said once, above.
bench_lines <- function(rows) {
  rows <- as_frame(rows)
  good <- rows[is_evidence(rows), , drop = FALSE]
  good <- good[order(good[["shot"]], good[["frame"]], good[["engine"]], good[["engine_version"]],
                     good[["limit_value"]]), , drop = FALSE]
  setting <- data.frame(
    shot = good[["shot"]], frame = good[["frame"]], engine = paste(good[["engine"]], good[["engine_version"]]),
    limit = level_labels(good, "limit"), size = level_labels(good, "size"), threads = level_labels(good, "threads")
  )
  same <- vapply(setting, function(column) length(unique(column)) == 1, NA) & !names(setting) %in% c("shot", "frame")
  key <- row_key(setting, names(setting))
  groups <- split(good, factor(key, unique(key)))
  number <- function(f) vapply(groups, f, "", USE.NAMES = FALSE)
  median_time <- function(column) number(function(g) format_duration(stats::median(g[[column]])))
  body <- data.frame(
    setting[!duplicated(key), !same, drop = FALSE], runs = number(function(g) paste(nrow(g))),
    "median time" = median_time("wall_s"),
    "least to most" = number(function(g) paste(format_duration(range(g[["wall_s"]])), collapse = " to ")),
    load = median_time("load_s"), compute = median_time("compute_s"), check.names = FALSE
  )
  said <- vapply(which(same), function(k) paste(names(setting)[k], setting[1, k]), "")
  bad <- rows[rows[["status"]] != "ok", , drop = FALSE]
  faults <- paste0(bad[["shot"]], " frame ", bad[["frame"]], ", ", bad[["engine"]], ": ",
                   gsub("_", " ", bad[["status"]]), ": ", bad[["note"]])
  warm <- sum(rows[["repeat"]] == 0 & rows[["status"]] == "ok")
  c(paste0(nrow(rows), " trials: ", nrow(good), " measured, ", warm, " warm-up, ", nrow(bad), " not ok"),
    if (nrow(good)) c(
      if (length(said)) paste0("All with ", paste(sub("NA$", "left to the engine", said), collapse = ", ")), "",
      text_table(body, right = setdiff(names(body), c("shot", "engine", "limit", "size")),
                 spare = c("least to most", "load", "compute"))
    ),
    if (nrow(bad)) c("", faults))
}

cli_compare <- function(args) {
  o <- cli_parse("compare", args)$options
  project <- read_project()
  want <- Filter(length, list(engine = o$engine, scene = o$scene))
  rows <- cli_ledger(project, code = function(ledger) do.call(timings, c(list(ledger), want)))
  result <- compare_timings(rows, by = o$by, smallest = o$smallest)
  cli_emit(result, o$format, function() comparison_lines(result))
  0L
}

# The first of these that is given.
first_of <- function(...) Find(Negate(is.null), list(...))

cli_job_forecast <- function(project, o) {
  defaults <- project$defaults
  engine <- first_of(o$engine, defaults$engine)
  if (is.null(engine)) {
    stop_input("usage", "no engine was named", "option --engine",
               "Write --engine NAME, or `engine` under `defaults` in clockpigeon.yaml.")
  }
  version <- first_of(o$engine_version, if (identical(engine, defaults$engine)) defaults$version)
  asked <- if (!is.null(o$shots)) trimws(strsplit(o$shots, ",", fixed = TRUE)[[1]])
  names <- first_of(asked, defaults$shots, names(project$shots))
  shots <- lapply(names, project_entry, entries = project$shots, what = "shot")
  rows <- cli_ledger(project, code = timings)
  job <- render_job(shots, engine, rows, version, project$currency, project$rates)
  forecast_job(job, plan_options(job, project$sites), o$draws, o$seed)
}

cli_forecast <- function(args) {
  o <- cli_parse("forecast", args)$options
  forecast <- cli_job_forecast(read_project(), o)
  cli_emit(summary(forecast), o$format, function() forecast_lines(forecast))
  0L
}

cli_job_choice <- function(project, o) {
  defaults <- project$defaults
  choose_option(cli_job_forecast(project, o), deadline = first_of(o$deadline, defaults$deadline),
                budget = first_of(o$budget, defaults$budget), confidence = first_of(o$confidence, defaults$confidence),
                prefer = o$prefer)
}

cli_choose <- function(args) {
  o <- cli_parse("choose", args)$options
  choice <- cli_job_choice(read_project(), o)
  cli_emit(choice$options, o$format, function() choice_lines(choice))
  cli_figure(choice, o$figure)
  choice_status(choice)
}

choice_status <- function(choice) if (is.na(choice$pick)) 3L else 0L

cli_figure <- function(choice, path) {
  if (is.null(path)) return(invisible())
  attach_defaults()
  write_figure(ggplot2::autoplot(choice), path)
  cli_note("figure: ", path)
}

# The launcher starts R without its default packages; plotting and reporting packages count on them.
attach_defaults <- function() {
  for (package in c("methods", "datasets", "utils", "grDevices", "graphics", "stats")) {
    suppressPackageStartupMessages(library(package, character.only = TRUE))
  }
}

cli_report <- function(args) {
  o <- cli_parse("report", args)$options
  project <- read_project()
  choice <- cli_job_choice(project, o)
  cli_write_report(project, choice, o$out)
  cat(o$out, "\n", sep = "")
  cli_figure(choice, o$figure)
  choice_status(choice)
}

# The page, with the comparison of versions when the ledger has two of the job's engine.
cli_write_report <- function(project, choice, path) {
  attach_defaults()
  rows <- cli_ledger(project, code = function(ledger) timings(ledger, engine = choice$forecast$job$engine))
  versions <- tryCatch(compare_timings(rows, by = "engine_version"), clockpigeon_error_compare = function(e) NULL)
  report(choice, path, versions, title = paste0("Where to render: ", project$name))
}

cli_demo <- function(args) {
  o <- cli_parse("demo", args)$options
  folder <- demo_project(o$keep)
  old <- setwd(folder)
  on.exit(setwd(old))
  project <- read_project()
  cli_note("Demo project in ", folder)
  plan <- project_plan(project)
  cli_note("Benchmark: ", nrow(plan), " real renders with the built-in engine on this machine")
  rows <- cli_ledger(project, FALSE, function(ledger) {
    run_bench(plan, ledger, project$nodes[["here"]], project$root, progress = TRUE)
  })
  choice <- cli_job_choice(project, list(draws = 2000L, seed = 1L, prefer = "cheapest"))
  versions <- compare_timings(rows, by = "engine_version")
  if (o$format == "table") {
    show_lines(bench_lines(rows), "", comparison_lines(versions), "", choice_lines(choice))
  } else cli_emit(choice$options, o$format)
  cli_figure(choice, file.path(folder, "choice.png"))
  cli_write_report(project, choice, "report.html")
  cli_note("report: ", file.path(folder, "report.html"), "\n\nTo go on: cd ", folder,
           " && clockpigeon choose --deadline 20min",
           "\nSample evidence of invented engines is there too: clockpigeon compare --by device --engine sundew")
  0L
}

# A copy of the demo project with the sample evidence in its ledger.
demo_project <- function(keep = NULL) {
  if (is.null(keep)) {
    keep <- tempfile("clockpigeon-demo-", tmpdir = dirname(tempdir()))  # outlives this process: the report is in it
  } else if (dir.exists(keep) && length(list.files(keep))) {
    stop_input("file", "this folder is not empty", keep, "Name a new one.")
  }
  if (!dir.create(keep, recursive = TRUE, showWarnings = FALSE) && !dir.exists(keep)) {
    stop_input("file", "this folder cannot be made", keep, "Name another one.")
  }
  file.copy(list.files(demo_file(), full.names = TRUE), keep, recursive = TRUE)
  ledger <- open_ledger(file.path(keep, "ledger.sqlite"))
  on.exit(close_ledger(ledger))
  add_timings(ledger, example_timings())
  normalizePath(keep)
}
