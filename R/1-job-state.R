# History of a running job, as the simulation takes it to continue from there.

# A past, checked, of `n` frames in `parts` each, on `nodes` nodes. `codes` are the core's bits of
# what a node can do.
past_of <- function(at_s = 0, stages = NULL, nodes = NULL, lost = NULL, spent = NA_real_, way, n,
                    minor) {
  where <- argument("state")
  at_s <- check_number(at_s, where, least = 0)
  over <- c(prepare = NA_real_, upload = NA_real_, wait = NA_real_)
  stray <- setdiff(names(stages), names(over))
  if (length(stray)) {
    stop_input("field", paste("has a stage", either(stray)), where,
               "Stages are prepare, upload, wait.")
  }
  over[names(stages)] <- as.numeric(stages)
  late <- which(over > at_s)
  if (length(late)) {
    stop_input("type", paste0(names(over)[late[1]], " was over at ", over[late[1]],
                              " s, after the moment of the ", "state, ", at_s, " s"), where,
               "Leave out what is not over yet.")
  }
  spans <- node_spans(if (NROW(nodes)) as_frame(nodes), way, n, at_s)
  gone <- if (NROW(lost)) as_frame(lost)
  losses <- cbind(as.numeric(gone[["node"]]) - 1, as.numeric(gone[["gone_s"]]),
                  as.numeric(gone[["noticed_s"]]))
  if (!NROW(gone)) losses <- matrix(0, 0, 3)
  list(now = at_s, prepared = over[["prepare"]], sent = over[["upload"]], hired = over[["wait"]],
       spans = spans, losses = losses[order(losses[, 3]), , drop = FALSE],
       spent = if (is.na(spent)) NA_real_ else round(check_number(spent, where, least = 0) * minor))
}

# One row a stretch of a node's time, in the order in which they began: node, activity, from, to,
# task, runs.
node_spans <- function(x, way, n, at_s) {
  if (!NROW(x)) return(matrix(0, 0, 6))
  where <- argument("state")
  refuse <- function(...) stop_input("type", paste0(...), paste0(where, ", nodes"),
                                     paste0("Rows have node, does, from_s, to_s (NA: under ",
                                            "way), frame, part and runs."))
  needed <- setdiff(c("node", "does", "from_s", "to_s"), names(x))
  if (length(needed)) refuse("has no column ", either(needed))
  x[setdiff(c("frame", "part", "runs"), names(x))] <- NA_real_
  codes <- activity_codes()
  bad <- setdiff(x[["does"]], names(codes))
  if (length(bad)) refuse("got ", either(bad), "; a node does ", toString(names(codes)))
  if (any(!x[["node"]] %in% seq_len(way$nodes)))
    refuse("has a node beyond the ", way$nodes, " that there are")
  tasks <- x[["does"]] %in% c("render", "failed", "aborted")
  if (any(tasks & !x[["frame"]] %in% seq_len(n)))
    refuse("has a frame beyond the ", n, " of the job")
  if (anyNA(x[["from_s"]]) || any(x[["from_s"]] > at_s))
    refuse("has a row that begins after ", at_s, " s")
  under_way <- is.na(x[["to_s"]])
  twice <- anyDuplicated(x[["node"]][under_way])
  if (twice) refuse("node ", x[["node"]][under_way][twice], " does two things at once")
  frames <- paste(x[["frame"]], x[["part"]])[under_way & tasks]
  if (anyDuplicated(frames))
    refuse("frame ", x[["frame"]][under_way & tasks][anyDuplicated(frames)],
           " is rendered on two nodes at once")
  part <- ifelse(is.na(x[["part"]]), 1, x[["part"]])
  task <- ifelse(tasks, (x[["frame"]] - 1) * way$parts + part - 1, -1)
  runs <- ifelse(is.na(x[["runs"]]), 1, x[["runs"]])
  out <- cbind(x[["node"]] - 1, unname(codes[x[["does"]]]), x[["from_s"]], x[["to_s"]], task, runs)
  out[order(x[["from_s"]], x[["node"]]), , drop = FALSE]
}

# Rest of a job, as the core takes it: its frames, numbers of draws, history.
rest_of_job <- function(state, way, draws, n, minor, numbers = NULL) {
  mine <- state$left
  if (!is.null(mine)) {
    if (!is.matrix(mine)) mine <- matrix(mine, draws, length(mine), byrow = TRUE)
    if (!identical(dim(mine), c(as.integer(draws), as.integer(n))) || anyNA(mine)) {
      stop_input("type", paste("`left` has", paste(dim(mine), collapse = " x ")), argument("state"),
                 paste("Give TRUE or FALSE for each of", draws, "draws x", n,
                       "frames, or for each frame."))
    }
    storage.mode(mine) <- "integer"
  }
  each <- if (!is.null(state$each)) state$each else list(state[setdiff(names(state), "left")])
  if (!is.null(state$each) && length(each) != draws) {
    stop_input("type", paste("has", length(each), "states for", draws, "draws"), argument("state"),
               "Give one a draw.")
  }
  told <- lengths(each) > 0
  known <- c("at_s", "stages", "nodes", "lost", "spent")
  stray <- setdiff(unlist(lapply(each, names)), known)
  if (length(stray)) {
    stop_input("field", paste("has", either(stray)), argument("state"),
               paste0("A state has ", toString(known), ", left and each."))
  }
  past <- if (any(told))
    lapply(each, function(one) do.call(past_of, c(one, list(way = way, n = n, minor = minor))))
  list(mine = mine, numbers = as.integer(numbers), past = as.list(past))
}
