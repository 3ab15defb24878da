# A crew: trials that go to nodes, and what happens when a node vanishes.

# One trial on a node, a list of rows; run there. Its picture is checked there and does not travel.
host_trial <- function(trial, bench) {
  scratch <- tempfile("clockpigeon-")
  dir.create(scratch)
  on.exit(unlink(scratch, recursive = TRUE, expand = FALSE))
  if (length(bench$node$folder)) bench$folder <- bench$node$folder
  # An engine does not know how many of a machine's cores the scheduler gave.
  if (is.na(trial$threads)) trial$threads <- or_else(bench$given$cores, NA_integer_)
  run_trial(trial, bench, scratch)
}

# Opens the nodes that trials name, and has each set itself up; an error says which is not ready.
open_crew <- function(bench, names, nodes) {
  hosts <- lapply(names, function(name)
                  open_host(bench, nodes[[check_choice(name, "node of the plan", names(nodes))]]))
  stats::setNames(hosts, names)
}

# Start a node's process and connect to it.
open_host <- function(bench, node) {
  force(node)
  refuse <- function(why) {
    stop_input("node", why, paste("node", node$node),
               "See clockpigeon nodes; mend it, or leave it out of the plan.")
  }
  ready <- FALSE
  on.exit(if (!ready) close_node(node, let_go = TRUE))
  reached <- open_node(node, node_patience(node),
                       if (bench$progress) function(why) say_of(node$node, why))
  if (!isTRUE(reached)) refuse(reached)
  said <- wait_for(ask_node(node, set_up_host, list(bench$pairs, bench$engines, node, bench$sets),
                            120))
  if (is.null(said$value)) refuse(c(said$error, said$lost)[1])
  ready <- TRUE
  c(said$value, list(machine = machine_id(bench$ledger, said$value$facts)))
}

say_of <- function(name, ...) cat(name, " ", ..., "\n", sep = "", file = stderr())

# Runs trials on their nodes, one at a time on each. A node that vanishes gives a failed row for its
# current trial, which is repeated in a separate block. With `on_loss` move, this and the node's
# other trials go to the remaining nodes; with wait they stay until the run is resumed. A machine
# that a scheduler takes back is requested again, and the interrupted trial leaves no row: it is no
# evidence.
run_crew <- function(bench, trials) {
  crew <- list(bench = bench, waiting = trials, running = list(), down = character(),
               timer = progress_timer(trials, bench$progress), begun = 0L, cuts = integer(),
               looked = steady_clock())
  repeat {
    crew <- assign_trial(crew)
    if (!length(crew$running)) break
    Sys.sleep(0.01)
    crew <- look_at_queues(crew)
    done <- names(Filter(function(r) length(r$gone) || !mirai::unresolved(r$task), crew$running))
    for (name in done) crew <- take_trial_rows(crew, name)
  }
  crew$timer$end()
  if (nrow(crew$waiting)) {
    cat(nrow(crew$waiting), " trials wait for ", toString(crew$down),
        ": clockpigeon bench --resume\n", sep = "", file = stderr())
  }
  invisible(crew$down)
}

# Gives each idle node its next trial.
assign_trial <- function(crew) {
  bench <- crew$bench
  for (name in setdiff(names(bench$hosts), c(names(crew$running), crew$down))) {
    at <- which(crew$waiting[["node"]] %in% name)
    if (!length(at)) next
    trial <- as.list(crew$waiting[at[1], , drop = FALSE])
    crew$waiting <- crew$waiting[-at[1], , drop = FALSE]
    host <- bench$hosts[[name]]
    there <- c(bench[c("engines", "options", "folder", "plan_id")],
               host[setdiff(names(host), "facts")])
    task <- ask_node(host$node, host_trial, list(trial, there), bench$options$time_limit + 60)
    crew$begun <- crew$begun + 1L
    crew$timer$before(crew$begun)
    crew$running[[name]] <- list(task = task, trial = trial, number = crew$begun)
  }
  crew
}

# Take a trial's rows from a node; a trial that was cut off or lost its node is planned again.
take_trial_rows <- function(crew, name) {
  bench <- crew$bench
  run <- crew$running[[name]]
  crew$running[[name]] <- NULL
  said <- if (length(run$gone)) list(lost = run$gone) else task_result(run$task)
  if (length(said$lost) && is_scheduled(bench$hosts[[name]]$node)) {
    cuts <- sum(crew$cuts == run$trial$run_order) + 1L
    crew$cuts <- c(crew$cuts, run$trial$run_order)
    if (cuts < most_cuts) return(cut_trial(crew, name, run$trial, said$lost))
  }
  rows <- said$value
  if (is.null(rows)) {
    why <- if (length(said$lost)) paste0("the node ", name, " vanished: ", said$lost) else
      said$error
    rows <- list(c(run$trial[c("shot", "scene", "frame", "engine", "width", "height", "run_order",
                               "repeat")],
                list(activity = "render", kind = "measured", node = name, plan_id = bench$plan_id,
                     status = "failed", measured_at = utc_now(), note = why)))
  }
  for (row in rows) add_timings(bench$ledger, as_table(row))
  crew$timer$after(run$number, rows[[length(rows)]])
  if (length(said$lost)) lose_node(crew, name, run$trial) else crew
}

# How often a trial may be cut until it counts as failed.
most_cuts <- 3L

# How a scheduler's machines stand, every five seconds: one that is gone may not have been able to
# say so.
look_at_queues <- function(crew) {
  if (steady_clock() - crew$looked < 5) return(crew)
  crew$looked <- steady_clock()
  for (name in names(crew$running)) {
    node <- crew$bench$hosts[[name]]$node
    stands <- if (is_scheduled(node)) node_queue(node)
    if (length(stands) && stands$state != "runs") crew$running[[name]]$gone <- stands$why
  }
  crew
}

# An interrupted trial goes to the front of the queue, and another machine is requested. If none is
# available in time, the node's trials wait for the run to be resumed.
cut_trial <- function(crew, name, trial, why) {
  node <- crew$bench$hosts[[name]]$node
  stands <- node_queue(node)
  if (!identical(stands$state, "runs") && length(stands)) why <- stands$why
  close_node(node, let_go = TRUE)
  say_of(name, "is gone in mid-frame: ", why, ". Another machine is requested")
  crew$waiting <- rbind(as.data.frame(trial, check.names = FALSE), crew$waiting)
  host <- tryCatch(open_host(crew$bench, node), clockpigeon_error_node = identity)
  if (inherits(host, "error")) crew$down <- c(crew$down, name) else crew$bench$hosts[[name]] <- host
  crew
}

# Drop a node from the crew and plan its trial again, on other nodes if the plan says `move`.
lose_node <- function(crew, name, trial) {
  bench <- crew$bench
  crew$down <- c(crew$down, name)
  left <- setdiff(names(bench$hosts), crew$down)
  again <- as.data.frame(trial, check.names = FALSE)
  kept <- kept_plan(bench$ledger, id = bench$plan_id)
  again[["run_order"]] <- max(kept$trials[["run_order"]]) + 1L
  add_block(bench$ledger, bench$plan_id, kept$blocks + 1L, again)
  crew$waiting <- rbind(crew$waiting, again)
  if (identical(bench$options$on_loss, "move") && length(left)) {
    at <- which(crew$waiting[["node"]] == name)
    crew$waiting[["node"]][at] <- rep_len(left, length(at))
  }
  crew
}
