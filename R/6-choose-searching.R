# The search for parts side by side: from the program's answers and from pairs of options, step by
# step between the shares that were simulated; the best are then simulated whole.

# Shares worth a closer look, the best first; none when no site can do anything. `margin` is added
# to the confidence asked.
search_shares <- function(state, margin = 0) {
  state$asked$confidence <- min(state$asked$confidence + margin, 0.9999)
  state$bounds <- line_bounds(state$lines, state$asked$confidence)
  try <- function(shares) tried_shares(state, shares)
  program <- program_starts(state)
  starts <- c(program, pair_starts(state))
  if (!length(starts)) return(list())
  found <- lapply(starts, try)
  # The best start of each set of sites, so that the search does not begin in one corner alone.
  found <- found[order(vapply(found, `[[`, 0, "score"))]
  sites <- vapply(found, function(f)
                  paste(sort(state$options[["site"]][f$shares > 1e-9]), collapse = " "), "")
  found <- if (ncol(state$seconds) <= 48)
    c(utils::head(found, 3), utils::head(found[!duplicated(sites)], 4))
           else utils::head(found[!duplicated(sites)], 5)
  found <- c(lapply(found, improve_split, state = state, try = try), found)
  # If even the program has no solution, the nearest miss is none either.
  if (!length(program)) found <- Filter(function(f) f$score < 1e12, found)
  found[order(vapply(found, `[[`, 0, "score"))]
}

# Value of shares between the simulated ones: their mean cost, or above all costs by how far they
# fall short of the confidence.
tried_shares <- function(state, shares) {
  order <- shares_order(state, shares)
  used <- order$used
  last <- order$last
  key <- paste(c(used, last), collapse = " ")
  known <- state$tried[[key]]
  if (is.null(known)) {
    finish <- cost <- before <- 0
    for (k in seq_along(used)) {
      if (last[k] == max(0, last[k - 1])) next
      upto <- state$grown[, last[k]]
      at <- at_shares(state$lines[[used[k]]], upto - before)
      finish <- pmax(finish, at$finish)
      cost <- cost + at$cost
      before <- upto
    }
    known <- list(finish = finish, cost = cost)
    assign(key, known, envir = state$tried)
  }
  finish <- known$finish
  cost <- known$cost
  found <- judged_draws(finish, cost, state$asked)
  list(shares = shares, mean = found$mean, p_both = found$p_both,
       score = if (found$fits) found$mean else 1e12 * (1 + state$asked$confidence - found$p_both))
}

# The best parts side by side, simulated in full; NULL if there are none. Interpolation errs a
# little: each find is simulated, and the search repeats for as much more, or less, as it fell
# short. A few last steps move work from the more expensive site to the cheaper one as far as the
# draws allow. Plans far above the cost `bound` are not simulated.
search_sides <- function(state, bound = Inf) {
  some <- with_some_draws(state, seq_len(min(nrow(state$seconds),
                                             max(200, ceiling(1e6 / ncol(state$seconds))))))
  tried <- list()
  # A plan that some draws accept may fail a little on all: require a little more of the few.
  for (more in c(0, 0.01, 0.025)) {
    some$asked$confidence <- min(state$asked$confidence + more, 0.9999)
    best <- sides_of(some, bound)
    if (is.null(best)) break
    whole <- check_split(state, best$shares)
    if (!whole$fits && best$fits) whole <- last_steps(whole, state, 0.01, 3)
    tried <- c(tried, list(whole))
    if (whole$fits || !best$fits) break
  }
  if (!length(tried)) return(NULL)
  tried[[order(!vapply(tried, `[[`, NA, "fits"), -vapply(tried, `[[`, 0, "p_both"))[1]]]
}

