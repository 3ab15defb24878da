# Nodes: reaching them, and what they report about themselves. mirai carries everything that crosses
# the network; how a node is started, and how strangers are kept out, is in 4-bench-launch.R.

# Address at which this process listens for a node of a network.
node_address <- function(launch) {
  if (length(launch$listen)) launch$listen
  else if (identical(launch$by, "ssh")) paste0("tls+tcp://127.0.0.1:", or_else(launch$port, 0))
  else mirai::host_url(tls = TRUE)
}

# Start a process on a node that takes orders from this one; it answers later. Request a machine
# from a scheduler.
begin_node <- function(node) {
  need_package("mirai", "nodes")
  profile <- node_profile(node)
  launch <- node$launch
  if (is.null(launch) || launch$by == "local") begin_local(profile)
  else if (launch$by == "ssh") begin_ssh(profile, launch, node_address(launch))
  else in_queue[[profile]] <-
    submit_job(node, scheduler_lines(launch, listen_for_node(profile, node_address(launch))))
  invisible()
}

node_answers <- function(node) isTRUE(mirai::status(.compute = node_profile(node))$connections > 0)

# Nodes that stay open from one run to the next.
held_nodes <- new.env()

# Opens a node: TRUE when it answers within `timeout` seconds, or else why not. `tell` is called
# with what a node that waits in a scheduler's queue says, each time that it is another.
open_node <- function(node, timeout = 20, tell = NULL) {
  if (isTRUE(held_nodes[[node_profile(node)]])) {
    if (node_answers(node)) return(TRUE)
    close_node(node, let_go = TRUE)
  }
  begin_node(node)
  deadline <- steady_clock() + timeout
  looked <- steady_clock()
  why <- "does not answer"
  while (!node_answers(node)) {
    now <- steady_clock()
    if (is_scheduled(node) && now - looked > min(1, timeout / 4)) {
      looked <- now
      stands <- node_queue(node)
      if (identical(stands$state, "ended")) return(stands$why)
      if (length(stands) && !identical(stands$why, why)) {
        why <- stands$why
        if (length(tell)) tell(why)
      }
    }
    if (now >= deadline) return(why)
    Sys.sleep(0.05)
  }
  TRUE
}

# How long a run waits for a node: one that a scheduler owns may be in its queue.
node_patience <- function(node, else_s = 20) if (is_scheduled(node)) node$launch$wait else else_s

close_node <- function(node, let_go = FALSE) {
  if (!let_go && isTRUE(held_nodes[[node_profile(node)]])) return(invisible())
  if (requireNamespace("mirai", quietly = TRUE)) mirai::daemons(0, .compute = node_profile(node))
  end_ssh(node_profile(node))
  leave_queue(node)
  invisible()
}

# Runs `code()` with a node that stays open over all that it runs there.
holding_node <- function(node, code, tell = NULL) {
  profile <- node_profile(node)
  on.exit(close_node(node, let_go = TRUE))
  reached <- open_node(node, node_patience(node), tell)
  if (!isTRUE(reached))
    stop_input("node", reached, paste("node", node$node), "See clockpigeon nodes.")
  held_nodes[[profile]] <- TRUE
  on.exit(rm(list = profile, envir = held_nodes), add = TRUE)
  code()
}

# Runs a function of this package on a node; check the result with unresolved() and task_result().
# The function travels; the functions it calls are those of the node's own release of this package.
ask_node <- function(node, what, arguments, timeout = Inf) {
  mirai::mirai(do.call(what, arguments), .args = list(what = what, arguments = arguments),
               .compute = node_profile(node), .timeout = if (is.finite(timeout)) 1000 * timeout)
}

