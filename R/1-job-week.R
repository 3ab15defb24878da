# Many jobs, one pool: which are rendered on one's own nodes, in which order and on how many of
# them, which are sent out, and which cannot be kept.

#' A week of jobs
#'
#' Each job can be rendered in some ways: on a pool of own nodes, where it takes a number of them
#' for as long as it needs and waits for earlier jobs, or sent out, where it does not wait; or not
#' at all. The plan keeps as many jobs as can be kept, each with the chance asked for, and of such
#' plans is the cheapest by its mean cost. It is found on draws: from given plans and from none, by
#' simulated annealing, and then by moving each job to its best place until the plan stops
#' improving.
#'
#' Plans that were looked for on draws flatter themselves on these: judge them on others, with
#' `week_judged()`.
#'
#' @param jobs A list, one entry a job: `job` (name), `deadline_s`, `budget` (`Inf`: none),
#'   `confidence`, and `ways`, a list of ways: `kind` (`own` or `out`), `pool` (name) and `nodes` of
#'   an own one, `seconds` (draws: of open time on these nodes, or from now until it is done out
#'   there) and `cost` (draws).
#' @param pools A list by name: `nodes`; `open`, hours as a two-column matrix of seconds from now
#'   (`NULL`: always); `busy`, until when nodes have other work, draws x nodes, from busy_nodes()
#'   (`NULL`: all are free); `machines`, a name that pools of the same machines share, which then
#'   are of as many nodes (`NULL`: of none other's); and `most`, how many of these its jobs may take
#'   from, the first (`NULL`: all).
#' @param budget For all of them together, kept with the confidence `confidence`.
#' @param confidence Of the budget for all.
#' @param begun Plans to start with: lists of `way` and `order` (all jobs).
#' @param steps Plans that are tried from each beginning.
#' @return A list of class `cp_week`: `plan` (`way` of each job, 0: not rendered; `order`, the jobs
#'   one after another), `kept`, `cost` (mean), `judged` (a tibble, one row a job: `job`, `way`,
#'   `chance`, `p50`, `p90` of its end, `cost`), `jobs`, `pools`.
#' @noRd
plan_week <- function(jobs, pools, budget = Inf, confidence = 0.9, begun = list(), steps = 6000) {
  none <- list(way = integer(length(jobs)), order = order(vapply(jobs, `[[`, 0, "deadline_s")))
  begun <- c(begun, rep(list(none), 3))
  machines <- pool_machines(pools)
  flat <- lapply(jobs, function(job) {
    job$ways <- lapply(job$ways, flat_way, pools, machines)
    job[c("deadline_s", "budget", "confidence", "ways")]
  })
  open <- lapply(unname(pools[!duplicated(machines)]), function(pool) {
    list(nodes = as.integer(pool$nodes), busy = busy_matrix(pool))
  })
  if (!any(lengths(lapply(jobs, `[[`, "ways"))))
    return(week_judged(none, jobs, pools, budget, confidence))
  plan <- week_search(unname(flat), open, budget, confidence, begun, as.integer(steps), 1)
  week_judged(plan, jobs, pools, budget, confidence)
}

new_week <- record_type("cp_week", plan = is.list, kept = is.numeric, cost = is.numeric,
                        judged = is.data.frame, ends = is.numeric, jobs = is.list,
                        pools = is.list, budget = is.numeric, confidence = is.numeric)

# A plan judged on the draws of `jobs`, which may be others than those it was looked for on.
week_judged <- function(plan, jobs, pools, budget = Inf, confidence = 0.9) {
  ends <- week_ends(plan, jobs, pools)
  rows <- lapply(seq_along(jobs), function(j) {
    job <- jobs[[j]]
    if (!plan$way[j])
      return(data.frame(job = job$job, way = 0L, chance = 0, p50 = NA, p90 = NA, cost = NA))
    cost <- job$ways[[plan$way[j]]]$cost
    end <- ends[, j]
    data.frame(job = job$job, way = plan$way[j],
               chance = mean(end <= job$deadline_s & cost <= job$budget),
               p50 = quantile_of(end, 0.5), p90 = quantile_of(end, 0.9), cost = mean(cost))
  })
  judged <- do.call(rbind, rows)
  new_week(list(plan = plan[c("way", "order")], kept = sum(judged$way > 0),
                cost = sum(0, judged$cost, na.rm = TRUE), judged = as_table(judged), ends = ends,
                jobs = jobs, pools = pools, budget = budget, confidence = confidence))
}

