# Plans: what to do with all frames, judged by one rule: one option, several side by side, or a
# start with a fallback.

# A plan that the user states, with the best plan as its rival. `rows`: the options of the job.
stated_beside_best <- function(choice, seconds, stated, rows) {
  here <- choice$forecast$scenario
  here$options <- here$options[rows, , drop = FALSE]
  state <- plan_state(here, choice[question_fields], seconds, choice$forecast$seed)
  state$others <- as_frame(choice$options)[["option"]][-rows]
  mine <- stated_plan(stated, state)
  best <- best_plan(choice, seconds)
  c(mine, list(rivals = c(list(best[setdiff(names(best), "rivals")]), best$rivals)))
}

# Plan of a choice: the cheapest by mean cost of those that keep the limits, or the nearest miss.
# `seconds` are the frames' draws of the option's job. A `stated` plan is compared with it.
best_plan <- function(choice, seconds, stated = NULL) {
  forecast <- choice$forecast
  scenario <- forecast$scenario
  table <- as_frame(choice$options)
  lead <- leading_options(choice, 1)
  asked <- choice[question_fields]
  one <- single_plan(choice, lead)
  rows <- which(job_key(as_frame(scenario$options)) == job_key(as_frame(scenario$options)[lead, ]))
  if (is.list(stated)) return(stated_beside_best(choice, seconds, stated, rows))
  if (length(rows) < 2 || asked$rule == "best" ||
      asked$rule == "cheapest" && !is.finite(asked$deadline_s)) return(one)
  # The cheapest option of all fits: nothing to be gained.
  cheapest <- one$fits && same_cost(table[["cost_mean"]][lead], min(table[["cost_mean"]][rows]))
  if (asked$rule == "cheapest" && cheapest) return(one)
  rows <- rows[!is_dominated(table[rows, ], as_frame(scenario$options)[rows, ])]
  scenario$options <- scenario$options[rows, , drop = FALSE]
  state <- plan_state(scenario, asked, seconds, forecast$seed)
  state$whole <- lapply(rows, function(i) as_frame(option_rows(forecast, i))[c("finish_s", "cost")])
  state <- with_lines(state)
  if (asked$rule == "fastest") return(fastest_plan(state, one))
  bound <- if (one$fits) one$mean else Inf
  fallback <- find_fallback(state, plan_starts(state, bound), bound)
  sides <- search_sides(state, min(bound, fallback$mean))
  if (length(sides$split$used) < 2) sides <- NULL
  plans <- list(one, if (length(sides)) made_plan(state, sides, "sides"),
                if (length(fallback)) made_plan(state, fallback, "fallback"))
  plans <- Filter(length, plans)
  best <- simplest_plan(vapply(plans, `[[`, NA, "fits"), vapply(plans, `[[`, 0, "mean"),
                        vapply(plans, `[[`, 0, "p_both"))
  c(plans[[best]], list(rivals = plans[-best]))
}

# The cheapest plan that fits, or the one that comes nearest; of those within a per cent of it the
# first, which is the plainest to carry out.
simplest_plan <- function(fits, mean, p_both) {
  if (!any(fits)) return(which.max(p_both))
  which(fits & mean <= 1.01 * min(mean[fits]) + 0.005)[1]
}

# Several side by side that are done first, within the budget: the earliest deadline that they keep,
# by bisection; of those that keep it the cheapest.
fastest_plan <- function(state, one, steps = 6) {
  asked <- state$asked
  kept <- function(finish) limit_at_share(finish, asked$confidence)
  ends <- vapply(state$lines, function(line) kept(line$finish[, ncol(line$finish)]), 0)
  high <- min(asked$deadline_s,
              if (one$fits) kept(one$draws[["finish_s"]]) else max(0, ends[is.finite(ends)]))
  low <- 0
  best <- NULL
  for (step in seq_len(if (high > 0) steps else 0)) {
    if (high - low < 0.03 * high) break
    state$asked$deadline_s <- (low + high) / 2
    found <- search_sides(state)
    fits <- isTRUE(found$fits)
    if (fits) best <- found
    if (fits) high <- min(state$asked$deadline_s, kept(found$finish)) else
      low <- state$asked$deadline_s
  }
  sooner <- length(best) && length(best$split$used) > 1 &&
    (!one$fits || stats::median(best$finish) < stats::median(one$draws[["finish_s"]]))
  if (!sooner) return(one)
  state$asked <- asked
  best[c("p_deadline", "p_budget", "p_both", "mean", "fits")] <-
    judged_draws(best$finish, best$cost,
                 asked)[c("p_deadline", "p_budget", "p_both", "mean", "fits")]
  c(made_plan(state, best, "sides"), list(rivals = list(one)))
}

# Options dominated by another of the same site, tier and start: with more nodes it is sooner, and
# not more expensive.
is_dominated <- function(table, options) {
  same <- paste(options[["site"]], options[["tier"]], options[["hire"]], options[["begin_s"]],
                options[["spread"]])
  vapply(seq_len(nrow(table)), function(i) {
    any(same == same[i] & options[["nodes"]] > options[["nodes"]][i] &
          table[["cost_mean"]] <= table[["cost_mean"]][i] * 1.001 &
        table[["finish_p50"]] <= table[["finish_p50"]][i] &
          table[["finish_p90"]] <= table[["finish_p90"]][i])
  }, NA)
}

# Starts of a fallback: options that cost less than the best plan so far, and parts side by side
# that keep the limits less often.
plan_starts <- function(state, bound) {
  k <- nrow(state$options)
  cost <- vapply(state$lines, function(line) mean(line$cost[, ncol(line$cost)]), 0)
  alone <- which(cost < bound)
  alone <- alone[order(state$options[["begin_s"]][alone], cost[alone])]
  share <- function(i) replace(numeric(k), i, 1)
  less <- lapply(setdiff(c(0.3, 0.5, 0.7, 0.85), state$asked$confidence), function(level) {
    utils::head(search_shares(state, level - state$asked$confidence), 1)
  })
  less <- Filter(function(f) f$mean < bound && sum(f$shares > 1e-9) > 1,
                 unlist(less, recursive = FALSE))
  unique(c(lapply(utils::head(alone, 8), share), lapply(less, `[[`, "shares")))
}

single_plan <- function(choice, i) {
  row <- as_frame(choice$options)[i, ]
  d <- option_rows(choice$forecast, i)
  job <- option_of(choice$forecast$scenario, i)$job_of
  list(kind = "one", parts = as_table(data.frame(
    option = row[["option"]], site = row[["site"]], frames = run_text(job), count = job_frames(job),
    share = 1, finish_p50 = row[["finish_p50"]], cost_mean = row[["cost_mean"]])),
    draws = as_table(data.frame(finish_s = d[["finish_s"]], cost = d[["cost"]], needed = FALSE)),
    p_deadline = row[["p_deadline"]], p_budget = row[["p_budget"]], p_both = row[["p_both"]],
       mean = row[["cost_mean"]], fits = row[["fits"]])
}

# The options that a plan uses, its rescue with them.
plan_options_of <- function(plan) c(plan$parts[["option"]], plan$rescue$option)
