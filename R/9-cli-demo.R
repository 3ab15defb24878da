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
  choice <- cli_job_choice(project, list())
  versions <- compare_timings(rows, by = "engine_version")
  if (o$format == "table") {
    show_lines(bench_lines(rows), "", comparison_lines(versions), "",
               choice_lines(choice))
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
  import_jobs(file.path(keep, "jobs.csv"), ledger)
  real_path(keep)
}
