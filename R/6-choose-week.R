# A week of jobs from their forecasts: the input of plan_week(), and the questions that its answer
# leaves open.

# A job as plan_week() takes it. `forecast`, `asked`: of the job, as make_decision() takes them;
# `draws`: the forecast's draws to use. Its own ways start now on an own pool; of the others it has
# the cheapest and the fastest that keep the limits alone.
week_job <- function(name, forecast, asked, draws = seq_len(forecast$n), most_out = 4) {
  scenario <- forecast$scenario
  facts <- option_facts(forecast)
  table <- judge_options(facts, asked)
  options <- as_frame(scenario$options)
  own <- which(table[["own"]] & options[["begin_s"]] == 0)
  out <- which(!table[["own"]] & table[["fits"]])
  cheap <- utils::head(out[order(table[["cost_mean"]][out])], most_out)
  out <- unique(c(cheap, out[which.min(table[["finish_p50"]][out])]))
  way <- function(i) {
    rows <- option_rows(forecast, i)[draws, , drop = FALSE]
    inside <- i %in% own
    seconds <- rows[["finish_s"]] - if (inside) rows[["closed_s"]] else 0
    # Work without end has no closed hours to count.
    seconds[is.na(seconds)] <- Inf
    list(kind = if (inside) "own" else "out", name = options[["option"]][i],
         pool = if (inside) options[["site"]][i], nodes = options[["nodes"]][i],
         cost = rows[["cost"]], seconds = seconds)
  }
  list(job = name, deadline_s = asked$deadline_s, budget = asked$budget,
       confidence = asked$confidence, ways = lapply(c(own, out), way),
       soonest_out = first_to_drop(table, facts, asked, draws))
}

# The least moment by which an option elsewhere is done with the chance asked for, its deadline
# forgotten; Inf: none is.
first_to_drop <- function(table, facts, asked, draws) {
  out <- which(!table[["own"]])
  at <- vapply(out, function(i)
               kept_moment(facts$draws[[i]]$finish_s[draws], facts$draws[[i]]$cost[draws], asked),
               0)
  min(at, Inf)
}

# By when something is done, within its budget, with the chance asked for.
kept_moment <- function(finish, cost, asked) {
  finish[cost > asked$budget] <- Inf
  quantile_of(finish, asked$confidence)
}

# Own pools from the jobs' forecasts, one per card, in its hours, with the largest number of nodes
# that any job may take there. Cards of the same machines share the `nodes` of the largest, and each
# takes at most its own number (`most`).
week_pools <- function(forecasts) {
  pools <- list()
  for (forecast in forecasts) {
    scenario <- forecast$scenario
    options <- as_frame(scenario$options)
    machines <- machines_of_sites(scenario$sites)
    for (name in intersect(own_sites(scenario), options[["site"]])) {
      site <- scenario$sites[[name]]
      pools[[name]] <- list(
        nodes = max(pools[[name]]$nodes, options[["nodes"]][options[["site"]] == name]),
        open = if (length(site$open)) hours_after(site$open, scenario$now, site$time_zone),
        machines = machines[[name]]
      )
    }
  }
  same <- pool_machines(pools)
  for (name in names(pools)) pools[[name]]$most <- pools[[name]]$nodes
  for (name in names(pools))
    pools[[name]]$nodes <- max(vapply(pools[same == same[[name]]], most_nodes, 0L))
  pools
}

new_chosen_week <- record_type(
  "cp_chosen_week", week = is.list, late = maybe(is.data.frame), more = maybe(is.data.frame),
  running = maybe(is.data.frame), now = is_moment, currency = is.character,
  time_zone = maybe(is.character)
)

