# The demo: the main job on a copy of the demo project.

cli_demo <- function(o, args) {
  folder <- demo_project(o$keep)
  old <- setwd(folder)
  on.exit(setwd(old))
  project <- read_project()
  cli_note("Demo project in ", folder)
  plan <- project_plan(project)
  cli_note("Benchmark: ", nrow(plan$trials),
           " real renders with the built-in engine on this machine")
  rows <- cli_ledger(project, FALSE, function(ledger) {
    run_bench(plan, ledger, cli_nodes(project), project$root, progress = TRUE)
  })
  film <- film_beside()
  choice <- reachable_choice(project)
  versions <- compare_timings(rows, by = "engine_version")
  if (o$format == "table") {
    show_lines(bench_lines(rows), "", comparison_lines(versions), "",
               "A small job, on the times just measured here:", "", choice_lines(choice), "")
  } else cli_emit(choice$options, o$format)
  cli_figure(choice, file.path(folder, "choice.png"))
  cli_write_report(project, choice, "report.html")
  cli_note("report: ", file.path(folder, "report.html"))
  if (o$format == "table") {
    show_lines("The film, on sample evidence of an invented engine (2250 frames, 28 hours to go):",
               "",
               choice_lines(film()))
  }
  cli_note("\nTo go on: cd ", folder,
           "\n  clockpigeon choose film --deadline 20h    another deadline, another plan",
           "\n  clockpigeon next film --deadline 28h      what to find out first",
           "\n  clockpigeon choose film --deadline 28h --why --changes",
           "\n  clockpigeon choose --shots gears-review --only attic,nodes=1 --deadline 1h --record gears-1",
           "\n  clockpigeon place gears-1 --yes             render its 720 frames here; in another terminal:",
           "\n  clockpigeon watch gears-1")
  0L
}

# Compute the film's choice in a forked process where the system allows it; the returned function
# waits for it.
film_beside <- function() {
  choose <- function() cli_kept_choice(list(deadline = "28h"), "film", FALSE)
  if (.Platform$OS.type == "windows") return(choose)
  beside <- parallel::mcparallel(choose())
  function() {
    film <- parallel::mccollect(beside)[[1]]
    if (inherits(film, "cp_choice")) film else choose()
  }
}

# The choice of the demo's own job. Its deadline and budget follow from the times just measured, so
# that busy machines show a plan too: they are written into the project's file, and the same
# forecast is judged by them.
reachable_choice <- function(project) {
  forecast <- cli_job_forecast(project, cli_asked(project, list()))
  asked <- reachable_limits(as_frame(summary(forecast)))
  path <- file.path(project$root, "clockpigeon.yaml")
  lines <- readLines(path)
  lines <- sub("^(  deadline:).*", paste0("\\1 ", asked$minutes, "min"), lines)
  lines <- sub("^(  budget:).*", paste0("\\1 ", format_money(asked$budget, project$currency)),
               lines)
  write_text(lines, path)
  project <- read_project(project$root)
  question <- cli_asked(project, list())
  decide(forecast, question_of(forecast, question$deadline, question$budget, question$confidence,
                               question$rule, TRUE))
}

# A deadline that half of the options meet, and a budget above the median cost of these options.
reachable_limits <- function(options) {
  minutes <- ceiling(1.05 * stats::median(options[["finish_p90"]]) / 60)
  kept <- options[["finish_p90"]] <= 60 * minutes
  list(minutes = minutes,
       budget = ceiling(20 * 1.1 * stats::median(options[["cost_p90"]][kept])) / 20)
}

# A copy of the demo project with the sample evidence in its ledger.
demo_project <- function(keep = NULL) {
  if (is.null(keep)) {
    # outlives this process: the report is in it
    keep <- tempfile("clockpigeon-demo-", tmpdir = dirname(tempdir()))
  } else if (dir.exists(keep) && length(list.files(keep))) {
    stop_input("file", "this folder is not empty", keep, "Name a new one.")
  }
  if (!dir.create(keep, recursive = TRUE, showWarnings = FALSE) && !dir.exists(keep)) {
    stop_input("file", "this folder cannot be made", keep, "Name another one.")
  }
  if (!all(file.copy(list.files(demo_file(), full.names = TRUE), keep, recursive = TRUE)) ||
      !has_room(keep)) {
    stop_input("file", "the demo project cannot be copied into this folder", keep,
               "Make room on the disk.")
  }
  ledger <- open_ledger(file.path(keep, "ledger.sqlite"))
  on.exit(close_ledger(ledger))
  add_timings(ledger, example_timings())
  import_jobs(file.path(keep, "jobs.csv"), ledger)
  real_path(keep)
}
