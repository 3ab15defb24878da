# The demo: the main job on a copy of the demo project.

cli_demo <- function(o, args) {
  folder <- demo_project(o$keep)
  old <- setwd(folder)
  on.exit(setwd(old))
  project <- read_project()
  cli_note("Demo project in ", folder)
  plan <- project_plan(project)
  cli_note("Benchmark: ", nrow(plan$trials), " real renders with the built-in engine on this machine")
  rows <- cli_ledger(project, FALSE, function(ledger) {
    run_bench(plan, ledger, cli_nodes(project), project$root, progress = TRUE)
  })
  project <- with_reachable_deadline(project)
  choice <- cli_job_choice(project, list())
  versions <- compare_timings(rows, by = "engine_version")
  if (o$format == "table") {
    show_lines(bench_lines(rows), "", comparison_lines(versions), "", "A small job, on the times just measured here:",
               "", choice_lines(choice), "")
  } else cli_emit(choice$options, o$format)
  cli_figure(choice, file.path(folder, "choice.png"))
  cli_write_report(project, choice, "report.html")
  cli_note("report: ", file.path(folder, "report.html"))
  if (o$format == "table") {
    film <- cli_kept_choice(list(deadline = "28h"), "film", FALSE)
    show_lines("The film, on sample evidence of an invented engine (2250 frames, 28 hours to go):", "",
               choice_lines(film))
  }
  cli_note("\nTo go on: cd ", folder, "\n  clockpigeon choose film --deadline 20h    another deadline, another plan",
           "\n  clockpigeon next film --deadline 28h      what to find out first",
           "\n  clockpigeon choose film --deadline 28h --why --changes",
           "\n  clockpigeon choose --shots gears-review --only attic,nodes=1 --deadline 1h --record gears-1",
           "\n  clockpigeon place gears-1 --yes             render its 720 frames here; in another terminal:",
           "\n  clockpigeon watch gears-1")
  0L
}

# The demo's own job asks for what this machine can do, busy or slow as it is: a deadline that half of the options keep,
# from the times just measured, written into the project's file.
with_reachable_deadline <- function(project) {
  forecast <- cli_job_forecast(project, cli_asked(project, list()))
  minutes <- ceiling(stats::median(summary(forecast)[["finish_p90"]]) / 60) + 1
  path <- file.path(project$root, "clockpigeon.yaml")
  lines <- readLines(path)
  lines <- sub("^(  deadline:).*", paste0("\\1 ", minutes, "min"), lines)
  write_text(lines, path)
  read_project(project$root)
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
  import_jobs(file.path(keep, "jobs.csv"), ledger)
  real_path(keep)
}
