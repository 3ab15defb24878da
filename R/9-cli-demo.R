# The demo: the main job on a copy of the demo project, and with --circle a job from its check to
# what is learned from it, at a stand-in that misbehaves.

# Run `demo`: measure a small job, choose for it and for the sample film, write a report.
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
  film <- start_film()
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
           paste0("\n  clockpigeon choose --shots gears-review --only attic,nodes=1 --deadline 1h ",
                  "--record gears-1"),
           paste0("\n  clockpigeon place gears-1 --yes             render its 720 frames here; in ",
                  "another terminal:"),
           "\n  clockpigeon watch gears-1")
  0L
}

# Compute the film's choice in a forked process where the system allows it; the returned function
# waits for it.
start_film <- function() {
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
  forecast <- cli_job_forecast(project, cli_question(project, list()))
  asked <- reachable_limits(as_frame(summary(forecast)))
  path <- file.path(project$root, "clockpigeon.yaml")
  lines <- readLines(path)
  lines <- sub("^(  deadline:).*", paste0("\\1 ", asked$minutes, "min"), lines)
  lines <- sub("^(  budget:).*", paste0("\\1 ", format_money(asked$budget, project$currency)),
               lines)
  write_text(lines, path)
  project <- read_project(project$root)
  question <- cli_question(project, list())
  make_decision(forecast, question_of(forecast, question$deadline, question$budget,
                                      question$confidence, question$rule, TRUE))
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

# ---- circle --------------------------------------------------------------------------------------

# Faults of the stand-in: a node freezes, about one picture in fifty is cut off, and it charges more
# than its card states.
circle_faults <- "freeze=3@3min:12min,corrupt=2%,prices=1.3"

# The circle's simulated clock advances by `circle_step` seconds with every poll of the farm. Every
# machine prints the same figures, however slow it is. The clock starts on the day the demo's rate
# cards were written.
circle_start <- as.POSIXct("2026-11-26 22:00:00", tz = "UTC")
circle_step <- 30
circle_polls <- 400

# Run `demo --circle`: every command of a job at a stand-in, on a simulated clock.
cli_circle <- function(o, command) {
  run <- function(..., may = 0L) circle_run(command, unlist(list(...)), may)
  for (package in c("nanonext", "later")) need_package(package, "stand-ins")
  need_package("curl", "sites that answer by an address")
  folder <- demo_project(o$keep)
  old <- setwd(folder)
  on.exit(setwd(old))
  clock <- begin_clock()
  on.exit(clock$end(), add = TRUE, after = FALSE)
  # Sixty frames of the film for each job: the others are done.
  first_done <- "gears 1-660"
  circle_note("The demo project is in ", folder,
              ". Everything below is a command that can be typed there.")
  run("check", "gears", "--site", "saltmill", may = 0:3)
  question <- c("--shots", "gears", "--engine", "sundew", "--only", "saltmill,brisk,nodes=10",
                "--deadline", "4h", "--budget", "60EUR")
  run("next", question, "--done", first_done, may = 0:3)
  farm <- begin_standin(folder)
  on.exit(end_standin(farm), add = TRUE, after = FALSE)
  circle_job(run, "cut-1", c(question, "--done", first_done), clock)
  circle_note("The same again with other frames, now that one job has ended there:")
  circle_job(run, "cut-2", c(question, "--done", "gears 1-600,661-720"), clock)
  run("learned")
  scores <- circle_scores(folder)
  show_lines(circle_lines(scores))
  if (all(scores[["second"]] < scores[["first"]])) 0L else 1L
}

# One job from its choice to what is learned.
circle_job <- function(run, job, question, clock) {
  run("choose", question, "--record", job, may = 0:3)
  run("place", job, "--yes", "--despite", "quote,check,changed", may = 0:3)
  follow_circle(run, job, clock)
  if (run("verify", job, "--again", may = c(0L, 3L)) == 3L) {
    run("place", job, "--yes", "--despite", "quote,check,changed", may = 0:3)
    follow_circle(run, job, clock, alarms = FALSE)
    run("verify", job)
  }
  run("settle", job, "--dispute", paste0("dispute-", job), may = c(0L, 3L))
}

# Advance the clock and fetch, until the job has ended and all its pictures are here. Look at it
# every two minutes of the farm's time, and show the first view with an alarm and the last one.
follow_circle <- function(run, job, clock, alarms = TRUE) {
  project <- read_project(parts = c("shots", "sites", "rates"))
  links <- new_links(patience_s = 60)
  on.exit(close_links(links))
  shown <- !alarms
  for (poll in seq_len(circle_polls)) {
    clock$advance(circle_step)
    rows <- cli_ledger(project, FALSE,
                       function(ledger) fetch_job(project, ledger, job, links = links))
    ended <- rows[["state"]] %in% c("done", "stopped") & rows[["here"]] >= rows[["ready"]]
    if (all(ended)) break
    if (!shown && poll %% 4 == 0) {
      x <- cli_ledger(project, code = function(ledger) watch_job(project, ledger, job))
      if (any(x$alarms[["level"]] %in% c("now", "soon"))) {
        shown <- TRUE
        circle_note("$ clockpigeon watch ", job)
        show_lines(watch_lines(x), "")
      }
    }
  }
  if (!all(ended))
    stop_input("demo", paste("job", job, "did not end"), "the circle", "See the stand-in's log.")
  run("watch", job, may = 0:3)
}

# The circle's clock: this process and the stand-in read it from one file. `advance(seconds)` moves
# it, `end()` returns to the clock that was in use before.
begin_clock <- function(start = circle_start) {
  path <- tempfile("clock-")
  before <- Sys.getenv("CLOCKPIGEON_NOW", NA)
  set_clock_file(path, start)
  Sys.setenv(CLOCKPIGEON_NOW = paste0("@", path))
  list(
    advance = function(seconds) set_clock_file(path, this_moment() + seconds),
    end = function() {
      if (is.na(before)) Sys.unsetenv("CLOCKPIGEON_NOW") else Sys.setenv(CLOCKPIGEON_NOW = before)
      unlink(path)
    }
  )
}

# A command as it would be typed, with what it shows. `command` runs it; `may`: statuses that are no
# fault.
circle_run <- function(command, args, may) {
  circle_note("$ clockpigeon ",
              paste(ifelse(grepl("[ =,]", args), paste0("'", args, "'"), args), collapse = " "))
  status <- command(args)
  if (!status %in% may) {
    stop_input("demo", paste("clockpigeon", args[1], "ended with", status), "the circle",
               "See what it says above.")
  }
  invisible(status)
}

circle_note <- function(...) show_lines("", paste0(...), "")

# ---- the stand-in --------------------------------------------------------------------------------

# Start the command `standin` as a separate process, and set this process' token.
begin_standin <- function(folder) {
  log <- tempfile("standin-", fileext = ".log")
  token <- paste(openssl::rand_bytes(12), collapse = "")
  args <- c("standin", "saltmill", "--port", "0", "--misbehave", circle_faults, "--seed", "7",
            "--for", "1h")
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", "-e", "quit(save = 'no', status = clockpigeon::cli())", args),
    wd = folder, stdout = "|", stderr = log, cleanup_tree = TRUE,
    env = c("current", CLOCKPIGEON_TOKEN = token,
            R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))
  )
  patience <- steady_clock() + 300
  line <- character()
  while (!length(line) && process$is_alive() && steady_clock() < patience) {
    process$poll_io(200)
    line <- process$read_output_lines()
  }
  if (!length(line)) {
    process$kill()
    said <- paste(readLines(log, warn = FALSE), collapse = " ")
    stop_input("demo", paste("the stand-in did not start:", said), "the circle")
  }
  before <- Sys.getenv("CLOCKPIGEON_TOKEN", NA)
  Sys.setenv(CLOCKPIGEON_TOKEN = token)
  cat(paste0("service: {address: ", line[1], "/saltmill, token: {env: CLOCKPIGEON_TOKEN}}\n"),
      file = file.path(folder, "sites", "saltmill.yaml"), append = TRUE)
  circle_note(
    paste0("A farm stands in for saltmill: a node will freeze, some pictures come cut off, and it ",
           "charges 1.3 times "),
    "what its card says. Its clock advances by ", circle_step, " s with every poll.")
  list(process = process, before = before, log = log)
}

