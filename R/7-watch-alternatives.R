# Ways to go on from here, simulated from the present state: the rest elsewhere, other tiers or
# nodes, a site more, a stop.

# Job if all frames that are not finished are sent elsewhere now: one row per option that can start
# at once at an unused site: `option`, `finish_p50`, `finish_p90` (seconds from the placing),
# `cost_mean` (in total), `p_deadline`, `p_budget`, `p_both`, and `until_s`, until when it keeps the
# deadline at the confidence. The money spent so far is the sites' reported charges, or the forecast
# for the finished work; running frames are paid twice.
rest_alternatives <- function(x, draws = 200, can = NULL) {
  state <- x$state
  parts <- as_frame(x$parts)
  left <- which(is.infinite(x$came))
  options <- state$options
  # A site that ended its part can be given it again.
  ended <- x$at_sites[["site"]][!is.na(x$at_sites[["halted_s"]])]
  at_work <- setdiff(parts[["site"]], ended)
  if (is.null(can)) can <- which(!options[["site"]] %in% at_work & options[["begin_s"]] == 0)
  some <- with_some_draws(state, seq_len(min(nrow(state$seconds), draws)))
  spent <- spent_so_far(x)
  bind_tables(lapply(can, function(i) {
    d <- part_draws(some, i, left, waiting = x$passed_s)
    alternative_row(x, options[["option"]][i], options[["site"]][i], d[["finish_s"]],
                    spent + d[["cost"]])
  }))
}

# A way as a row, judged as the question has it.
alternative_row <- function(x, option, site, finish, cost) {
  asked <- x$state$asked
  judged <- judged_draws(finish, cost, asked)
  data.frame(option = option, site = site, finish_p50 = quantile_of(finish, 0.5),
             finish_p90 = quantile_of(finish, 0.9), cost_mean = judged$mean,
             p_deadline = judged$p_deadline, p_budget = judged$p_budget, p_both = judged$p_both,
             until_s = x$passed_s + asked$deadline_s - quantile_of(finish, asked$confidence))
}

# Money spent so far.
spent_so_far <- function(x) {
  parts <- as_frame(x$parts)
  charged <- x$at_sites[["charged"]][match(parts[["site"]], x$at_sites[["site"]])]
  if (!length(charged)) charged <- rep(NA_real_, nrow(parts))
  sum(ifelse(is.na(charged), parts[["cost_mean"]] * parts[["work"]], charged))
}

# Present alternatives: continue, send the unfinished frames elsewhere, stop. Columns as in
# rest_alternatives(), and the resulting `frames`.
job_alternatives <- function(x, elsewhere = TRUE) {
  all <- length(x$came)
  d <- x$draws
  on <- data.frame(option = "go on", site = NA_character_,
                   finish_p50 = quantile_of(d[["finish_s"]], 0.5),
                   finish_p90 = quantile_of(d[["finish_s"]], 0.9), cost_mean = x$mean,
                   p_deadline = x$p_deadline, p_budget = x$p_budget, p_both = x$p_both,
                   until_s = NA_real_)
  spent <- spent_so_far(x)
  stop <- data.frame(option = "stop", site = NA_character_, finish_p50 = x$passed_s,
                     finish_p90 = x$passed_s, cost_mean = spent, p_deadline = NA_real_,
                     p_budget = NA_real_, p_both = NA_real_, until_s = NA_real_)
  ways <- if (elsewhere && any(is.infinite(x$came))) rest_alternatives(x)
  if (length(ways)) ways <- as_frame(ways[order(ways[["cost_mean"]]), , drop = FALSE])
  out <- rbind(on, ways, stop)
  cbind(out, frames = c(rep(all, nrow(out) - 1), sum(is.finite(x$came))))
}

# Results of a change now. `wishes`: texts, each `tier=brisk`, `nodes=8` (of the site that the part
# is at, or `SITE tier=brisk`), `send SITE`, `add SITE` or `stop`. Returns a table as
# job_alternatives() has it, continuing first, with `twice` (running frames that would be paid
# again) and `note` (what to know before).
job_what_if <- function(x, wishes) {
  on <- utils::head(job_alternatives(x, elsewhere = FALSE), 1)
  rows <- lapply(wishes, function(wish) simulate_change(x, wish))
  out <- bind_tables(c(list(cbind(on, twice = 0L, note = NA_character_)), rows))
  as_table(out)
}

# The rest of a job with one change, as `--what-if` writes it: tier, nodes, send, add or stop.
simulate_change <- function(x, wish) {
  where <- "option --what-if"
  wish <- trimws(check_text(wish, where))
  if (wish == "stop") {
    row <- utils::tail(job_alternatives(x, elsewhere = FALSE), 1)
    return(cbind(row, twice = 0L, note = stop_note(x)))
  }
  hit <- regmatches(wish, regexec("^(send|add) +(\\S+)$", wish))[[1]]
  if (length(hit))
    return(if (hit[2] == "send") simulate_rescue(x, hit[3], where) else
           simulate_added_site(x, hit[3], where))
  hit <- regmatches(wish, regexec("^(\\S+ +)?(tier|nodes)=(\\S+)$", wish))[[1]]
  if (!length(hit)) {
    stop_input("usage", paste("got", show_value(wish)), where,
               "Write tier=NAME, nodes=NUMBER, send SITE, add SITE or stop, with commas between.")
  }
  simulate_move(x, trimws(hit[2]), hit[3], hit[4], where)
}

