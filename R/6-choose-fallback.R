# Fallbacks: start at one site, check at a moment, and if too few frames are finished, send the rest
# to another.

# The cheapest fallback by mean cost that keeps the limits and costs less than `bound`; NULL if
# there is none. The search interpolates moments, rescues and starts between the simulated shares
# (state$lines); the likeliest are simulated in full, on some of the draws and then on all.
find_fallback <- function(state, starts, bound, most = 6) {
  if (!is.finite(state$asked$deadline_s) || !length(starts)) return(NULL)
  tried <- do.call(rbind, lapply(seq_along(starts), function(k) tried_looks(state, starts[[k]], k)))
  if (!NROW(tried)) return(NULL)
  tried <- tried[order(tried$mean), , drop = FALSE]
  # Interpolated chances err a little: candidates that fall short by that little are tried too.
  # Frames that finish in leaps leave no information between the leaps: then several moments of each
  # are tried.
  leaps <- ncol(state$seconds) <= 48
  tried$part <- if (leaps) ceiling(4 * tried$at / state$asked$deadline_s) else 1
  kept <- function(least) {
    found <- tried[tried$mean < bound & tried$p >= least, , drop = FALSE]
    utils::head(found[!duplicated(found[c("start", "rescue", "part")]), , drop = FALSE],
                if (leaps) 4 * most else most)
  }
  tried <- unique(rbind(kept(state$asked$confidence), kept(state$asked$confidence - 0.02)))
  if (!nrow(tried)) return(NULL)
  some <- with_some_draws(state, seq_len(min(nrow(state$seconds),
                                             max(100, ceiling(6e5 / ncol(state$seconds))))))
  begun <- new.env()
  run_of <- function(k) {
    key <- paste(k)
    if (is.null(begun[[key]]))
      assign(key, check_split(some, starts[[k]], keep = TRUE), envir = begun)
    begun[[key]]
  }
  look <- function(k, at, rescue) c(check_look(some, run_of(k), at, rescue), start = k)
  found <- Map(look, tried$start, tried$at, tried$rescue)
  found <- refine_moments(found, look, state$asked$deadline_s)
  first_whole_fit(found, state, starts, bound)
}

# Look again at moments on both sides of the best; at earlier ones if it does not fit.
refine_moments <- function(found, look, deadline_s) {
  for (step in deadline_s * c(0.03, 0.02, 0.01)) {
    best <- found[[best_candidate(found)]]
    near <- best$at + if (best$fits) c(-step, step) else c(-step, -2 * step)
    near <- near[near > 0 & near < deadline_s]
    found <- c(found, lapply(near, function(at) look(best$start, at, best$rescue)))
  }
  found
}

# The first of the three best fallbacks that also fits on all draws, or NULL.
first_whole_fit <- function(found, state, starts, bound) {
  order <- order(!vapply(found, `[[`, NA, "fits"), vapply(found, `[[`, 0, "mean"))
  for (f in found[utils::head(order, 3)]) {
    if (!f$fits || f$mean >= bound) break
    whole <- check_look(state, check_split(state, starts[[f$start]], keep = TRUE), f$at, f$rescue,
                        f$share + 0.06)
    if (whole$fits && whole$mean < bound) return(whole)
  }
  NULL
}

# The cheapest that fits, or the nearest miss.
best_candidate <- function(found) {
  fits <- vapply(found, `[[`, NA, "fits")
  order(!fits, ifelse(fits, vapply(found, `[[`, 0, "mean"), -vapply(found, `[[`, 0, "p_both")))[1]
}

# Moments and rescues of a start: their mean costs and chances, between the shares that were
# simulated.
tried_looks <- function(state, shares, start) {
  split <- split_runs(state, shares)
  last <- vapply(split$runs, max, 0)
  work <- state$grown[, last, drop = FALSE] -
    cbind(0, state$grown[, utils::head(last, -1), drop = FALSE])
  lines <- state$lines[split$used]
  work <- lapply(seq_len(ncol(work)), function(k) work[, k])
  alone <- Map(at_shares, lines, work)
  on <- list(finish = do.call(pmax, lapply(alone, `[[`, "finish")),
             cost = Reduce(`+`, lapply(alone, `[[`, "cost")))
  rescues <- rescue_candidates(state, split$used)
  at <- state$asked$deadline_s * seq(0.04, 0.94, by = 0.03)
  rows <- lapply(at, function(t) {
    done <- Map(function(line, w) pmin.int(share_done(line, t), w), lines, work)
    spent <- Reduce(`+`, Map(function(line, x) at_shares(line, x)$cost * (x > 0), lines, done))
    rest <- 1 - Reduce(`+`, done)
    lapply(rescues, function(r) {
      more <- at_shares(state$lines[[r]], rest)
      found <- best_threshold(1 - rest, on,
                              list(finish = t + more$finish, cost = spent + more$cost), state$asked)
      c(start, t, r, found$mean, found$p, found$share)
    })
  })
  out <- as.data.frame(do.call(rbind, unlist(rows, recursive = FALSE)))
  if (!nrow(out)) return(NULL)
  names(out) <- c("start", "at", "rescue", "mean", "p", "share")
  out[out$share > 0, , drop = FALSE]
}

