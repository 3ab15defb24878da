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
  bench <- set_up_bench(plan, ledger, node, folder, keep, progress)
  options <- attr(plan, "options")
  kept <- list(time_limit = options$time_limit, study = options$study, until = unclass(attr(plan, "until")))
  bench$plan_id <- add_plan(ledger, options$name, options$seed, Filter(length, kept), as_frame(plan))
  run_plan(bench, as_frame(plan), blocks = 1L)
}

#' Go on with a benchmark that was interrupted
#'
#' A plan's trials are written to the ledger before the first one runs, and each timing as it ends. So a run that was
#' stopped, killed or cut off goes on with exactly the trials that have no row; one that ran to its end runs nothing.
#'
#' @inheritParams run_bench
#' @param engines An engine from [read_engine()] or a list of them, those of the plan among them.
#' @param name Name of the plan; the latest of any name when `NULL`.
#' @return All timings of the plan, a tibble; invisibly.
#' @section Conditions: `clockpigeon_error_plan` when the ledger has no such plan, or it needs an engine that is not
#'   given; and those of [run_bench()].
#' @examplesIf nzchar(system.file("bin", "pebble", package = "clockpigeon"))
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' ledger <- open_ledger(":memory:")
#' run_bench(plan_bench(shot, pebble, frames = 1, repeats = 1), ledger, progress = FALSE)
#' nrow(resume_bench(ledger, pebble, progress = FALSE))
#' close_ledger(ledger)
#' @export
resume_bench <- function(ledger, engines, name = NULL, node = NULL, folder = ".", keep = NULL,
                         progress = interactive()) {
  engines <- as_list_of(engines, "engine", argument("engines"), "read_engine()")
  kept <- kept_plan(ledger, name)
  if (is.null(kept)) {
    stop_input("plan", paste0("has no plan", if (length(name)) paste0(" ", show_value(name))), short_path(ledger$path),
               "Run one first: clockpigeon bench.")
  }
  names(engines) <- vapply(engines, `[[`, "", "engine")
  lost <- setdiff(kept$trials[["engine"]], names(engines))
  if (length(lost)) stop_input("plan", paste("needs the engine", lost[1]), argument("engines"), "Give its profile too.")
  until <- kept$options$until
  if (length(until)) until <- repeat_until(until$target, until$least, until$most, as.numeric(until$budget))
  options <- bench_options(time_limit = kept$options$time_limit, seed = kept$seed, name = kept$name,
                           study = kept$options$study)
  plan <- new_plan(kept$trials, engines[unique(kept$trials[["engine"]])], options, until)
  bench <- set_up_bench(plan, ledger, node, folder, keep, progress)
  bench$plan_id <- kept$id
  run_plan(bench, kept$trials, kept$blocks)
}

# What all trials of a run share: programs found and versions asked before anything is timed.
set_up_bench <- function(plan, ledger, node, folder, keep, progress) {
  node <- if (is.null(node)) this_node() else check_class(node, argument("node"), "node", "read_node()")
  ledger_connection(ledger)
  engines <- attr(plan, "engines")
  programs <- lapply(engines, engine_program)
  if (length(keep)) dir.create(keep, recursive = TRUE, showWarnings = FALSE)
  list(engines = engines, programs = programs, versions = ask_versions(plan, engines, programs), ledger = ledger,
       node = node, folder = normalizePath(folder), keep = keep, progress = progress, options = attr(plan, "options"),
       until = attr(plan, "until"), machine = machine_id(ledger, machine_facts()), cores = machine_cores())
}

# Runs the trials that have no row yet, then block after block of the settings that are not known well enough.
run_plan <- function(bench, trials, blocks) {
  done <- function() timings(bench$ledger, plan_id = bench$plan_id)
  run_trials(bench, trials[!trials[["run_order"]] %in% done()[["run_order"]], , drop = FALSE])
  repeat {
    more <- next_block(trials, done(), bench$until, bench$options$seed)
    if (is.null(more)) break
    blocks <- blocks + 1L
    add_block(bench$ledger, bench$plan_id, blocks, more)
    trials <- rbind(trials, more)
    run_trials(bench, more)
  }
  invisible(done())
}

setting_key <- function(trials) row_key(trials, setdiff(names(trials), c("run_order", "repeat")))

