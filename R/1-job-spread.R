# How to spread a job over nodes: whole frames, ranges, bands, shares or layers.

new_advice <- record_type("cp_advice", sentence = is.character, ways = is.data.frame,
                          rounds = is.integer, useful = is.integer, idle = is.character)

#' Whole frames, ranges, bands, shares or layers
#'
#' Duration of each way of spreading a job over nodes, and the best one with the reason. Whole
#' frames go to the slot that is free first (list scheduling, Graham 1966, *Bounds for certain
#' multiprocessing anomalies*): with equal frames and slots the job takes ceiling(frames / slots)
#' rounds, so that only slot counts that save a round help. Ranges are fixed runs of frames in
#' proportion to speed; bands and shares put all slots on one frame after the other, which pays the
#' load on every slot for every frame and a merge, and shares also the coordinator's link.
#'
#' @param job What is to be rendered: a list with `seconds` (compute seconds of each frame on a node
#'   of speed 1), and where they apply `load_s` (a frame's scene load), `load_once` (`TRUE` when a
#'   node loads once for all its frames), `merge_s` (joining the parts of one frame), `layers` (that
#'   can be rendered apart), `bytes` (of a picture as it is sent), `link` (the coordinator's, bytes
#'   a second), `bands` and `shares` (whether the engine can), `whole_only` (what needs the whole
#'   frame at once, such as `"denoising"`). A [render_job()] is such a job, its curves' mean times
#'   taken.
#' @param nodes Speeds of the nodes, named (1: as fast as the node that `seconds` are from), or a
#'   data frame with `node`, `speed` and `slots` (frames at once on it, 1 by default).
#' @return A list of class `cp_advice`: `sentence`, the advice; `ways`, a tibble, the best way
#'   first: `spread`, `seconds` (to the last frame), `possible`, `tail_s` (how long part of the
#'   slots stand idle at the end), `load_s` (all loads paid, node seconds), `reason`; `rounds`;
#'   `useful`, larger counts of equal slots that save a round; `idle`, nodes without which the job
#'   ends no later.
#' @section Conditions: `clockpigeon_error_type` for times or speeds that are not above 0.
#' @examples
#' advice <- spread_advice(list(seconds = rep(60, 100), load_s = 5), c(a = 1, b = 1, c = 0.5))
#' advice$sentence
#' advice$ways[c("spread", "seconds", "reason")]
#' @export
spread_advice <- function(job, nodes) {
  job <- spread_job(job)
  slots <- spread_slots(nodes)
  ways <- list(frames = by_frames(job, slots), ranges = by_ranges(job, slots),
               bands = by_parts(job, slots, "bands"), shares = by_parts(job, slots, "shares"),
               layers = by_layers(job, slots))
  column <- function(name, default) vapply(ways, function(w) w[[name]], default, USE.NAMES = FALSE)
  out <- data.frame(spread = names(ways), seconds = column("seconds", 0),
                    possible = column("possible", NA), tail_s = column("tail_s", 0),
                    load_s = column("load_s", 0), reason = column("reason", ""))
  # Equal times: the simpler way, which stands first.
  order <- order(!out[["possible"]], round(out[["seconds"]], 6), seq_along(ways))
  out <- as_table(out[order, , drop = FALSE])
  frames <- length(job$seconds)
  useful <- if (is_uniform_pool(slots)) useful_slots(frames, nrow(slots)) else integer()
  idle <- idle_nodes(job, slots)
  new_advice(list(sentence = spread_sentence(out, useful, idle), ways = out,
                  rounds = as.integer(ceiling(frames / nrow(slots))), useful = useful, idle = idle))
}

spread_job <- function(job) {
  if (inherits(job, "cp_job")) {
    seconds <- unlist(lapply(job$curves, function(curve) colMeans(curve_draws(curve, 500))))
    job <- list(seconds = seconds)
  }
  given <- list(load_s = 0, load_once = FALSE, merge_s = 0, layers = 1, bytes = NA_real_,
                link = NA_real_, bands = TRUE, shares = FALSE, whole_only = character())
  job <- utils::modifyList(given, as.list(job))
  job$seconds <- check_seconds(job$seconds, "argument `job`, seconds")
  job$load_s <- check_number(job$load_s, "argument `job`, load_s", least = 0)
  job$merge_s <- check_number(job$merge_s, "argument `job`, merge_s", least = 0)
  job$layers <- check_count(job$layers, "argument `job`, layers")
  job
}

# One row a slot, fastest first.
spread_slots <- function(nodes) {
  if (is.numeric(nodes)) {
    nodes <- data.frame(node = if (length(names(nodes))) names(nodes) else
                        paste("node", seq_along(nodes)),
                        speed = as.numeric(nodes))
  }
  check_columns(nodes, argument("nodes"), c("node", "speed"))
  nodes <- as_frame(nodes)
  check_seconds(nodes[["speed"]], "argument `nodes`, speed")
  count <- if ("slots" %in% names(nodes))
    check_counts(nodes[["slots"]], "argument `nodes`, slots") else 1L
  slots <- nodes[rep(seq_len(nrow(nodes)), rep_len(count, nrow(nodes))), c("node", "speed"),
                 drop = FALSE]
  slots[order(-slots[["speed"]]), , drop = FALSE]
}

# Tasks to the slot that is free first; when it ends, and when the first slot has nothing left to
# do. A slot that would end a task later than another that is still busy takes it all the same, as
# farms do.
in_turn <- function(seconds, load, once, speeds) {
  free <- if (once) rep(load, length(speeds)) / speeds else numeric(length(speeds))
  each <- if (once) 0 else load
  for (s in seconds) {
    k <- which.min(free)
    free[k] <- free[k] + (each + s) / speeds[k]
  }
  list(end = max(free), tail = max(free) - min(free))
}