# The best split: shares are searched and then simulated whole, with a growing margin until one
# fits.
sides_of <- function(state, bound = Inf, rounds = 5) {
  margin <- 0
  decided <- list()
  for (round in seq_len(rounds)) {
    found <- utils::head(search_shares(state, margin), if (ncol(state$seconds) <= 48) 6 else 2)
    if (!length(found) || round == 1 && !comes_near(found[[1]], state, bound)) break
    keys <- vapply(found, function(f) split_key(state, f$shares), "")
    for (k in which(!keys %in% names(decided)))
      decided[[keys[k]]] <- check_split(state, found[[k]]$shares)
    if (decided[[keys[1]]]$fits) break
    margin <- margin + max(found[[1]]$p_both - decided[[keys[1]]]$p_both, 0) / 2 + 0.005
  }
  if (!length(decided)) return(NULL)
  best_of_searched(state, decided)
}

# The best of the splits that were simulated whole, after a few last steps.
best_of_searched <- function(state, decided) {
  fits <- Filter(function(f) f$fits, decided)
  # The cheapest that falls a little short may be helped by a last few steps.
  near <- Filter(function(f) !f$fits && f$p_both > state$asked$confidence - 0.06, decided)
  starts <- c(if (length(fits)) fits[which.min(vapply(fits, `[[`, 0, "mean"))],
              if (length(near)) near[which.max(vapply(near, `[[`, 0, "p_both"))])
  if (!length(starts)) return(decided[[which.max(vapply(decided, `[[`, 0, "p_both"))]])
  ended <- lapply(starts, last_steps, state = state)
  ended[[order(!vapply(ended, `[[`, NA, "fits"), vapply(ended, `[[`, 0, "mean"))[1]]]
}

# Between simulated shares costs err by a few per cent and chances by a few points; a search finds
# those that err to its liking, so that what is found costs more when it is simulated, hardly less.
comes_near <- function(found, state, bound) {
  fits <- found$score < 1e12
  is.infinite(bound) || if (fits) found$mean < 1.02 * bound
  else found$mean < bound && found$p_both > state$asked$confidence - 0.03
}

# Work from one site to another as far as the draws allow, by ever smaller steps, simulated whole.
last_steps <- function(now, state, size = 0.03, steps = 6) {
  score <- function(f) if (f$fits) f$mean else 1e12 * (1 + state$asked$confidence - f$p_both)
  least <- 1 / ncol(state$seconds)
  for (step in seq_len(steps)) {
    used <- which(now$shares > 1e-9)
    if (length(used) < 2) return(now)
    # While it fits, from where a frame costs most; while it does not, from where the work ends
    # last.
    each <- vapply(now$parts, function(d) mean(d[["cost"]]), 0) / lengths(now$split$runs)
    late <- vapply(now$parts, function(d) limit_at_share(d[["finish_s"]], state$asked$confidence),
                   0)
    from <- now$split$used[which.max(if (now$fits) each else late)]
    tried <- lapply(setdiff(used, from), function(j) {
      by <- min(size, now$shares[from])
      check_split(state, replace(now$shares, c(from, j), now$shares[c(from, j)] + c(-by, by)))
    })
    best <- tried[[which.min(vapply(tried, score, 0))]]
    if (score(best) < score(now)) now <- best
    else if (size <= least) return(now) else size <- max(size / 3, least)
  }
  now
}

# Shares that give the same runs of frames are one split.
split_key <- function(state, shares) {
  split <- split_runs(state, shares)
  paste(split$used, lengths(split$runs), collapse = " ")
}

program_starts <- function(state) {
  if (!requireNamespace("lpSolve", quietly = TRUE)) return(list())
  found <- lapply(c(1, 0.97, 0.94, 0.9, 0.85, 0.8, 0.7), function(slack) solve_split(state, slack))
  unique(Filter(length, found))
}