# Loss by a stop, and the steps before it.
stop_note <- function(x) {
  open <- x$frames[x$frames[["state"]] == "rendering", , drop = FALSE]
  usual <- stats::median(x$frames[["seconds"]], na.rm = TRUE)
  near <- if (is.finite(usual)) sum(x$passed_s - open[["begun"]] > usual / 2, na.rm = TRUE) else 0
  away <- sum(is.finite(x$came) & !x$here)
  paste0(nrow(open), " running frames would be lost, and are paid",
         if (near) paste0("; ", near, if (near == 1) " of them is" else " of them are",
                          " over half done: pause first, and stop when they are there"),
         if (away) paste0("; fetch the ", away,
                          if (away == 1) " frame that is" else " frames that are",
                          " ready there before"))
}

running_frames <- function(x) sum(x$frames[["state"]] == "rendering")

# Rows of the options that can begin now at a site; an error for one that is none.
options_now <- function(x, site, where) {
  options <- x$state$options
  check_choice(site, where, unique(options[["site"]][options[["begin_s"]] == 0]))
  which(options[["site"]] == site & options[["begin_s"]] == 0)
}

# Of several options the one that keeps most of the limits, and of these the cheapest.
best_alternative <- function(rows)
  rows[order(-round(rows[["p_both"]], 2), rows[["cost_mean"]])[1], , drop = FALSE]

simulate_rescue <- function(x, site, where) {
  at <- options_now(x, site, where)
  row <- best_alternative(rest_alternatives(x, can = at))
  cbind(row, frames = length(x$came), twice = running_frames(x),
        note = in_flight_note(x, row[["option"]]))
}

# The rest at the same site under another tier or with other nodes: it is placed there again.
simulate_move <- function(x, site, field, value, where) {
  parts <- as_frame(x$parts)
  if (!nzchar(site)) site <- parts[["site"]][which.max(parts[["frames"]] - parts[["there"]])]
  options <- x$state$options
  at <- options_now(x, site, where)
  now <- options[match(parts[["option"]][match(site, parts[["site"]])], options[["option"]]), ]
  keep <- setdiff(c("tier", "nodes"), field)
  if (nrow(now) && !is.na(now[[keep]])) {
    same <- at[options[[keep]][at] == now[[keep]]]
    if (length(same)) at <- same
  }
  check_choice(value, where, unique(as.character(options[[field]][at])))
  at <- at[as.character(options[[field]][at]) == value]
  row <- best_alternative(rest_alternatives(x, can = at))
  if (identical(x$state$scenario$sites[[site]]$kind, "own")) {
    # A pool that is placed again continues its running frames.
    note <- paste0("name as many nodes in `pool` of sites/", site,
                   ".yaml, and place the job again: it goes on with ", "what is missing")
    return(cbind(row, frames = length(x$came), twice = 0L, note = note))
  }
  cbind(row, frames = length(x$came), twice = running_frames(x),
        note = in_flight_note(x, row[["option"]]))
}

# With as many nodes as frames all of them are paid before one is done.
in_flight_note <- function(x, option) {
  options <- x$state$options
  nodes <- options[["nodes"]][match(option, options[["option"]])]
  left <- sum(is.infinite(x$came))
  if (nodes < left) return(NA_character_)
  paste0("all ", left,
         " remaining frames would run at once, and be paid before one of them is seen")
}

# One more site: it takes the last of the remaining frames, as many as make the whole finish
# soonest.
simulate_added_site <- function(x, site, where, shares = seq(0.1, 0.9, 0.1), draws = 200) {
  parts <- as_frame(x$parts)
  if (site %in% parts[["site"]]) {
    stop_input("usage", paste(site, "has a part of the job already"), where,
               "Write send, or name another site.")
  }
  state <- x$state
  left <- which(is.infinite(x$came))
  some <- with_some_draws(state, seq_len(min(nrow(state$seconds), draws)))
  pick <- with_seed(state$seed, sample.int(nrow(x$draws), nrow(some$seconds), TRUE))
  finish <- x$draws[["finish_s"]][pick]
  spent <- spent_so_far(x)
  rest <- x$draws[["cost"]][pick] - spent
  mean <- colMeans(some$seconds[, left, drop = FALSE])
  work <- rev(cumsum(rev(mean))) / sum(mean)
  row_of <- function(i, share) {
    take <- left[work <= share + 1e-9]
    if (!length(take)) return(NULL)
    moved <- work[match(take[1], left)]
    d <- part_draws(some, i, take, waiting = x$passed_s)
    own <- x$passed_s + (finish - x$passed_s) * (1 - moved)
    row <- alternative_row(x, paste0(state$options[["option"]][i], ", ", length(take), " frames"),
                           site, pmax(own, d[["finish_s"]]),
                           spent + pmax(rest, 0) * (1 - moved) + d[["cost"]])
    cbind(row, frames = length(x$came), twice = 0L, note = NA_character_)
  }
  asked <- expand.grid(share = shares, option = options_now(x, site, where))
  rows <- bind_tables(Map(row_of, asked$option, asked$share))
  if (is.null(rows))
    stop_input("usage", "no frames remain that it could take", where, "Leave it out.")
  # Whoever adds a site wants it sooner: the soonest that keeps the budget, where any does.
  kept <- rows[["p_budget"]] >= state$asked$confidence
  if (any(kept)) rows <- rows[kept, , drop = FALSE]
  best <- rows[which.min(rows[["finish_p50"]]), , drop = FALSE]
  best$option <- paste("add", best[["option"]])
  best
}