by_frames <- function(job, slots) {
  ran <- in_turn(job$seconds, job$load_s, job$load_once, slots[["speed"]])
  rounds <- ceiling(length(job$seconds) / nrow(slots))
  list(seconds = ran$end, possible = TRUE, tail_s = ran$tail,
       load_s = job$load_s * if (job$load_once) nrow(slots) else length(job$seconds),
       reason = paste0(format_count(length(job$seconds), "frame"), " on ",
                       format_count(nrow(slots), "slot"), ": ",
                       if (is_uniform_pool(slots)) format_count(rounds, "round") else
                       "each to the slot that is free first", ", ",
                       if (ran$tail < 0.01 * ran$end) "no slot idle before the end"
                       else paste("the first slot idle for the last", format_duration(ran$tail))))
}

is_uniform_pool <- function(slots) diff(range(slots[["speed"]])) < 1e-9

# Fixed runs of frames, one a slot: seconds of the whole, possible or not, and why.
by_ranges <- function(job, slots) {
  # Runs of frames so that each slot has work in proportion to its speed, ends rounded to whole
  # frames.
  share <- cumsum(slots[["speed"]]) / sum(slots[["speed"]])
  work <- cumsum(job$seconds) / sum(job$seconds)
  run <- pmin(findInterval(work - 1e-12, c(0, share), left.open = TRUE), nrow(slots))
  count <- tabulate(run, nrow(slots))
  busy <- vapply(seq_len(nrow(slots)), function(k) sum(job$seconds[run == k]), 0)
  loads <- if (job$load_once) as.numeric(count > 0) else count
  ends <- (busy + job$load_s * loads) / slots[["speed"]]
  list(seconds = max(ends), possible = TRUE, tail_s = max(ends) - min(ends),
       load_s = job$load_s * sum(loads),
       reason = paste0("fixed runs of ", paste(unique(range(count)), collapse = " to "),
                       " frames a slot; a slow stretch ",
                       "stays where it fell"))
}

# Every frame cut into parts for all slots (`bands` or `shares`): seconds, possible or not, and why.
by_parts <- function(job, slots, kind) {
  able <- isTRUE(job[[kind]])
  whole <- length(job$whole_only) > 0 && kind == "bands"
  n <- nrow(slots)
  # Every slot loads; the slowest load and its part of the work end the frame.
  part <- max(job$load_s / slots[["speed"]]) +
    sum(job$seconds) / length(job$seconds) / sum(slots[["speed"]])
  sent <- if (kind == "shares" && is.finite(job$bytes / job$link)) n * job$bytes / job$link else 0
  each <- max(part + job$merge_s, sent)
  reason <- if (!able) paste("the engine cannot render", kind)
            else if (whole) paste(toString(job$whole_only), "needs the whole frame at once")
            else paste0("all ", format_count(n, "slot"), " on one frame: load paid ", n,
                        " times a frame", if (sent > part) "; the coordinator's link is the limit")
  list(seconds = each * length(job$seconds), possible = able && !whole, tail_s = 0,
       load_s = job$load_s * n * length(job$seconds), reason = reason)
}

by_layers <- function(job, slots) {
  tasks <- rep(job$seconds / job$layers, each = job$layers)
  ran <- in_turn(tasks, job$load_s, job$load_once, slots[["speed"]])
  list(seconds = ran$end + if (job$layers > 1) job$merge_s else 0, possible = job$layers > 1,
       tail_s = ran$tail, load_s = job$load_s * if (job$load_once) nrow(slots) else length(tasks),
       reason = if (job$layers > 1) paste0(format_count(job$layers, "layer"),
                                           " a frame, each a task of its own; merged after")
                else "there is one layer")
}

format_count <- function(n, word) paste0(n, " ", word, if (n != 1) "s")

# Slot counts above the present one that save a round, the next five.
useful_slots <- function(frames, slots) {
  rounds <- ceiling(frames / slots)
  if (rounds <= 1) return(integer())
  counts <- unique(ceiling(frames / seq(rounds - 1, 1)))
  as.integer(utils::head(counts[counts > slots], 5))
}

# Nodes without which whole frames end no later, the slowest tried first and left out where it is
# so.
idle_nodes <- function(job, slots) {
  end <- function(slots) in_turn(job$seconds, job$load_s, job$load_once, slots[["speed"]])$end
  idle <- character()
  for (node in rev(unique(slots[["node"]]))) {
    rest <- slots[slots[["node"]] != node, , drop = FALSE]
    if (nrow(rest) && end(rest) <= end(slots) * (1 + 1e-9)) {
      idle <- c(idle, node)
      slots <- rest
    }
  }
  idle
}

# The best spread with its reason, the second best, and slots that do not help.
spread_sentence <- function(ways, useful, idle) {
  best <- as_frame(ways)[1, ]
  second <- as_frame(ways)[ways[["possible"]], ][2, ]
  paste0(
    "Spread by ", best[["spread"]], ": ", best[["reason"]], "; ",
    format_duration(best[["seconds"]]), " in all",
    if (!is.na(second[["spread"]])) paste0(", ", second[["spread"]], " would take ",
                                           format_duration(second[["seconds"]])),
    ".",
    if (best[["spread"]] == "frames" && length(useful))
    paste0(" The next slot count that saves a round is ", useful[1],
           "."),
    if (length(idle)) paste0(" Without ", toString(idle), " it would end no later: ",
                             if (length(idle) > 1) "they help nothing." else "it helps nothing.")
  )
}