# Result of a task: list(value), or list(lost = why) when the node vanished, or list(error = why). A
# node sends plain values only; anything else, such as a function, is not looked at further.
task_result <- function(task) {
  value <- task$data
  if (mirai::is_mirai_error(value))
    return(list(error = first_line(sub("^Error in [^:]*: ", "", as.character(value)))))
  if (mirai::is_error_value(value)) return(list(lost = sub("^[0-9]+ \\| ", "", mirai_words(value))))
  if (!is_plain(value)) return(list(error = "it answered with something that is no plain data"))
  list(value = value)
}

# Is a value plain data: vectors, and lists and data frames of such, without code or anything that
# refers to memory?
is_plain <- function(x, deep = 20) {
  if (deep == 0 || isS4(x)) return(FALSE)
  about <- attributes(x)
  if (!all(vapply(about, function(a) is.atomic(a) || is.list(a), NA))) return(FALSE)
  if (!all(class(x) %in% plain_classes)) return(FALSE)
  if (is.list(x)) all(vapply(unclass(x), is_plain, NA, deep = deep - 1)) else is.null(x) ||
    is.atomic(x)
}
plain_classes <- c("NULL", "logical", "integer", "numeric", "character", "raw", "list", "matrix",
                   "array", "data.frame", "tbl_df", "tbl", "POSIXct", "POSIXt", "Date", "difftime",
                   "cp_engine", "cp_node")

mirai_words <- function(value) {
  words <- utils::capture.output(print(value))
  trimws(sub("^'errorValue' int ", "", words[1]))
}

wait_for <- function(task) {
  while (mirai::unresolved(task)) Sys.sleep(0.002)
  task_result(task)
}

# Self-description of a node; run there.
node_report <- function(engines) {
  memory <- system_memory("avail") / 1e6
  list(time = wall_clock(), facts = machine_facts(), memory_mb = memory,
       disk_mb = disk_free_mb(tempdir()), versions = lapply(engines, installed_versions))
}

# The versions of an engine on this machine, each as the engine itself says it; none when it is not
# here.
installed_versions <- function(engine) {
  program <- tryCatch(engine_program(engine), clockpigeon_error = function(e) NULL)
  if (is.null(program)) return(character())
  asked <- if (length(engine$versions)) engine$versions else NA_character_
  if (is.null(engine$version)) return(asked[!is.na(asked)])
  said <- vapply(asked, function(v) {
    answer <- tryCatch(ask_version(engine, program, v), error = function(e) NULL)
    if (is.null(answer)) NA_character_ else answer
  }, "", USE.NAMES = FALSE)
  unique(said[!is.na(said)])
}

#' Readiness of nodes
#'
#' Reaches each node and lists its devices and engines. A node is ready when it answers and has the
#' version asked.
#'
#' @param nodes Nodes from `read_node()`, a list. One without `launch` is this machine.
#' @param engines Engines from [read_engine()], a list.
#' @param engine,version Engine asked for, and its version: exact (`"4.2"`) or bounds
#'   (`">=4.1 <5"`); `NULL` asks for none.
#' @param seen Names of nodes that have contributed timings.
#' @param timeout Seconds to wait for an answer.
#' @return A tibble, one row a node: `node`, `reachable`, `ready`, `contributing`, `versions` (of
#'   the engine asked, or of all, as text), `memory_mb`, `disk_mb` (free), `link_mb_s` (measured
#'   with 8 MB there), `clock_offset_s` (its clock less ours, to half the time of a question),
#'   `devices`, `cpu`, `queued` (it waits in a scheduler's queue), and `says`: what is in the way,
#'   and which side to move.
#' @section Conditions: `clockpigeon_error_package` when mirai is not installed;
#'   `clockpigeon_error_choice` for an engine that is not among `engines`.
#' @noRd
node_readiness <- function(nodes, engines, engine = NULL, version = NULL, seen = character(),
                           timeout = 20) {
  nodes <- as_list_of(nodes, "cp_node", argument("nodes"), "read_node()")
  engines <- as_list_of(engines, "cp_engine", argument("engines"), "read_engine()")
  names(engines) <- vapply(engines, `[[`, "", "engine")
  if (length(engine)) engines <- engines[check_choice(engine, argument("engine"), names(engines))]
  bind_tables(lapply(nodes, one_readiness, engines = engines, version = version, seen = seen,
                     timeout = timeout))
}

