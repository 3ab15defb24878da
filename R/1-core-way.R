# A way to render a job, in numbers: nodes, stages, spread, troubles, hours and the meter.

#' A way to render a job
#'
#' All that [simulate_job()] needs to know of how a job is rendered: the stages before, between and after the frames,
#' the nodes, how work is spread over them, what can go wrong, and when it may run.
#'
#' A time that varies is a number of seconds (no spread), `c(median = , p90 = )` (log-normal), or a list of `median_s`,
#' `sd` (of its log) and `df` (Student's t where finite).
#'
#' @param nodes Number of nodes.
#' @param speed Speed of a node, 1 for the one that frame times are from; or a list of `log_factor`, `se` and `df`, what
#'   is known of it: it is drawn once a draw, for all nodes together.
#' @param node_sd,node_speed Sd of log speed between the nodes; known differences, one number a node.
#' @param begin_s When the job is released, from now.
#' @param prepare,wait,start,install,load,merge,encode Times: to prepare and pack; in the site's queue; for a machine to
#'   start, to install what it needs, to load the scene once; to merge a frame's parts; to encode the finished frames.
#' @param upload,frame_bytes,link,link_sd Bytes sent before, bytes a frame that come back, bytes a second of the link
#'   that all of it shares (0: nothing has to travel), and the sd of its log.
#' @param prepass `list(tasks, each, on)`: how many tasks, the time of each on a node of speed 1, `"all"` nodes or
#'   `"one"`. Frames wait for all of them.
#' @param spread `"frames"`: each to the node that is free first; `"ranges"`: fixed runs of frames, in proportion to
#'   `node_speed`; `"bands"`, `"shares"`, `"layers"`: `parts` of each frame, each a task of its own, merged after.
#' @param parts,part_load_s,part_weight,part_bytes,part_link Number of parts of a frame; seconds of a frame's time that
#'   each part pays again; the share of the rest that falls to each; bytes that each sends through the coordinator's
#'   link, and its bytes a second.
#' @param fails,retries Chance that a run of a frame fails (after a random share of its time), and how often it is run
#'   again, at once, on the same node. A frame that fails then too is lost.
#' @param vanish,freeze,notice_s,replaced How often an hour a node vanishes, or freezes (and is paid until that is
#'   noticed); seconds until either is noticed and its frame is given to another; whether another node starts instead.
#' @param release `"idle"`: a node is released when there is nothing left for it; `"end"`: when all frames are done.
#' @param open Hours in which nodes may begin a frame: a two-column matrix of seconds from now; `NULL` for always. A
#'   frame that has begun is finished.
#' @param cap,cap_lag_s What may be charged before the site stops the job, in the rate card's currency, and how long
#'   after the meter has reached it. Frames in flight are paid and lost.
#' @return A list of class `job_way`.
#' @section Conditions: `clockpigeon_error_type` for a value of the wrong kind or range, `clockpigeon_error_choice` for
#'   a word that is none of those above.
#' @examples
#' job_way(nodes = 4, wait = c(median = 600, p90 = 2400), start = 90)
#' @export
job_way <- function(nodes = 1, speed = 1, node_sd = 0, node_speed = NULL, begin_s = 0, prepare = 0, wait = 0, start = 0,
                    install = 0, load = 0, merge = 0, encode = 0, upload = 0, frame_bytes = 0, link = 0, link_sd = 0,
                    prepass = list(tasks = 0, each = 0, on = "all"), spread = "frames", parts = 1, part_load_s = 0,
                    part_weight = NULL, part_bytes = 0, part_link = 0, fails = 0, retries = 2, vanish = 0, freeze = 0,
                    notice_s = 300, replaced = TRUE, release = "idle", open = NULL, cap = NULL, cap_lag_s = 0) {
  nodes <- check_count(nodes, argument("nodes"), most = 4096)
  parts <- check_count(parts, argument("parts"), most = 10000)
  amount <- function(x, name, ...) check_number(x, argument(name), least = 0, ...)
  weight <- if (is.null(part_weight)) rep(1 / parts, parts) else check_part_weights(part_weight, parts)
  tasks <- check_count(first_of(prepass$tasks, 0), argument("prepass"), least = 0)
  structure(list(
    nodes = nodes, speed = known_speed(speed), node_sd = amount(node_sd, "node_sd"),
    node_speed = if (is.null(node_speed)) numeric() else check_speeds(node_speed, nodes),
    begin = amount(begin_s, "begin_s"), prepare = varying(prepare, "prepare"), wait = varying(wait, "wait"),
    start = varying(start, "start"), install = varying(install, "install"), load = varying(load, "load"),
    merge = varying(merge, "merge"), encode = varying(encode, "encode"), upload = amount(upload, "upload"),
    fetch = amount(frame_bytes, "frame_bytes"), link = amount(link, "link"), link_sd = amount(link_sd, "link_sd"),
    prepass_tasks = tasks, prepass_each = varying(first_of(prepass$each, 0), "prepass"),
    prepass_on_one = check_choice(first_of(prepass$on, "all"), argument("prepass"), c("all", "one")) == "one",
    spread = check_choice(spread, argument("spread"), spread_kinds), parts = parts,
    part_load = amount(part_load_s, "part_load_s"), part_weight = weight, part_bytes = amount(part_bytes, "part_bytes"),
    part_link = amount(part_link, "part_link"), fails = amount(fails, "fails", most = 0.999),
    retries = check_count(retries, argument("retries"), least = 0, most = 1000), vanish = amount(vanish, "vanish"),
    freeze = amount(freeze, "freeze"), notice = amount(notice_s, "notice_s"),
    replaced = check_flag(replaced, argument("replaced")),
    until_end = check_choice(release, argument("release"), c("idle", "end")) == "end", open = check_open(open),
    cap = if (!is.null(cap)) check_number(cap, argument("cap"), above = 0), cap_lag = amount(cap_lag_s, "cap_lag_s")
  ), class = "job_way")
}

# A time that varies as the core takes it: median, sd of its log, df.
varying <- function(x, name) {
  if (is.list(x)) {
    sd <- if (!is.null(x$sd)) x$sd
          else if (isTRUE(x$median_s > 0)) log(x$p90_s / x$median_s) / stats::qnorm(0.9) else 0
    return(c(check_number(x$median_s, argument(name), least = 0), check_number(sd, argument(name), least = 0),
             first_of(x$df, Inf)))
  }
  if (identical(names(x), c("median", "p90"))) {
    return(varying(list(median_s = x[["median"]], p90_s = x[["p90"]]), name))
  }
  c(check_number(x, argument(name), least = 0), 0, Inf)
}

known_speed <- function(speed) {
  if (is.list(speed)) return(c(speed$log_factor, speed$se, first_of(speed$df, Inf)))
  c(log(check_number(speed, argument("speed"), above = 0)), 0, Inf)
}

check_speeds <- function(x, nodes) {
  check_seconds(x, argument("node_speed"))
  if (length(x) != nodes) {
    stop_input("type", paste("got", length(x), "speeds for", nodes, "nodes"), argument("node_speed"),
               "Give one for each node.")
  }
  as.numeric(x)
}

check_part_weights <- function(x, parts) {
  check_seconds(x, argument("part_weight"))
  if (length(x) != parts) {
    stop_input("type", paste("got", length(x), "weights for", parts, "parts"), argument("part_weight"),
               "Give one for each part.")
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
