# Parts of a job: what options can do of it, and parts simulated side by side.

# Inputs of the plan search: the scenario, its job and options, the frames' seconds (draws x frames)
# and the numbers of these draws, the question. `machines` of each option: options on the same
# machines cannot run side by side.
plan_state <- function(scenario, asked, seconds, seed) {
  list(scenario = scenario, job = main_job(scenario), options = as_frame(scenario$options),
       seed = seed, seconds = seconds, work = cumsum(colSums(seconds)) / sum(seconds),
       asked = asked, own = scenario$options[["site"]] %in% own_sites(scenario),
       machines = unname(machines_of_sites(scenario$sites)[scenario$options[["site"]]]))
}

# The same with some of the draws alone, by their places.
with_some_draws <- function(state, rows) {
  state$numbers <- draw_numbers(state)[rows]
  state$seconds <- state$seconds[rows, , drop = FALSE]
  state
}

draw_numbers <- function(state) or_else(state$numbers, seq_len(nrow(state$seconds)) - 1L)

# One option with a part of the frames; `keep` gives its run too. `...` is of what_if().
part_run <- function(state, i, columns, ..., keep = FALSE) {
  common <- list(seed = state$seed, before = 0, numbers = state$numbers,
                 of = function(key) state$seconds)
  simulated(state$scenario, i, common, what_if(frames = columns, ...), keep)
}
part_draws <- function(state, i, columns, ...) part_run(state, i, columns, ...)$draws

# Finish and cost of each option for parts of the work: `shares`, and one column per share of
# `finish` and `cost`, one row per draw. Parts are frames spread over the whole job.
option_lines <- function(state) {
  n <- ncol(state$seconds)
  work <- colSums(state$seconds)
  few <- c(1 / n, 1 / 32, 1 / 8, 1 / 4, 3 / 8, 1 / 2, 3 / 4, 1)
  counts <- unique(pmax(1, round(n * if (n <= 24) seq_len(n) / n else few)))
  parts <- lapply(counts, function(k) unique(round(seq(1, n, length.out = k))))
  shares <- vapply(parts, function(columns) sum(work[columns]) / sum(work), 0)
  lapply(seq_len(nrow(state$options)), function(i) {
    d <- lapply(parts, function(columns) {
      # All frames were simulated for the forecast.
      known <- length(state$whole) && length(columns) == n
      if (known) state$whole[[i]][draw_numbers(state) + 1, ] else part_draws(state, i, columns)
    })
    list(shares = shares, finish = do.call(cbind, lapply(d, `[[`, "finish_s")),
         cost = do.call(cbind, lapply(d, `[[`, "cost")))
  })
}

# Shares between which a search goes are simulated on some of the draws. `grown` is the share of
# each of these draws' work that is in the frames up to each.
with_lines <- function(state) {
  few <- with_some_draws(state, seq_len(min(nrow(state$seconds),
                                            max(100, min(500, floor(1e6 / ncol(state$seconds)))))))
  state$lines <- option_lines(few)
  state$tried <- new.env()
  state$grown <- t(apply(few$seconds, 1, cumsum)) / rowSums(few$seconds)
  if (ncol(few$seconds) == 1) state$grown <- matrix(1, nrow(few$seconds), 1)
  state
}

# The same at the confidence asked, for the program: when shares are done, and cost as a line from
# the first frame to all.
line_bounds <- function(lines, confidence) {
  rows <- lapply(lines, function(line) {
    last <- length(line$shares)
    cost <- colMeans(line$cost)
    slope <- if (last > 1) max(0, (cost[last] - cost[1]) / (1 - line$shares[1])) else cost[1]
    data.frame(finish = I(list(cummax(apply(line$finish, 2, limit_at_share, share = confidence)))),
               shares = I(list(line$shares)), fixed = max(cost[last] - slope, 0), slope = slope)
  })
  do.call(rbind, rows)
}

# Share of the work that an option can do in a number of seconds; zero if less than one frame.
share_in_time <- function(finish, shares, seconds) {
  if (is.infinite(seconds)) return(as.numeric(is.finite(utils::tail(finish, 1))))
  if (!is.finite(finish[1]) || finish[1] > seconds) return(0)
  known <- is.finite(finish)
  if (sum(known) == 1 || finish[sum(known)] <= seconds) return(shares[sum(known)])
  stats::approx(finish[known], shares[known], seconds, ties = "ordered")$y
}

# Finish and cost of an option between the shares that were simulated, one number a draw; `x` is a
# share of each draw's work.
at_shares <- function(line, x) {
  s <- line$shares
  if (length(s) == 1) return(list(finish = line$finish[, 1], cost = line$cost[, 1]))
  k <- findInterval(x, s, all.inside = TRUE)
  w <- pmin.int(pmax.int((x - s[k]) / (s[k + 1] - s[k]), 0), 1)
  w[w < 1e-9] <- 0  # sums of shares hit one that was simulated but for rounding
  w[w > 1 - 1e-9] <- 1
  low <- seq_along(x) + (k - 1) * length(x)
  between <- function(values) {
    a <- values[low]
    b <- values[low + length(x)]
    out <- a + w * (b - a)
    out[is.nan(out)] <- Inf
    out
  }
  list(finish = between(line$finish), cost = between(line$cost))
}

# The share that is done by a moment, one number a draw.
share_done <- function(line, at) {
  s <- line$shares
  f <- line$finish
  out <- s[1] * (f[, 1] <= at)
  for (k in seq_along(s)[-1]) {
    grown <- (at - f[, k - 1]) / (f[, k] - f[, k - 1])
    grown <- ifelse(f[, k] <= at, 1, ifelse(is.finite(grown), pmin(pmax(grown, 0), 1), 0))
    out <- out + grown * (s[k] - s[k - 1])
  }
  out
}

