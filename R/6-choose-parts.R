# Parts of a split: what options can do, the program that shares the work out, and the whole simulated.

# What each option takes and costs for parts of the work: one frame, an eighth, a half, all of it. `room` is the share
# that it can do by the deadline, at the confidence asked; cost is a line from the first frame to all.
option_costs <- function(state) {
  n <- ncol(state$seconds)
  work <- colSums(state$seconds)
  parts <- lapply(unique(pmax(1, round(n / c(n, 8, 2, 1)))), function(k) unique(round(seq(1, n, length.out = k))))
  shares <- vapply(parts, function(columns) sum(work[columns]) / sum(work), 0)
  rows <- lapply(seq_len(nrow(state$options)), function(i) {
    at <- vapply(parts, function(columns) {
      d <- part_draws(state, i, columns)
      c(kept_by(d[["finish_s"]], state$asked$confidence), stats::median(d[["cost"]]))
    }, numeric(2))
    last <- length(shares)
    slope <- if (last > 1) max(0, (at[2, last] - at[2, 1]) / (1 - shares[1])) else at[2, 1]
    data.frame(finish = I(list(cummax(at[1, ]))), shares = I(list(shares)), fixed = max(at[2, last] - slope, 0),
               slope = slope)
  })
  do.call(rbind, rows)
}

# The share of the work that an option can do in so many seconds; nothing when not even one frame.
share_by <- function(finish, shares, seconds) {
  if (is.infinite(seconds)) return(as.numeric(is.finite(utils::tail(finish, 1))))
  if (!is.finite(finish[1]) || finish[1] > seconds) return(0)
  known <- is.finite(finish)
  if (sum(known) == 1 || finish[sum(known)] <= seconds) return(shares[sum(known)])
  stats::approx(finish[known], shares[known], seconds, ties = "ordered")$y
}

# What a split is worked out from: the scenario, its job and options, the frames' seconds (draws x frames), the
# question.
split_state <- function(scenario, asked, draws, seed) {
  job <- main_job(scenario)
  list(scenario = scenario, job = job, options = as_frame(scenario$options), seed = seed,
       seconds = frame_draws(job, draws, seed), asked = asked,
       own = scenario$options[["site"]] %in% own_sites(scenario))
}

# One option with a part of the frames.
part_draws <- function(state, i, columns) {
  common <- list(seed = state$seed, before = 0, of = function(key) state$seconds)
  simulated(state$scenario, i, common, what_if(frames = columns))$draws
}

# The shares of the work at least cost; NULL when there is no way. Variables: a share of each option, then whether it is
# taken. Of two that cost the same, own nodes go first.
solve_split <- function(state, slack) {
  lines <- state$lines
  options <- state$options
  k <- nrow(lines)
  room <- mapply(share_by, lines$finish, lines$shares, state$asked$deadline_s * slack)
  own <- state$own
  tie <- 1e-6 * (1 + max(lines$fixed + lines$slope)) * (!own)
  rows <- list(list(c(rep(1, k), rep(0, k)), "=", 1))
  add <- function(coefficients, direction, bound) rows[[length(rows) + 1]] <<- list(coefficients, direction, bound)
  for (i in seq_len(k)) add(replace(numeric(2 * k), c(i, k + i), c(1, -room[i])), "<=", 0)
  for (site in unique(options[["site"]])) add(replace(numeric(2 * k), k + which(options[["site"]] == site), 1), "<=", 1)
  if (is.finite(state$asked$budget)) add(c(lines$slope, lines$fixed), "<=", state$asked$budget * slack)
  solved <- lpSolve::lp("min", c(lines$slope + tie, lines$fixed + tie), do.call(rbind, lapply(rows, `[[`, 1)),
                        vapply(rows, `[[`, "", 2), vapply(rows, `[[`, 0, 3), binary.vec = k + seq_len(k))
  if (solved$status != 0) return(NULL)
  shares <- solved$solution[seq_len(k)]
  if (sum(shares) > 0) shares / sum(shares)
}

# Runs of frames by shares of the work, own nodes first, each option that has a share at least one frame.
split_runs <- function(state, shares) {
  own <- state$own
  used <- which(shares > 1e-9)
  used <- used[order(!own[used], -shares[used])]
  work <- cumsum(colSums(state$seconds)) / sum(state$seconds)
  edges <- cumsum(shares[used])
  last <- vapply(edges, function(edge) sum(work <= edge + 1e-9), 0L)
  last[length(last)] <- ncol(state$seconds)
  runs <- Map(function(from, to) if (to > from) seq(from + 1, to), c(0, utils::head(last, -1)), last)
  list(used = used[lengths(runs) > 0], runs = runs[lengths(runs) > 0])
}

# The split as a whole, on the same draws.
check_split <- function(state, shares) {
  split <- split_runs(state, shares)
  parts <- Map(function(i, columns) part_draws(state, i, columns), split$used, split$runs)
  finish <- do.call(pmax, lapply(parts, `[[`, "finish_s"))
  cost <- Reduce(`+`, lapply(parts, `[[`, "cost"))
  asked <- state$asked
  p_deadline <- if (is.finite(asked$deadline_s)) mean(finish <= asked$deadline_s) else mean(is.finite(finish))
  p_budget <- mean(cost <= asked$budget)
  p_both <- mean(finish <= min(asked$deadline_s, .Machine$double.xmax) & cost <= asked$budget)
  list(split = split, parts = parts, finish = finish, cost = cost, p_deadline = p_deadline, p_budget = p_budget,
       p_both = p_both,
       fits = p_both >= asked$confidence - 1e-9)
}
