# Running a plan: each trial becomes a row, whatever happens to it.

#' Run a benchmark
#'
#' Runs the trials of a plan one after the other and writes each timing to the ledger as it ends. A trial that fails is
#' a row with the reason in its `note`, not a stop.
#'
#' wall = from just before the engine's process is started until it has ended, so that spawning and loading are part of
#' it; `load_s` and `compute_s` are what the engine itself says. A trial whose engine exits with an error, prints
#' nothing though the profile reads its output, or writes no picture is `failed`; one over the time limit is `timed_out`
#' and its processes are ended; a limit or device the engine does not know is `unsupported` and not run; a picture that
#' is broken is `unusable`.
#'
#' @param plan A plan from [plan_bench()] or [project_plan()].
#' @param ledger A ledger from [open_ledger()].
#' @param node The node that runs it, from [read_node()]; `NULL` for this machine under the name `here`.
#' @param folder Folder the engine runs in: scene files are found from there.
#' @param keep Folder for the pictures; `NULL` to remove each after its check.
#' @param progress `TRUE` to say on standard error what runs and how long is left.
#' @return The timings as they were added, a tibble; invisibly.
#' @section Conditions: `clockpigeon_error_engine` when a program is not installed or does not give the version asked
#'   for (before anything is run); `clockpigeon_error_ledger` when a timing cannot be written.
#' @examplesIf nzchar(system.file("bin", "pebble", package = "clockpigeon"))
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' plan <- plan_bench(shot, pebble, frames = 1, limits = list(list(samples = 1)), repeats = 1)
#' ledger <- open_ledger(":memory:")
#' run_bench(plan, ledger, progress = FALSE)[c("engine_version", "wall_s", "status")]
#' close_ledger(ledger)
#' @export
run_bench <- function(plan, ledger, node = NULL, folder = ".", keep = NULL, progress = interactive()) {
  check_class(plan, argument("plan"), "bench_plan", "plan_bench()")
  node <- if (is.null(node)) this_node() else check_class(node, argument("node"), "node", "read_node()")
  ledger_connection(ledger)
  engines <- attr(plan, "engines")
  options <- attr(plan, "options")
  programs <- lapply(engines, engine_program)
  versions <- ask_versions(plan, engines, programs)
  plan_id <- add_plan(ledger, options$name, options$seed, as_frame(plan))
  if (length(keep)) dir.create(keep, recursive = TRUE, showWarnings = FALSE)
  scratch <- tempfile("clockpigeon-")
  dir.create(scratch)
  on.exit(unlink(scratch, recursive = TRUE))
  timer <- progress_timer(plan, progress)
  lapply(seq_len(nrow(plan)), function(i) {
    trial <- as.list(as_frame(plan)[i, , drop = FALSE])
    engine <- engines[[trial$engine]]
    timer$before(i)
    timing <- run_trial(trial, engine, programs[[trial$engine]], normalizePath(folder), options$time_limit,
                        if (length(keep)) keep else scratch)
    timing$engine_version <- versions[[version_key(trial$engine, trial$version)]]
    timing$plan_id <- plan_id
    timing$output <- if (length(keep) && timing$status == "ok") timing$output else NA_character_
    timing <- add_node(timing, node, engine)
    timing$id <- add_timings(ledger, as_table(timing))
    timer$after(i, timing)
  })
  timer$end()
  invisible(timings(ledger, plan_id = plan_id))
}

version_key <- function(engine, version) paste(engine, version)

# Asks each engine for its version, once, before anything is timed. A version that was asked for must be the one that
# answers.
ask_versions <- function(plan, engines, programs) {
  pairs <- unique(as_frame(plan)[c("engine", "version")])
  answers <- Map(function(name, version) {
    engine <- engines[[name]]
    if (is.null(engine$version)) return(version)
    values <- Filter(Negate(is.na), list(version = version))
    ran <- run_command(programs[[name]], fill_arguments(engine$version$ask, values), getwd(), time_limit = 30)
    hit <- regmatches(ran$text, regexec(engine$version$pattern, ran$text, perl = TRUE))[[1]]
    where <- paste0(short_path(attr(engine, "path")), ", field `version`")
    if (length(hit) < 2) {
      stop_input("engine", paste0("asked for its version, ", name, " printed ", show_value(trimws(ran$text))), where,
                 "Mend `ask` or `pattern`.")
    }
    if (!is.na(version) && hit[2] != version) {
      stop_input("engine", paste0("asked as ", version, ", ", name, " says it is ", hit[2]), where,
                 "Install the version asked for, or ask for this one.")
    }
    hit[2]
  }, pairs$engine, pairs$version)
  stats::setNames(answers, version_key(pairs$engine, pairs$version))
}