# The week of several jobs. `forecasts`: by the jobs' names; `asked`: the question of each, in the
# same order; `budget`: for all of them; `running`: jobs that run on own nodes, each `job`, `site`,
# `nodes` and `left_s` (draws of its remaining time). The search uses the first half of the draws,
# the judgement the second. A list: `week` (from week_judged()), `late` (a data frame of the jobs
# that miss: `job`, `at_s`, the time by which each could be done at its confidence, and `by`),
# `more` (one row per pool: the effect of one more node, `kept` and `cost`), `running` (a data frame
# of `job`, `site`, `nodes`, `until_s`, the median), and `now`, `currency`, `time_zone`.
choose_week <- function(forecasts, asked, budget = Inf, confidence = 0.9, running = list()) {
  n <- min(vapply(forecasts, `[[`, 0, "n"))
  half <- n %/% 2
  parts <- list(seq_len(half), half + seq_len(n - half))
  running <- on_pools(running, week_pools(forecasts), forecasts[[1]]$scenario)
  pools <- lapply(parts, function(draws) busy_pools(week_pools(forecasts), running, n, draws))
  jobs <- lapply(parts, function(draws) {
    Map(week_job, names(forecasts), forecasts, asked, MoreArgs = list(draws = draws))
  })
  found <- planned_week(robust_week_plan(jobs[[1]], half), pools[[1]], budget, confidence)
  week <- week_judged(found$plan, jobs[[2]], pools[[2]], budget, confidence)
  scenario <- forecasts[[1]]$scenario
  new_chosen_week(list(week = week, late = late_jobs(week),
                       more = one_more_node(forecasts, robust_week_plan(jobs[[1]], half),
                                            pools[[1]], parts[[1]], found),
                       running = running_rows(running),
                       now = scenario$now, currency = scenario$currency,
                       time_zone = scenario$time_zone))
}

# Running jobs on the machines of each pool, with these `machines`, and `most`, how many of the
# nodes each may take. A card that no job of the week may use counts too, for its machines.
on_pools <- function(running, pools, scenario) {
  machines <- machines_of_sites(scenario$sites)
  running <- Filter(function(one) machines[one$site] %in% pool_machines(pools), running)
  lapply(running, function(one)
         c(one, machines = machines[[one$site]], most = most_nodes(pools[[one$site]])))
}

# Pools with the running jobs on their nodes, in `n` of the draws.
busy_pools <- function(pools, running, n, draws) {
  machines <- pool_machines(pools)
  Map(function(pool, name) {
    here <- Filter(function(one) one$machines == machines[[name]], running)
    if (length(here)) pool$busy <- busy_nodes(pool$nodes, here, n)[draws, , drop = FALSE]
    pool
  }, pools, names(pools))
}

running_rows <- function(running) {
  do.call(rbind, lapply(running, function(one) {
    data.frame(job = one$job, site = one$site, nodes = one$nodes,
               until_s = stats::median(one$left_s))
  }))
}

# plan_week() from the jobs that fit by a mixed integer program.
planned_week <- function(jobs, pools, budget = Inf, confidence = 0.9) {
  needs <- list(jobs = jobs, pools = pools, budget = budget,
                due = vapply(jobs, `[[`, 0, "deadline_s"))
  plan_week(jobs, pools, budget, confidence, list(mixed_start(needs)))
}

# Which jobs fit, by a mixed integer program: of each pool all that is due by a deadline must fit
# into its nodes and hours until then, at a quantile of the work (the demand of all deadlines:
# Baruah, Rosier & Howell 1990, Real-Time Systems 2, 301).
mixed_start <- function(needs) {
  empty <- list(way = integer(length(needs$jobs)), order = order(needs$due))
  if (!requireNamespace("lpSolve", quietly = TRUE)) return(empty)
  # A way that keeps deadline and budget alone, as a row; NULL for any other.
  row_of <- function(j, w) {
    job <- needs$jobs[[j]]
    way <- job$ways[[w]]
    own <- way$kind == "own"
    end <- alone_ends(way$seconds, if (own) needs$pools[[way$pool]], way$nodes)
    able <- mean(end <= job$deadline_s & way$cost <= job$budget) >= job$confidence
    if (!able) return(NULL)
    data.frame(j = j, w = w, pool = if (own) way$pool else "", cost = mean(way$cost),
               area = if (own) way$nodes * quantile_of(way$seconds, 0.6) else 0)
  }
  counts <- lengths(lapply(needs$jobs, `[[`, "ways"))
  ways <- do.call(rbind, Map(row_of, rep(seq_along(counts), counts), sequence(counts)))
  if (is.null(ways)) return(empty)
  own <- ways[ways$pool != "", , drop = FALSE]
  due <- unique(data.frame(pool = own$pool, at = needs$due[own$j]))
  machines <- pool_machines(needs$pools)
  room <- function(pool, at, nodes) {
    taken <- if (length(pool$busy)) apply(pool$busy, 2, stats::median) else 0
    open_seconds(pool, at) * nodes - sum(vapply(pmin(taken, at), open_seconds, 0, pool = pool))
  }
  # Work due on a card must fit into its hours; work due on all cards of its machines into the
  # widest of theirs.
  into <- function(cards, at) {
    pools <- needs$pools[cards]
    nodes <- if (length(cards) > 1) pools[[1]]$nodes else most_nodes(pools[[1]])
    list(row = ifelse(ways$pool %in% cards & needs$due[ways$j] <= at, ways$area, 0),
         most = max(vapply(pools, room, 0, at = at, nodes = nodes)))
  }
  demand <- unlist(lapply(seq_len(nrow(due)), function(k) {
    cards <- names(which(machines == machines[[due$pool[k]]]))
    lapply(unique(list(due$pool[k], cards)), into, at = due$at[k])
  }), recursive = FALSE)
  once <- lapply(unique(ways$j), function(j) list(row = as.numeric(ways$j == j), most = 1))
  lines <- c(demand, once,
             if (is.finite(needs$budget)) list(list(row = ways$cost, most = needs$budget)))
  worth <- 10 * (1 + sum(ways$cost))
  solved <- lpSolve::lp("max", worth - ways$cost, do.call(rbind, lapply(lines, `[[`, "row")),
                        rep("<=", length(lines)), vapply(lines, `[[`, 0, "most"), all.bin = TRUE)
  if (solved$status != 0) return(empty)
  taken <- ways[solved$solution > 0.5, , drop = FALSE]
  empty$way[taken$j] <- taken$w
  empty
}