# One row of node readiness: reachable, versions, memory, disk, link, clock.
one_readiness <- function(node, engines, version, seen, timeout) {
  on.exit(close_node(node))
  reached <- tryCatch(open_node(node, timeout), error = function(e) {
    if (inherits(e, "clockpigeon_error_package")) stop(e)
    if (inherits(e, "clockpigeon_error_node")) e$what else "does not answer"
  })
  devices <- toString(vapply(node$devices, function(d) {
    paste0(d$device, if (d$count > 1) paste0(" x ", d$count),
           if (d$share < 1) sprintf(" (%.0f %%)", 100 * d$share))
  }, ""))
  row <- data.frame(node = node$node, reachable = FALSE, ready = FALSE, contributing = FALSE,
                    versions = NA_character_, memory_mb = NA_real_, disk_mb = NA_real_,
                    link_mb_s = NA_real_, clock_offset_s = NA_real_, devices = devices,
                    cpu = NA_character_, queued = FALSE, says = NA_character_)
  silent <- function(why, waits = FALSE) {
    row$queued <- waits
    row$says <- paste0(why, if (waits) ": its version is looked at when it has a machine"
                            else ": start it, or look at `launch` in its file")
    row
  }
  if (!isTRUE(reached)) {
    stands <- if (is_scheduled(node)) node_queue(node)
    return(silent(if (reached == "does not answer") "it does not answer" else reached,
                  identical(stands$state, "waits")))
  }
  answer <- wait_for(ask_node(node, node_report, list(engines), timeout))
  if (is.null(answer$value))
    return(silent(paste("it answers with an error,", c(answer$lost, answer$error)[1])))
  said <- answer$value
  trip <- link_trip(node, 0, timeout)
  row$reachable <- TRUE
  row$versions <- paste(names(said$versions), vapply(said$versions, paste, "", collapse = " "),
                        collapse = "; ")
  row$memory_mb <- round(said$memory_mb)
  row$disk_mb <- round(said$disk_mb)
  row$link_mb_s <- round(8 / max(1e-6, link_trip(node, 8e6, timeout)$seconds - trip$seconds), 1)
  row$clock_offset_s <- trip$offset
  row$cpu <- paste0(said$facts$cpu, ", ", said$facts$cores, " cores")
  row$says <- version_trouble(node, said$versions, version)
  row$ready <- is.na(row$says)
  row$contributing <- row$ready && node$node %in% seen
  row
}

# Time of one request with a number of bytes, and the offset of the node's clock.
link_trip <- function(node, bytes, timeout) {
  load <- as.raw(sample.int(256L, bytes, replace = TRUE) - 1L)
  asked <- wall_clock()
  there <- wait_for(ask_node(node, answer_time, list(load), timeout))$value
  answered <- wall_clock()
  list(seconds = answered - asked,
       offset = if (length(there)) round(there - (asked + answered) / 2, 4) else NA_real_)
}

answer_time <- function(load) wall_clock()

# Why a node is not ready for a version, and which side to move; NA when it is.
version_trouble <- function(node, versions, wanted) {
  for (engine in names(versions)) {
    have <- versions[[engine]]
    if (!length(have) && length(wanted))
      return(paste0("has no ", engine, ": install ", engine, " ", wanted, " there"))
    if (length(wanted) && !any(vapply(have, version_matches, NA, wanted))) {
      return(paste0("has ", engine, " ", either(have), ", asked is ", wanted,
                    ": install that there, or ask for ", either(have)))
    }
  }
  if (!any(lengths(versions))) return("has none of the engines: install one there")
  NA_character_
}