# One trial: a list with the columns of a timing that follow from it alone.
run_trial <- function(trial, engine, program, folder, time_limit, pictures) {
  limit <- limit_columns(list(samples = null_if_na(trial$samples), noise = null_if_na(trial$noise),
                              time = null_if_na(trial$time_s)))
  row <- c(trial[c("shot", "scene", "frame", "engine", "width", "height", "threads", "run_order", "repeat")], limit,
           list(activity = "render", kind = "measured", precision = "exact", warm = trial[["repeat"]] > 0,
                load_average = load_average(), measured_at = utc_now()))
  odd <- setdiff(strsplit(limit$limit_kind, "+", fixed = TRUE)[[1]], engine$limits)
  if (length(odd)) {
    return(c(row, list(status = "unsupported", note = paste0(engine$engine, " knows no ", odd[1], " limit"))))
  }
  output <- file.path(normalizePath(pictures), sprintf("%s-%04d-%03d.%s", trial$shot, trial$frame, trial$run_order,
                                                       engine$output))
  unlink(output)
  ran <- tryCatch(run_command(program, fill_arguments(engine$arguments, trial_values(trial, output)), folder,
                              time_limit), error = identity)
  if (inherits(ran, "error")) {
    return(c(row, list(status = "failed", note = paste("could not be started:", first_line(conditionMessage(ran))))))
  }
  numbers <- as.list(read_output(ran$text, engine$reads))
  if (is.na(numbers$peak_mem_mb)) numbers$peak_mem_mb <- ran$peak_mem_mb
  row <- c(row, list(wall_s = ran$wall_s, cpu_s = ran$cpu_s, output = output), numbers,
           judge_trial(ran, engine, numbers, output, time_limit))
  if (!length(row$note)) row$note <- NA_character_
  row
}

null_if_na <- function(x) if (!is.na(x)) x

# How a trial ended, and in one sentence why.
judge_trial <- function(ran, engine, numbers, output, time_limit) {
  expected <- names(Filter(length, engine$reads))
  if (ran$late) return(list(status = "timed_out", note = paste("ended after", format_duration(time_limit))))
  if (!identical(ran$exit, 0L)) {
    return(list(status = "failed", note = paste0("exit status ", ran$exit, ": ", last_line(ran$text))))
  }
  if (length(expected) && !nzchar(trimws(ran$text))) {
    return(list(status = "failed", note = paste("the engine printed nothing; its profile reads", toString(expected))))
  }
  fault <- picture_fault(output, engine$output)
  if (length(fault)) {
    return(list(status = if (file.exists(output) && file.size(output) > 0) "unusable" else "failed",
                note = paste("the engine", fault)))
  }
  lost <- expected[is.na(unlist(numbers)[expected])]
  list(status = "ok", note = if (length(lost)) paste("not found in the output:", toString(lost)))
}

first_line <- function(text) strsplit(trimws(text), "\n", fixed = TRUE)[[1]][1]

last_line <- function(text) {
  lines <- strsplit(trimws(text), "\n", fixed = TRUE)[[1]]
  if (!length(lines)) return("it printed nothing")
  substr(lines[length(lines)], 1, 200)
}

# Where it ran: the node, and its first device of a kind the engine knows.
add_node <- function(timing, node, engine) {
  kinds <- vapply(node$devices, `[[`, "", "kind")
  fits <- which(kinds %in% engine$devices)
  device <- if (length(fits)) node$devices[[fits[1]]]
  timing$node <- node$node
  timing$device <- if (length(device)) device$device else NA_character_
  timing$device_count <- if (length(device)) device$count else NA_integer_
  timing
}