end_standin <- function(farm) {
  farm$process$kill()
  unlink(farm$log)
  if (is.na(farm$before)) Sys.unsetenv("CLOCKPIGEON_TOKEN") else
    Sys.setenv(CLOCKPIGEON_TOKEN = farm$before)
}

# ---- the two forecasts ---------------------------------------------------------------------------

# How far off the forecasts of both jobs were, as they were shown when they were decided: CRPS of
# logs.
circle_scores <- function(folder) {
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
  on.exit(close_ledger(ledger))
  x <- shown_forecasts(job_outcomes(ledger), ledger)
  x$crps <- crps_of(log(x[["actual"]]), log(as.matrix(x[forecast_points()])), forecast_probs)
  of <- function(job, what) x[["crps"]][x[["job"]] == job & x[["what"]] == what]
  whats <- c("finish_s", "cost")
  out <- data.frame(what = whats)
  out$first <- vapply(whats, of, 0, job = "cut-1")
  out$second <- vapply(whats, of, 0, job = "cut-2")
  out
}

circle_lines <- function(scores) {
  c(paste0("How far off the forecasts were, as shown when each job was decided (CRPS of logs, ",
           "about a share):"),
    paste0("- ", figure_words(scores[["what"]]), ": ", format_percent(scores[["first"]]),
           " of the first job, ", format_percent(scores[["second"]]), " of the second",
           ifelse(scores[["second"]] < scores[["first"]], ": better", ": not better"), "."))
}