# One more block for the settings whose mean is not known as well as `until` asks; NULL when there is none, or the
# budget is used.
next_block <- function(trials, rows, until, seed) {
  if (is.null(until) || sum(rows[["wall_s"]], na.rm = TRUE) >= until$budget) return(NULL)
  trials <- trials[trials[["repeat"]] > 0, , drop = FALSE]
  at <- match(trials[["run_order"]], rows[["run_order"]])
  log_s <- ifelse(rows[["status"]][at] == "ok", log(rows[["wall_s"]][at]), NA)
  runs <- split(log_s, factor(setting_key(trials), unique(setting_key(trials))))
  open <- vapply(runs, function(x) {
    known <- x[!is.na(x)]
    length(x) < until$most && length(known) > 0 && relative_half_width(known) > until$target
  }, NA)
  if (!any(open)) return(NULL)
  first <- trials[!duplicated(setting_key(trials)), , drop = FALSE][open, , drop = FALSE]
  block <- max(trials[["repeat"]]) + 1L
  order <- with_seed(stream_seed(seed, paste("block", block)), sample.int(nrow(first)))
  first <- first[order, , drop = FALSE]
  first[["repeat"]] <- block
  first[["run_order"]] <- max(trials[["run_order"]]) + seq_len(nrow(first))
  first
}

run_trials <- function(bench, trials) {
  if (!nrow(trials)) return(invisible())
  scratch <- tempfile("clockpigeon-")
  dir.create(scratch)
  on.exit(unlink(scratch, recursive = TRUE))
  timer <- progress_timer(trials, bench$progress)
  for (i in seq_len(nrow(trials))) {
    timer$before(i)
    timing <- run_trial(as.list(trials[i, , drop = FALSE]), bench, if (length(bench$keep)) bench$keep else scratch)
    add_timings(bench$ledger, as_table(timing))
    timer$after(i, timing)
  }
  timer$end()
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

# One trial: a list with the columns of a timing.
run_trial <- function(trial, bench, pictures) {
  engine <- bench$engines[[trial$engine]]
  features <- if (is.na(trial$features)) list() else jsonlite::fromJSON(trial$features)
  limit <- limit_columns(list(samples = null_if_na(trial$samples), noise = null_if_na(trial$noise),
                              time = null_if_na(trial$time_s)), features)
  used <- device_use(bench$node, engine, trial$devices, trial$threads, bench$cores)
  trial$threads <- used$threads
  row <- c(trial[c("shot", "scene", "frame", "engine", "width", "height", "run_order", "repeat")], limit, used,
           list(activity = "render", kind = "measured", precision = "exact", warm = trial[["repeat"]] > 0,
                load_average = load_average(), measured_at = utc_now(), node = bench$node$node,
                machine = bench$machine, plan_id = bench$plan_id,
                engine_version = bench$versions[[version_key(trial$engine, trial$version)]]))
  odd <- setdiff(strsplit(limit$limit_kind, "+", fixed = TRUE)[[1]], engine$limits)
  if (length(odd)) return(c(row, status = "unsupported", note = paste0(engine$engine, " knows no ", odd[1], " limit")))
  texts <- tryCatch(feature_texts(engine, features), clockpigeon_error_feature = identity)
  if (inherits(texts, "error")) return(c(row, status = "unsupported", note = texts$what))
  output <- file.path(normalizePath(pictures), sprintf("%s-%04d-%03d.%s", trial$shot, trial$frame, trial$run_order,
                                                       engine$output))
  unlink(output)
  arguments <- fill_arguments(engine$arguments, trial_values(trial, output, features = texts))
  watch <- watch_machine()
  ran <- tryCatch(run_command(bench$programs[[trial$engine]], arguments, bench$folder, bench$options$time_limit),
                  error = identity)
  if (inherits(ran, "error")) {
    return(c(row, status = "failed", note = paste("could not be started:", first_line(conditionMessage(ran)))))
  }
  numbers <- as.list(read_output(ran$text, engine$reads))
  if (is.na(numbers$peak_mem_mb)) numbers$peak_mem_mb <- ran$peak_mem_mb
  row <- c(row, ran[c("wall_s", "cpu_s")], numbers, watch(ran$wall_s, ran$cpu_s),
           judge_trial(ran, engine, numbers, output, bench$options$time_limit))
  if (length(bench$keep) && row$status == "ok") row$output <- output
  Filter(length, row)
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
