# The search for a split: from the program's answers and from pairs of options, step by step on the draws.

# The best split found: NULL when no site can do anything. Searched on some of the draws, decided on all of them.
search_split <- function(state) {
  frames <- ncol(state$seconds)
  few <- state
  few$seconds <- state$seconds[seq_len(min(nrow(state$seconds), max(100, floor(3e5 / frames)))), , drop = FALSE]
  memory <- new.env()
  try <- function(shares) tried_split(few, shares, memory)
  program <- program_starts(state)
  starts <- c(program, pair_starts(state))
  if (!length(starts)) return(NULL)
  found <- lapply(starts, try)
  best <- utils::head(order(vapply(found, `[[`, 0, "score")), 4)
  ended <- lapply(found[best], improve_split, state = few, try = try)
  ended <- c(ended, found)
  ended <- ended[order(vapply(ended, `[[`, 0, "score"))]
  decided <- lapply(utils::head(ended[!duplicated(lapply(ended, function(f) split_key(few, f$shares)))], 8),
                    function(f) check_split(state, f$shares))
  fits <- Filter(function(f) f$fits, decided)
  if (length(fits)) return(fits[[which.min(vapply(fits, function(f) stats::median(f$cost), 0))]])
  # Where even the program sees no way, what comes nearest is none either.
  if (length(program)) decided[[which.max(vapply(decided, `[[`, 0, "p_both"))]]
}

# What a split comes to: its median cost, or above all costs by how far it falls short of the confidence.
tried_split <- function(state, shares, memory) {
  key <- split_key(state, shares)
  if (is.null(memory[[key]])) {
    found <- check_split(state, shares)
    score <- if (found$fits) stats::median(found$cost) else 1e12 * (1 + state$asked$confidence - found$p_both)
    memory[[key]] <- list(shares = shares, score = score)
  }
  memory[[key]]
}

# Shares that give the same runs of frames are one split.
split_key <- function(state, shares) {
  split <- split_runs(state, shares)
  paste(split$used, lengths(split$runs), collapse = " ")
}

program_starts <- function(state) {
  found <- lapply(c(1, 0.97, 0.94, 0.9, 0.85, 0.8, 0.7), function(slack) solve_split(state, slack))
  unique(Filter(length, found))
}

# One option alone, and pairs of options of two sites that can do it together by the lines: the likeliest, each with the
# work shared three ways.
pair_starts <- function(state, most = 24) {
  lines <- state$lines
  options <- state$options
  k <- nrow(lines)
  room <- mapply(share_by, lines$finish, lines$shares, state$asked$deadline_s)
  alone <- lapply(which(room >= 1 - 1e-9), function(i) replace(numeric(k), i, 1))
  pairs <- expand.grid(i = seq_len(k), j = seq_len(k))
  pairs <- pairs[options[["site"]][pairs$i] < options[["site"]][pairs$j] & room[pairs$i] > 0 & room[pairs$j] > 0 &
                   room[pairs$i] + room[pairs$j] >= 0.85, , drop = FALSE]
  if (!nrow(pairs)) return(alone)
  # The lines say a little less than whole frames on several nodes can do, so that the two may seem to fall short.
  ends <- cbind(1 - room[pairs$j], pmin(room[pairs$i], 1))
  low <- pmin(ends[, 1], ends[, 2])
  high <- pmax(ends[, 1], ends[, 2])
  cost <- function(share) {
    lines$fixed[pairs$i] * (share > 0) + lines$slope[pairs$i] * share + lines$fixed[pairs$j] * (share < 1) +
      lines$slope[pairs$j] * (1 - share)
  }
  first <- utils::head(order(pmin(cost(low), cost(high))), most)
  shared <- lapply(first, function(p) {
    lapply(c(0.02, 0.5, 0.98), function(at) {
      share <- max(low[p], 0) + at * (high[p] - max(low[p], 0))
      replace(numeric(k), c(pairs$i[p], pairs$j[p]), c(share, 1 - share))
    })
  })
  c(alone, unlist(shared, recursive = FALSE))
}

# Steps that make a split cheaper, or likelier while it does not fit, until none does.
improve_split <- function(now, state, try, steps = 60) {
  size <- 0.2
  least <- 1 / ncol(state$seconds)
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

# The neighbours of a split: work of this size from one site to another, another option of a site, a new site.
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
    same <- setdiff(which(options[["site"]] == options[["site"]][i]), i)
    same <- same[order(abs(options[["nodes"]][same] - options[["nodes"]][i]))]
    lapply(utils::head(same, if (size > 0.05) 6 else 2), function(j) replace(replace(shares, i, 0), j, shares[i]))
  }), recursive = FALSE)
  fresh <- which(!options[["site"]] %in% options[["site"]][used] & is.finite(vapply(state$lines$finish, `[`, 0, 1)))
  fresh <- fresh[order(state$lines$fixed[fresh] + size * state$lines$slope[fresh])]
  joined <- if (size > 0.03) unlist(lapply(utils::head(fresh, 4), function(j) {
    lapply(used, function(i) shift(i, j))
  }), recursive = FALSE)
  c(moved, other, joined)
}
