# Running a plan: each trial becomes a row, also a failed one.

#' Run a benchmark
#'
#' Runs the trials of a plan one after the other and writes each timing to the ledger as it ends. A
#' trial that fails is a row with the reason in its `note`, not a stop.
#'
#' wall = from just before the engine's process is started until it has ended, so that spawning and
#' loading are part of it; `load_s` and `compute_s` are what the engine itself says. A trial whose
#' engine exits with an error, prints nothing though the profile reads its output, or writes no
#' picture is `failed`; one over the time limit is `timed_out` and its processes are ended; a limit
#' or device the engine does not know is `unsupported` and not run; a picture that is broken, cut
#' off or of another size is `unusable`; one that another device rendered than the one asked for is
#' `failed`. A pre-pass that the profile requires once per shot is a separate row, with the activity
#' `prepass`.
#'
#' @param plan A plan from [plan_bench()].
#' @param ledger A ledger from [open_ledger()].
#' @param node The node that runs it, from [read_node()]; `NULL` for this machine under the name
#'   `here`. A list of nodes when the plan names nodes: each trial then runs on its own, all nodes
#'   side by side, through an encrypted connection (package mirai).
#' @param folder Folder the engine runs in: scene files are found from there.
#' @param keep Folder for the pictures; `NULL` to remove each after its check.
#' @param progress `TRUE` to say on standard error what runs and how long is left.
#' @return The timings as they were added, a tibble; invisibly.
#' @section Conditions: `clockpigeon_error_engine` when a program is not installed or does not give
#'   the version asked for (before anything is run); `clockpigeon_error_node` when a node of the
#'   plan does not answer or lacks an engine; `clockpigeon_error_ledger` when a timing cannot be
#'   written.
#' @examplesIf nzchar(system.file("bin", "pebble", package = "clockpigeon"))
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' plan <- plan_bench(shot, pebble, frames = 1, limits = list(list(samples = 1)), repeats = 1)
#' ledger <- open_ledger(":memory:")
#' run_bench(plan, ledger, progress = FALSE)[c("engine_version", "wall_s", "status")]
#' close_ledger(ledger)
#' @export
run_bench <- function(plan, ledger, node = NULL, folder = ".", keep = NULL,
                      progress = interactive()) {
  check_class(plan, argument("plan"), "cp_bench_plan", "plan_bench()")
  bench <- set_up_bench(plan, ledger, node, folder, keep, progress)
  options <- plan$options
  kept <- c(options[c("time_limit", "study", "on_loss")], list(until = unclass(plan$until)))
  bench$plan_id <- add_plan(ledger, options$name, options$seed, Filter(length, kept),
                            as_frame(plan$trials))
  claim <- claim_plan(ledger, bench$plan_id)
  on.exit({
    release_plan(claim)
    close_bench(bench)
  })
  run_plan(bench, as_frame(plan$trials))
}

#' Go on with a benchmark that was interrupted
#'
#' A plan's trials are written to the ledger before the first one runs, and each timing as it ends.
#' So a run that was stopped, killed or cut off goes on with exactly the trials that have no row;
#' one that ran to its end runs nothing.
#'
#' @inheritParams run_bench
#' @param engines An engine from [read_engine()] or a list of them, those of the plan among them.
#' @param name Name of the plan; the latest of any name when `NULL`.
#' @return All timings of the plan, a tibble; invisibly.
#' @section Conditions: `clockpigeon_error_plan` when the ledger has no such plan, or it needs an
#'   engine that is not given, or another process is running it; and those of [run_bench()].
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
  engines <- as_list_of(engines, "cp_engine", argument("engines"), "read_engine()")
  kept <- kept_plan(ledger, name)
  if (is.null(kept)) {
    stop_input("plan", paste0("has no plan", if (length(name)) paste0(" ", show_value(name))),
               short_path(ledger$path), "Run one first: clockpigeon bench.")
  }
  names(engines) <- vapply(engines, `[[`, "", "engine")
  lost <- setdiff(kept$trials[["engine"]], names(engines))
  if (length(lost))
    stop_input("plan", paste("needs the engine", lost[1]), argument("engines"),
               "Give its profile too.")
  until <- kept$options$until
  if (length(until))
    until <- repeat_rule(until$target, until$least, until$most, as.numeric(until$budget))
  options <- bench_options(time_limit = kept$options$time_limit, seed = kept$seed, name = kept$name,
                           study = kept$options$study, on_loss = kept$options$on_loss)
  plan <- bench_plan(kept$trials, engines[unique(kept$trials[["engine"]])], options, until)
  claim <- claim_plan(ledger, kept$id)
  on.exit(release_plan(claim))
  bench <- set_up_bench(plan, ledger, node, folder, keep, progress)
  bench$plan_id <- kept$id
  on.exit(close_bench(bench), add = TRUE)
  kept <- kept_plan(ledger, id = kept$id)
  run_plan(bench, kept$trials)
}

