# A way to render a job, in numbers: nodes, stages, transfers, spread, troubles, hours and the cap.

# A way is its parts in one list: the fields of the five groups below, and what belongs to none.
new_way <- record_type(
  "cp_way", begin = is.numeric, open = maybe(is.numeric), cap = maybe(is.numeric),
  cap_lag = is.numeric, halt = is.numeric,
  # nodes
  nodes = is.integer, speed = is.numeric, node_sd = is.numeric, node_speed = is.numeric,
  until_end = is.logical,
  # stages
  prepare = is.numeric, wait = is.numeric, start = is.numeric, install = is.numeric,
  load = is.numeric, merge = is.numeric, encode = is.numeric, prepass_tasks = is.integer,
  prepass_each = is.numeric, prepass_on_one = is.logical,
  # transfers
  upload = is.numeric, fetch = is.numeric, link = is.numeric, link_sd = is.numeric,
  # spreading
  spread = is.character, parts = is.integer, part_load = is.numeric, part_weight = is.numeric,
  part_bytes = is.numeric, part_link = is.numeric,
  # troubles
  fails = is.numeric, retries = is.integer, vanish = is.numeric, freeze = is.numeric,
  notice = is.numeric, replaced = is.logical
)

#' A way to render a job
#'
#' All that [simulate_job()] needs to know of how a job is rendered: the nodes, the stages before,
#' between and after the frames, what travels, how work is spread over the nodes, what can go wrong,
#' when it may run and what it may cost.
#'
#' A time that varies is a number of seconds (no spread), `c(median = , p90 = )` (log-normal), or a
#' list of `median_s`, `sd` (of its log) and `df` (Student's t where finite).
#'
#' @param nodes Number of nodes, or a list with any of `count`; `speed`, 1 for the node that frame
#'   times are from, or a list of `log_factor`, `se` and `df`, what is known of it: it is drawn once
#'   a draw, for all nodes together; `sd` of log speed between the nodes; `each`, known differences,
#'   one number a node; `release`: `"idle"`, a node is released when there is nothing left for it,
#'   or `"end"`, when all frames are done.
#' @param stages,troubles From the functions of these names, or lists of their arguments.
#' @param transfers A list with any of `upload` (bytes sent before), `frame_bytes` (that come back
#'   for a frame), `link` (bytes a second of the link that all of it shares; 0: nothing has to
#'   travel), and `link_sd`, the sd of its log.
#' @param spreading A list with any of `spread`: `"frames"`, each to the node that is free first;
#'   `"ranges"`, fixed runs of frames, in proportion to the nodes' known speeds; `"bands"`,
#'   `"shares"`, `"layers"`, `parts` of each frame, each a separate task, merged after; `parts`,
#'   their number; `part_load_s`, seconds of a frame's time that each part pays again;
#'   `part_weight`, the share of the rest that falls to each; `part_bytes`, that each sends through
#'   the coordinator's link, and `part_link`, its bytes a second.
#' @param begin_s When the job is released, in seconds from now.
#' @param open Hours in which nodes may begin a frame: a two-column matrix of seconds from now;
#'   `NULL` for always. A frame that has started is finished.
#' @param cap What may be charged before the site stops the job, in the rate card's currency, or
#'   `c(amount, lag)` with the seconds that pass after the meter has reached it; `NULL` for none.
#'   Frames in flight are paid and lost.
#' @param halt_s When nodes stop taking frames, in seconds from now; `NULL` for never. Started
#'   frames are finished; nodes that are not there by then never come.
#' @return A list of class `cp_way`.
#' @section Conditions: `clockpigeon_error_type` for a value of the wrong kind or range,
#'   `clockpigeon_error_choice` for a word that is none of those above.
#' @examples
#' job_way(nodes = 4, stages(wait = c(median = 600, p90 = 2400), start = 90))
#' job_way(list(count = 4, speed = 2), transfers = list(upload = 2e9, link = 12.5e6),
#'         cap = c(50, 120))
#' @export
job_way <- function(nodes = 1, stages = NULL, transfers = NULL, spreading = NULL, troubles = NULL,
                    begin_s = 0, open = NULL, cap = NULL, halt_s = NULL) {
  part <- function(given, name) option_object(given, name, setup_makers[[name]])
  group <- if (is.numeric(nodes)) node_group(nodes) else
    option_object(nodes, "nodes", node_group, "cp_node_group")
  cap <- if (!is.null(cap)) c(check_number(cap[1], argument("cap"), above = 0),
                              check_number(if (length(cap) > 1) cap[[2]] else 0, argument("cap"),
                                           least = 0))
  new_way(c(unclass(group), list(begin = check_number(begin_s, argument("begin_s"), least = 0)),
            unclass(part(stages, "stages")), unclass(part(transfers, "transfers")),
            unclass(part(spreading, "spreading")), unclass(part(troubles, "troubles")),
            list(open = check_open(open), cap = cap[1],
                 cap_lag = if (length(cap)) cap[[2]] else 0,
                 halt = if (is.null(halt_s)) Inf else
                 check_number(halt_s, argument("halt_s"), least = 0))))
}