# One option alone, and pairs of options of two sites that can do it together by the lines: the
# likeliest, each with the work shared three ways.
pair_starts <- function(state, most = 24) {
  lines <- state$bounds
  options <- state$options
  k <- nrow(lines)
  room <- mapply(share_in_time, lines$finish, lines$shares, state$asked$deadline_s)
  alone <- lapply(which(room >= 1 - 1e-9), function(i) replace(numeric(k), i, 1))
  pairs <- expand.grid(i = seq_len(k), j = seq_len(k))
  pairs <- pairs[options[["site"]][pairs$i] < options[["site"]][pairs$j] &
                   state$machines[pairs$i] != state$machines[pairs$j] & room[pairs$i] > 0 &
                 room[pairs$j] > 0 &
                   room[pairs$i] + room[pairs$j] >= 0.85, , drop = FALSE]
  if (!nrow(pairs)) return(alone)
  # The lines say a little less than whole frames on several nodes can do, so that the two may seem
  # to fall short.
  ends <- cbind(1 - room[pairs$j], pmin(room[pairs$i], 1))
  low <- pmin(ends[, 1], ends[, 2])
  high <- pmax(ends[, 1], ends[, 2])
  cost <- function(share) {
    lines$fixed[pairs$i] * (share > 0) + lines$slope[pairs$i] * share +
      lines$fixed[pairs$j] * (share < 1) +
      lines$slope[pairs$j] * (1 - share)
  }
  first <- utils::head(order(pmin(cost(low), cost(high))), most)
  # For a job of few frames every count is tried: its costs go by steps, on which a search may stop.
  n <- ncol(state$seconds)
  steps <- if (n <= 48) seq(0, 1, length.out = n + 1) else c(0.02, 0.5, 0.98)
  shared <- lapply(first, function(p) {
    if (n <= 48) {
      low[p] <- 0
      high[p] <- 1
    }
    lapply(steps, function(at) {
      share <- max(low[p], 0) + at * (high[p] - max(low[p], 0))
      replace(numeric(k), c(pairs$i[p], pairs$j[p]), c(share, 1 - share))
    })
  })
  c(alone, unlist(shared, recursive = FALSE))
}

# Steps that make a split cheaper, or likelier while it does not fit, until none does.
improve_split <- function(now, state, try, steps = 60) {
  size <- 0.2
  least <- max(1 / ncol(state$seconds), 0.002)
  for (step in seq_len(steps)) {
    moves <- lapply(split_moves(state, now$shares, size), try)
    scores <- vapply(moves, `[[`, 0, "score")
    if (length(scores) && min(scores) < now$score) {
      now <- moves[[which.min(scores)]]
    } else {
      if (size <= least) break
      size <- max(size / 2.5, least)
    }
  }
  now
}

# The neighbours of a split: work of this size from one site to another, another option of a site, a
# new site.
split_moves <- function(state, shares, size) {
  options <- state$options
  used <- which(shares > 1e-9)
  shift <- function(from, to) {
    by <- min(size, shares[from])
    out <- shares
    out[c(from, to)] <- c(shares[from] - by, shares[to] + by)
    out
  }
  pairs <- expand.grid(from = used, to = used)
  moved <- Map(shift, pairs$from[pairs$from != pairs$to], pairs$to[pairs$from != pairs$to])
  other <- unlist(lapply(used, function(i) {
    same <- setdiff(which(state$machines == state$machines[i]), i)
    same <- same[order(abs(options[["nodes"]][same] - options[["nodes"]][i]))]
    lapply(utils::head(same, if (size > 0.05) 6 else 2),
           function(j) replace(replace(shares, i, 0), j, shares[i]))
  }), recursive = FALSE)
  fresh <- which(!state$machines %in% state$machines[used] &
                   is.finite(vapply(state$bounds$finish, `[`, 0, 1)))
  fresh <- fresh[order(state$bounds$fixed[fresh] + size * state$bounds$slope[fresh])]
  joined <- if (size > 0.03) unlist(lapply(utils::head(fresh, 4), function(j) {
    lapply(used, function(i) shift(i, j))
  }), recursive = FALSE)
  c(moved, other, joined)
}