# Shared parts of all trials of a run: programs found and versions asked, here or on each node,
# before anything is timed.
set_up_bench <- function(plan, ledger, node, folder, keep, progress) {
  nodes <- if (is.null(node)) list(this_node()) else
    as_list_of(node, "cp_node", argument("node"), "read_node()")
  names(nodes) <- vapply(nodes, `[[`, "", "node")
  ledger_connection(ledger)
  if (length(keep)) dir.create(keep, recursive = TRUE, showWarnings = FALSE)
  bench <- list(engines = plan$engines, ledger = ledger, folder = run_folder(folder), keep = keep,
                progress = progress, options = plan$options, until = plan$until)
  pairs <- unique(as_frame(plan$trials)[c("engine", "version")])
  bench$pairs <- pairs
  bench$sets <- unique(plan$trials[["devices"]])
  if (is_away(nodes[[1]])) bench$lead <- nodes[[1]]$node
  asked <- unique(lead_trials(bench, as_frame(plan$trials))[["node"]])
  if (all(is.na(asked))) {
    host <- set_up_host(pairs, bench$engines, nodes[[1]], bench$sets)
    return(c(bench, host, list(machine = machine_id(ledger, host$facts))))
  }
  c(bench, list(hosts = open_crew(bench, asked, nodes)))
}

# Is a node another machine than this one?
is_away <- function(node) length(node$launch) > 0 && node$launch$by != "local"

# Trials that name no node are for the first that was given, wherever it is.
lead_trials <- function(bench, trials) {
  if (length(bench$lead))
    trials[["node"]] <- ifelse(is.na(trials[["node"]]), bench$lead, trials[["node"]])
  trials
}

run_folder <- function(folder) {
  if (!dir.exists(folder))
    stop_input("file", "there is no such folder to run in", folder, "Check the path.")
  real_path(folder)
}

close_bench <- function(bench) for (host in bench$hosts) close_node(host$node)

# Runs the trials that have no row yet, then block after block of the settings that are not known
# well enough.
run_plan <- function(bench, trials) {
  done <- function() timings(bench$ledger, plan_id = bench$plan_id)
  run <- if (length(bench$hosts)) run_crew else run_trials
  trials <- lead_trials(bench, trials)
  lost <- run(bench, trials[!trials[["run_order"]] %in% done()[["run_order"]], , drop = FALSE])
  while (!length(lost)) {
    kept <- kept_plan(bench$ledger, id = bench$plan_id)
    more <- next_block(kept$trials, done(), bench$until, bench$options$seed)
    if (is.null(more)) break
    add_block(bench$ledger, bench$plan_id, kept$blocks + 1L, more)
    lost <- run(bench, lead_trials(bench, more))
  }
  invisible(done())
}

setting_key <- function(trials) row_key(trials, setdiff(names(trials), c("run_order", "repeat")))

# One more block for the settings whose mean is not known as well as `until` asks; NULL when there
# is none, or the budget is used.
next_block <- function(trials, rows, until, seed) {
  if (is.null(until) || sum(rows[["wall_s"]], na.rm = TRUE) >= until$budget) return(NULL)
  trials <- trials[trials[["repeat"]] > 0, , drop = FALSE]
  at <- match(trials[["run_order"]], rows[["run_order"]])
  log_s <- ifelse(rows[["status"]][at] == "ok", log(rows[["wall_s"]][at]), NA)
  runs <- split(log_s, factor(setting_key(trials), unique(setting_key(trials))))
  open <- vapply(runs, function(x) {
    known <- x[!is.na(x)]
    length(x) < until$most && length(known) > 0 &&
      relative_half_width(known, looked_level()) > until$target
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

# Run trials one after the other, and add each row before the next starts.
run_trials <- function(bench, trials) {
  if (!nrow(trials)) return(invisible(NULL))
  scratch <- tempfile("clockpigeon-")
  dir.create(scratch)
  on.exit(unlink(scratch, recursive = TRUE, expand = FALSE))
  timer <- progress_timer(trials, bench$progress)
  for (i in seq_len(nrow(trials))) {
    timer$before(i)
    rows <- run_trial(as.list(trials[i, , drop = FALSE]), bench,
                      if (length(bench$keep)) bench$keep else scratch)
    for (row in rows) add_timings(bench$ledger, as_table(row))
    timer$after(i, rows[[length(rows)]])
  }
  timer$end()
  invisible(NULL)
}