new_node_group <- record_type("cp_node_group", nodes = is.integer, speed = is.numeric,
                              node_sd = is.numeric, node_speed = is.numeric,
                              until_end = is.logical)

node_group <- function(count = 1, speed = 1, sd = 0, each = NULL, release = "idle") {
  count <- check_count(count, argument("nodes"), most = 4096)
  new_node_group(list(nodes = count, speed = known_speed(speed), node_sd = amount_of(sd, "sd"),
                      node_speed = if (is.null(each)) numeric() else check_speeds(each, count),
                      until_end = check_choice(release, argument("release"), c("idle", "end")) ==
                      "end"))
}

new_stages <- record_type(
  "cp_stages", prepare = is.numeric, wait = is.numeric, start = is.numeric, install = is.numeric,
  load = is.numeric, merge = is.numeric, encode = is.numeric, prepass_tasks = is.integer,
  prepass_each = is.numeric, prepass_on_one = is.logical
)

#' @rdname job_way
#' @param prepare,wait,start,install,load,merge,encode Times: to prepare and pack; in the site's
#'   queue; for a machine to start, to install what it needs, to load the scene once; to merge a
#'   frame's parts; to encode the finished frames.
#' @param prepass `list(tasks, each, on)`: how many tasks, the time of each on a node of speed 1,
#'   `"all"` nodes or `"one"`. Frames wait for all of them.
#' @export
stages <- function(prepare = 0, wait = 0, start = 0, install = 0, load = 0, merge = 0, encode = 0,
                   prepass = NULL) {
  times <- list(prepare = prepare, wait = wait, start = start, install = install, load = load,
                merge = merge, encode = encode)
  times <- Map(varying_time, times, names(times))
  new_stages(c(times, list(
    prepass_tasks = check_count(first_of(prepass$tasks, 0), argument("prepass"), least = 0),
    prepass_each = varying_time(first_of(prepass$each, 0), "prepass"),
    prepass_on_one = check_choice(first_of(prepass$on, "all"), argument("prepass"),
                                   c("all", "one")) == "one"
  )))
}

new_transfers <- record_type("cp_transfers", upload = is.numeric, fetch = is.numeric,
                             link = is.numeric, link_sd = is.numeric)

transfer_group <- function(upload = 0, frame_bytes = 0, link = 0, link_sd = 0) {
  new_transfers(list(upload = amount_of(upload, "upload"),
                     fetch = amount_of(frame_bytes, "frame_bytes"),
                     link = amount_of(link, "link"), link_sd = amount_of(link_sd, "link_sd")))
}

new_spreading <- record_type("cp_spreading", spread = is.character, parts = is.integer,
                             part_load = is.numeric, part_weight = is.numeric,
                             part_bytes = is.numeric, part_link = is.numeric)