# Options that can start at any moment, at another site than the used ones, or at another tier of
# rented nodes; the best few by cost and finish.
rescue_candidates <- function(state, used) {
  options <- state$options
  there <- state$machines %in% state$machines[used]
  tier <- there & !state$own & !paste(options[["site"]], options[["tier"]]) %in%
    paste(options[["site"]], options[["tier"]])[used]
  can <- which((!there | tier) & options[["begin_s"]] == 0)
  finish <- vapply(state$lines[can], function(line) stats::median(line$finish[, ncol(line$finish)]),
                   0)
  cost <- vapply(state$lines[can], function(line) mean(line$cost[, ncol(line$cost)]), 0)
  utils::head(can[is.finite(finish)][order(!pareto_front(finish, cost)[is.finite(finish)],
                                           finish[is.finite(finish)])],
              8)
}

# Number of finished frames from which on it is best to continue: draws in the order of finished
# frames, the first of them rescued. `m` of them, their share, and the resulting mean cost and
# chance. At most `most` of them.
best_threshold <- function(done, on, rescued, asked, most = length(done)) {
  n <- length(done)
  o <- order(done)
  deadline <- min(asked$deadline_s, .Machine$double.xmax)
  ok <- function(x) (x$finish <= deadline & x$cost <= asked$budget)[o]
  kept <- sum(ok(on)) + c(0, cumsum(ok(rescued) - ok(on)))
  cost <- (sum(on$cost) + c(0, cumsum((rescued$cost - on$cost)[o]))) / n
  # Draws with as many frames done go together.
  apart <- c(TRUE, diff(done[o]) > 0, TRUE)
  m <- which(apart & seq_len(n + 1) - 1 <= most)
  enough <- m[kept[m] >= kept_draws_of(asked$confidence, n)]
  best <- if (length(enough)) enough[which.min(cost[enough])] else m[which.max(kept[m])]
  below <- if (best > 1) done[o][best - 1] else -Inf
  above <- if (best <= n) done[o][best] else Inf
  list(m = best - 1, share = (best - 1) / n, mean = cost[best], p = kept[best] / n, below = below,
       above = above)
}

# A fallback simulated in full: `run` is the start as check_split() keeps it, uncut. Frames in
# progress at the moment finish where they started. At most a share `most` of the draws is rescued;
# the threshold (`fewer`) is searched for if it is not given.
check_look <- function(state, run, at, rescue, most = 1, fewer = NULL) {
  n <- ncol(state$seconds)
  done <- Reduce(`+`, lapply(run$runs, function(one) colSums(one$home <= at)))
  draws <- nrow(state$seconds)
  # Only draws that may be rescued need to be simulated.
  worst <- which(rank(done, ties.method = "min") <= ceiling(most * draws))
  rescued <- list(finish = run$finish, cost = run$cost)
  halted <- rescued_draws(with_some_draws(state, worst), run, at, rescue)
  rescued$finish[worst] <- halted$finish
  rescued$cost[worst] <- halted$cost
  if (is.null(fewer)) {
    found <- best_threshold(done, run[c("finish", "cost")], rescued, state$asked, length(worst))
    # Any number between those of the draws on both sides works: use the midpoint.
    fewer <- if (found$m == 0) 0 else if (is.finite(found$above))
      ceiling((found$below + found$above + 1) / 2)
             else min(found$below + 1, n)
  }
  late <- done < fewer
  finish <- ifelse(late, rescued$finish, run$finish)
  cost <- ifelse(late, rescued$cost, run$cost)
  # If every frame has started, no frames remain to send.
  needed <- late & replace(logical(draws), worst, halted$sent)
  c(list(at = at, rescue = rescue, fewer = fewer, of = n, needed = needed, share = mean(late),
         split = run$split, parts = run$parts), judged_draws(finish, cost, state$asked))
}

# Results of these draws if the rest goes to the rescue at the moment.
rescued_draws <- function(state, run, at, rescue) {
  split <- run$split
  parts <- Map(function(i, columns) part_run(state, i, columns, halt_s = at), split$used,
               split$runs)
  left <- matrix(TRUE, nrow(state$seconds), ncol(state$seconds))
  for (k in seq_along(parts)) left[, split$runs[[k]]] <- !t(parts[[k]]$run$begun)
  finish <- do.call(pmax, lapply(parts, function(p) p$draws[["finish_s"]]))
  cost <- Reduce(`+`, lapply(parts, function(p) p$draws[["cost"]]))
  more <- which(rowSums(left) > 0)
  if (length(more)) {
    d <- part_draws(with_some_draws(state, more), rescue, NULL, waiting = at,
                    left = left[more, , drop = FALSE])
    finish[more] <- pmax(finish[more], d[["finish_s"]])
    cost[more] <- cost[more] + d[["cost"]]
  }
  list(finish = finish, cost = cost, sent = rowSums(left) > 0)
}