# End of each job, draws x jobs; NA for jobs that are not rendered.
week_ends <- function(plan, jobs, pools) {
  draws <- length(jobs[[1]]$ways[[1]]$seconds)
  ends <- matrix(NA_real_, draws, length(jobs))
  chosen <- lapply(seq_along(jobs), function(j) if (plan$way[j]) jobs[[j]]$ways[[plan$way[j]]])
  for (j in which(plan$way > 0)) if (chosen[[j]]$kind == "out") ends[, j] <- chosen[[j]]$seconds
  machines <- pool_machines(pools)
  for (one in unique(machines)) {
    here <- plan$order[vapply(plan$order, function(j)
                              isTRUE(chosen[[j]]$pool %in% names(which(machines == one))), NA)]
    if (!length(here)) next
    work <- vapply(chosen[here], `[[`, numeric(draws), "seconds")
    nodes <- vapply(chosen[here], function(way) as.integer(way$nodes), 0L)
    open <- lapply(chosen[here], function(way) open_matrix(pools[[way$pool]]))
    of <- vapply(chosen[here], function(way) most_nodes(pools[[way$pool]]), 0L)
    pool <- pools[[match(one, machines)]]
    ends[, here] <- pool_ends(work, seq_along(here), nodes, as.integer(pool$nodes), open, of,
                              busy_matrix(pool))
  }
  ends
}

# When each job begins, in the middle of the draws: when the nodes that it takes are free.
week_begins <- function(plan, jobs, pools) {
  vapply(seq_along(jobs), begin_of, 0, plan = plan, jobs = jobs, pools = pools)
}

begin_of <- function(j, plan, jobs, pools) {
  if (!plan$way[j]) return(NA_real_)
  way <- jobs[[j]]$ways[[plan$way[j]]]
  if (way$kind == "out") return(0)
  jobs[[j]]$ways[[plan$way[j]]]$seconds <- rep(0, length(way$seconds))
  plan$order <- plan$order[seq_len(match(j, plan$order))]
  stats::median(week_ends(plan, jobs, pools)[, j])
}

# The machines of pools, by the pools' names.
pool_machines <- function(pools) {
  unlist(lapply(stats::setNames(nm = names(pools)),
                function(name) or_else(pools[[name]]$machines, name)))
}

most_nodes <- function(pool) as.integer(or_else(pool$most, pool$nodes))

open_matrix <- function(pool) if (is.null(pool$open)) matrix(0, 0, 2) else pool$open

busy_matrix <- function(pool) if (is.null(pool$busy)) matrix(0, 0, 0) else pool$busy

# Times until which the nodes of a pool are busy with running jobs: draws x nodes. `running`: jobs
# in the order in which they started, each `nodes`, `left_s`, draws of its remaining time, and
# `most`, how many of the nodes it may take, counted from the first (`NULL`: all). If more jobs run
# than there are nodes, they run one after another.
busy_nodes <- function(nodes, running, draws) {
  free <- matrix(0, draws, nodes)
  for (job in running) {
    left <- rep_len(job$left_s, draws)
    most <- seq_len(min(or_else(job$most, nodes), nodes))
    for (i in seq_len(draws)) {
      taken <- utils::head(order(free[i, most], -most), job$nodes)
      free[i, taken] <- max(free[i, taken]) + left[i]
    }
  }
  free
}

# End of a job that waits only for running jobs.
alone_ends <- function(seconds, pool = NULL, nodes = 1L) {
  if (is.null(pool)) return(seconds)
  c(pool_ends(matrix(seconds), 1L, as.integer(nodes), as.integer(pool$nodes),
              list(open_matrix(pool)), most_nodes(pool), busy_matrix(pool)))
}

# Open seconds of a pool until a moment.
open_seconds <- function(pool, at) {
  if (is.null(pool$open)) return(at)
  sum(pmax(pmin(pool$open[, 2], at) - pmax(pool$open[, 1], 0), 0))
}

# One setup of a job as the search takes it: the number of its pool (0: not one's own), nodes,
# draws of its time and cost, opening hours.
flat_way <- function(way, pools, machines) {
  own <- way$kind == "own"
  list(pool = if (own) match(machines[[way$pool]], unique(machines)) else 0L,
       nodes = as.integer(way$nodes),
       seconds = as.numeric(way$seconds), cost = as.numeric(way$cost),
       open = open_matrix(if (own) pools[[way$pool]]),
       of = if (own) most_nodes(pools[[way$pool]]) else 0L)
}