spread_group <- function(spread = "frames", parts = 1, part_load_s = 0, part_weight = NULL,
                         part_bytes = 0, part_link = 0) {
  parts <- check_count(parts, argument("parts"), most = 10000)
  new_spreading(list(
    spread = check_choice(spread, argument("spread"), spread_kinds), parts = parts,
    part_load = amount_of(part_load_s, "part_load_s"),
    part_weight = if (is.null(part_weight)) rep(1 / parts, parts) else
    check_part_weights(part_weight, parts),
    part_bytes = amount_of(part_bytes, "part_bytes"), part_link = amount_of(part_link, "part_link")
  ))
}

new_troubles <- record_type("cp_troubles", fails = is.numeric, retries = is.integer,
                            vanish = is.numeric, freeze = is.numeric, notice = is.numeric,
                            replaced = is.logical)

#' @rdname job_way
#' @param fails,retries Chance that a run of a frame fails (after a random share of its time), and
#'   how often it is run again, at once, on the same node. A frame that fails then too is lost.
#' @param vanish,freeze,notice_s,replaced How often an hour a node vanishes, or freezes (and is paid
#'   until that is noticed); seconds until either is noticed and its frame is given to another;
#'   whether another node starts instead.
#' @export
troubles <- function(fails = 0, retries = 2, vanish = 0, freeze = 0, notice_s = 300,
                     replaced = TRUE) {
  new_troubles(list(fails = amount_of(fails, "fails", most = 0.999),
                    retries = check_count(retries, argument("retries"), least = 0, most = 1000),
                    vanish = amount_of(vanish, "vanish"), freeze = amount_of(freeze, "freeze"),
                    notice = amount_of(notice_s, "notice_s"),
                    replaced = check_flag(replaced, argument("replaced"))))
}

# By another name, since arguments of job_way() have the names of these functions.
setup_makers <- list(nodes = node_group, stages = stages, transfers = transfer_group,
                     spreading = spread_group, troubles = troubles)

amount_of <- function(x, name, ...) check_number(x, argument(name), least = 0, ...)
# A time that varies as the core takes it: median, sd of its log, df.
varying_time <- function(x, name) {
  if (is.list(x)) {
    sd <- if (!is.null(x$sd)) x$sd
          else if (isTRUE(x$median_s > 0)) log(x$p90_s / x$median_s) / stats::qnorm(0.9) else 0
    return(c(check_number(x$median_s, argument(name), least = 0),
             check_number(sd, argument(name), least = 0),
             first_of(x$df, Inf)))
  }
  if (identical(names(x), c("median", "p90"))) {
    return(varying_time(list(median_s = x[["median"]], p90_s = x[["p90"]]), name))
  }
  c(check_number(x, argument(name), least = 0), 0, Inf)
}

known_speed <- function(speed) {
  if (is.list(speed)) return(c(speed$log_factor, speed$se, first_of(speed$df, Inf)))
  c(log(check_number(speed, argument("speed"), above = 0)), 0, Inf)
}

check_speeds <- function(x, nodes) {
  check_seconds(x, argument("each"))
  if (length(x) != nodes) {
    stop_input("type", paste("got", length(x), "speeds for", nodes, "nodes"), argument("each"),
               "Give one for each node.")
  }
  as.numeric(x)
}

check_part_weights <- function(x, parts) {
  check_seconds(x, argument("part_weight"))
  if (length(x) != parts) {
    stop_input("type", paste("got", length(x), "weights for", parts, "parts"),
               argument("part_weight"), "Give one for each part.")
  }
  as.numeric(x) / sum(x)
}

check_open <- function(x) {
  if (is.null(x)) return(NULL)
  if (!is.matrix(x) || ncol(x) != 2 || !nrow(x) || anyNA(x) || is.unsorted(t(x), strictly = TRUE)) {
    stop_input("type", "is no list of hours", argument("open"),
               "Give a matrix of two columns, from and to in seconds from now, rising and apart.")
  }
  x
}