# The shares of the work at least cost; NULL when there is no way. Variables: a share of each
# option, then whether it is taken. Of two that cost the same, own nodes go first.
solve_split <- function(state, slack) {
  lines <- state$bounds
  options <- state$options
  k <- nrow(lines)
  room <- mapply(share_in_time, lines$finish, lines$shares, state$asked$deadline_s * slack)
  tie <- 1e-6 * (1 + max(lines$fixed + lines$slope)) * (!state$own)
  rows <- list(list(c(rep(1, k), rep(0, k)), "=", 1))
  add <- function(coefficients, direction, bound)
    rows[[length(rows) + 1]] <<- list(coefficients, direction, bound)
  for (i in seq_len(k)) add(replace(numeric(2 * k), c(i, k + i), c(1, -room[i])), "<=", 0)
  for (one in unique(state$machines))
    add(replace(numeric(2 * k), k + which(state$machines == one), 1), "<=", 1)
  if (is.finite(state$asked$budget))
    add(c(lines$slope, lines$fixed), "<=", state$asked$budget * slack)
  solved <- lpSolve::lp("min", c(lines$slope + tie, lines$fixed + tie),
                        do.call(rbind, lapply(rows, `[[`, 1)), vapply(rows, `[[`, "", 2),
                        vapply(rows, `[[`, 0, 3), binary.vec = k + seq_len(k))
  if (solved$status != 0) return(NULL)
  shares <- solved$solution[seq_len(k)]
  if (sum(shares) > 0) shares / sum(shares)
}

# Options by shares of the work, own nodes first: those `used`, and the `last` frame of each.
shares_order <- function(state, shares) {
  used <- which(shares > 1e-9)
  used <- used[order(!state$own[used], -shares[used])]
  last <- findInterval(cumsum(shares[used]) + 1e-9, state$work)
  last[length(last)] <- length(state$work)
  list(used = used, last = last)
}

# Their runs of frames; one whose share is less than a frame has none.
split_runs <- function(state, shares) {
  order <- shares_order(state, shares)
  runs <- Map(function(from, to) if (to > from) seq(from + 1, to),
              c(0, utils::head(order$last, -1)), order$last)
  list(used = order$used[lengths(runs) > 0], runs = runs[lengths(runs) > 0])
}

# Parts side by side as a whole, on the same draws; `keep` keeps their runs.
check_split <- function(state, shares, keep = FALSE) {
  c(list(shares = shares), check_parts(state, split_runs(state, shares), keep))
}

check_parts <- function(state, split, keep = FALSE) {
  runs <- Map(function(i, columns) kept_run(state, i, columns, keep), split$used, split$runs)
  parts <- lapply(runs, `[[`, "draws")
  finish <- do.call(pmax, lapply(parts, `[[`, "finish_s"))
  cost <- Reduce(`+`, lapply(parts, `[[`, "cost"))
  c(list(split = split, parts = parts, runs = if (keep) lapply(runs, `[[`, "run")),
    judged_draws(finish, cost, state$asked))
}

# A part that was simulated before on these draws is not simulated again (`state$tried`, where there
# is one).
kept_run <- function(state, i, columns, keep) {
  if (keep || is.null(state$tried)) return(part_run(state, i, columns, keep = keep))
  key <- paste("run", i, columns[1], length(columns), nrow(state$seconds))
  keep_with(list(kept = state$tried), key, function() part_run(state, i, columns))
}

# Judgement of a whole plan's draws under a question.
judged_draws <- function(finish, cost, asked) {
  asked$deadline_s <- min(asked$deadline_s, .Machine$double.xmax)
  in_time <- finish <= asked$deadline_s
  within <- cost <= asked$budget
  enough <- function(kept) sum(kept) >= kept_draws_of(asked$confidence, length(cost))
  list(finish = finish, cost = cost, p_deadline = mean(in_time), p_budget = mean(within),
       p_both = mean(in_time & within), mean = mean(cost),
       fits = if (isFALSE(asked$together)) enough(in_time) && enough(within) else
       enough(in_time & within))
}

# A plan as a record that can be carried out: its parts in the order of their frames, the look and
# the rescue.
made_plan <- function(state, found, kind) {
  options <- state$options
  used <- found$split$used
  needed <- if (kind == "fallback") found$needed else rep(FALSE, length(found$cost))
  runs <- found$split$runs
  c(list(
    kind = kind,
    parts = as_table(data.frame(
      option = options[["option"]][used], site = options[["site"]][used],
      frames = vapply(runs, function(columns) run_text(job_part(state$job, columns)), ""),
      count = lengths(runs),
      share = vapply(runs, function(c) sum(state$seconds[, c]) / sum(state$seconds), 0),
      finish_p50 = vapply(found$parts, function(d) quantile_of(d[["finish_s"]], 0.5), 0),
      cost_mean = vapply(found$parts, function(d) mean(d[["cost"]]), 0)
    )),
    draws = as_table(data.frame(finish_s = found$finish, cost = found$cost, needed = needed))
  ), if (kind == "fallback") list(
    look = list(at_s = found$at, fewer = found$fewer, of = found$of),
    rescue = list(option = options[["option"]][found$rescue],
                  site = options[["site"]][found$rescue]),
    needed = mean(needed), cost_needed = if (any(needed)) mean(found$cost[needed]) else NA_real_
  ), found[c("p_deadline", "p_budget", "p_both", "mean", "fits")])
}

# Frames of a job as gears 1-300; basin 1-120.
run_text <- function(job) {
  paste(vapply(job$shots, function(shot) paste(shot$shot, format_frames(shot$frames)), ""),
        collapse = "; ")
}