# Require a little more of the jobs, by the standard error of a chance counted in this number of
# draws: the search favours plans that suit its draws.
robust_week_plan <- function(jobs, draws) {
  lapply(jobs, function(job) {
    error <- sqrt(job$confidence * (1 - job$confidence) / draws)
    job$confidence <- min(job$confidence + 1.3 * error, (1 + job$confidence) / 2)
    job
  })
}

# For each job that misses: the time by which it would be done, after all others on own nodes or
# sent out.
late_jobs <- function(week) {
  rows <- lapply(which(week$plan$way == 0), function(j) {
    job <- week$jobs[[j]]
    at <- vapply(seq_along(job$ways), function(w) {
      way <- job$ways[[w]]
      if (way$kind == "out") return(Inf)
      plan <- week$plan
      plan$way[j] <- w
      plan$order <- c(plan$order, j)
      kept_moment(week_ends(plan, week$jobs, week$pools)[, j], way$cost, job)
    }, 0)
    own <- min(at, Inf)
    by <- if (own <= job$soonest_out) job$ways[[which.min(at)]]$name else "elsewhere"
    at <- min(own, job$soonest_out)
    data.frame(job = job$job, at_s = at, by = if (is.finite(at)) by else NA)
  })
  do.call(rbind, rows)
}

# The week with one more node in each pool separately; for the same machines in all their pools.
one_more_node <- function(forecasts, jobs, pools, draws, found) {
  machines <- pool_machines(pools)
  rows <- lapply(unique(machines), function(one) {
    cards <- names(which(machines == one))
    wider <- pools
    for (pool in cards) {
      wider[[pool]]$nodes <- pools[[pool]]$nodes + 1L
      wider[[pool]]$most <- most_nodes(pools[[pool]]) + 1L
      if (length(pools[[pool]]$busy)) wider[[pool]]$busy <- cbind(0, pools[[pool]]$busy)
    }
    widened <- function(job, forecast) {
      ways <- lapply(cards, function(pool) {
        simulate_wider_pool(forecast, pool, wider[[pool]]$most, draws)
      })
      job$ways <- c(job$ways, unlist(ways, recursive = FALSE))
      job
    }
    more <- Map(widened, jobs, forecasts)
    week <- planned_week(more, wider, found$budget, found$confidence)
    data.frame(pool = paste(cards, collapse = " and "), nodes = wider[[cards[1]]]$nodes,
               kept = week$kept, cost = week$cost, kept_now = found$kept, cost_now = found$cost)
  })
  do.call(rbind, rows)
}

# A job on a number of nodes of a pool, simulated; none if it has no option there.
simulate_wider_pool <- function(forecast, pool, nodes, draws) {
  options <- as_frame(forecast$scenario$options)
  at <- which(options[["site"]] == pool & options[["begin_s"]] == 0)
  if (!length(at)) return(NULL)
  i <- at[which.max(options[["nodes"]][at])]
  rows <- simulate_option(forecast$scenario, i, what_if(nodes = nodes), forecast$n,
                          forecast$seed)$draws
  rows <- as_frame(rows)[draws, , drop = FALSE]
  list(list(kind = "own", name = paste0(pool, ", ", nodes, " nodes"), pool = pool,
            nodes = as.integer(nodes), cost = rows[["cost"]],
            seconds = rows[["finish_s"]] - rows[["closed_s"]]))
}
