# A running job's rest, from the frames that have arrived: the draws of the whole job, conditioned
# on what was seen.

# When a job ends and what it costs, given the frames that have arrived. `home`: when each frame is
# at home in each draw of the forecast, seconds from the beginning (draws x frames; Inf: never);
# `finish` and `cost` of these draws; `seen`: when the frames that are there arrived; `now`. How
# many arrived by when is compared draw by draw with the same number of frames, so that progress is
# the work that was done, not the count: the draws know that the frames to come are heavier.
#
# Draws are weighed by how near they came to what was seen, and moved along the line through them:
# regression-adjusted rejection (Beaumont, Zhang & Balding 2002, Genetics 162, 2025), in logs, on
# the moments at which half of the frames and all of those that are there had arrived. What is
# slower than any draw is reached along that line. That nothing more has arrived by now rules out
# draws that would be further.
#
# A first frame that came later than in 99 of 100 draws, and than the pace since lets expect, began
# later than any: by so much all that was seen is taken earlier, and the end later. A start that
# nobody knew of tells nothing of the pace, and as the moment of the half it would be taken for one:
# with 5 s of start on a minute of frames 1 of 100 ranges of 80 % held at a quarter. A first frame
# earlier than in 99 of 100 draws is the same the other way round: a person began at once although
# the card predicts a wait.
#
# `over`: how much longer the rest takes than what was seen says, where pace_test() found that it
# slowed down; `drift`: sd of the log of what it may take beside what the draws have.
#
# Returns a list: `finish`, `cost` and `weight` of the draws that are left (weights add up to 1),
# `done` (frames), `overdue` (share of draws in which another frame would have come by now), `work`
# (share of the work, by the time that the draws take for as many frames).
rest_draws <- function(home, finish, cost, seen, now, near = 0.4, over = 1, drift = 0) {
  seen <- sort(seen)
  begun <- start_shift(home, seen)
  if (begun != 0) {
    rest <- rest_draws(home, finish, cost, seen - begun, now - begun, near, over, drift)
    rest$finish <- rest$finish + begun
    return(rest)
  }
  m <- length(seen)
  n <- ncol(home)
  alike <- function(finish, work) {
    list(finish = finish, cost = cost, weight = rep(1 / length(cost), length(cost)), done = m,
         overdue = 0, work = work)
  }
  if (m >= n) {
    after <- pmax(finish - apply(home, 1, max), 0)  # merging, encoding
    after[!is.finite(after)] <- 0
    return(alike(ifelse(after > 0, pmax(seen[n] + after, now), seen[n]), 1))
  }
  # The moment of the half contains no information on a later slowdown.
  at <- if (m > 0) unique(c(if (over == 1) ceiling(m / 2), m)) else integer()
  times <- arrival_moments(home, c(at, m + 1))
  ends <- is.finite(finish) & rowSums(!is.finite(times)) == 0
  # Hardly any draw comes so far: nothing can be told from them.
  if (sum(ends) < 20) return(alike(pmax(finish, now), m / n))
  reached <- if (m > 0) times[, length(at)] else rep(0, nrow(home))
  left <- pmax(finish - reached, 1e-6)
  next_one <- pmax(times[, length(at) + 1] - reached, 1e-6)
  since <- if (m > 0) seen[m] else 0
  if (m == 0) {
    x <- NULL
    weight <- as.numeric(ends)
  } else {
    x <- log(times[, seq_along(at), drop = FALSE])
    target <- log(pmax(seen[at], 1e-6))
    weight <- draw_weights(x, target, ends, near)
  }
  moved <- function(y) exp(moved_draws(log(pmax(y, 1e-9)), x, if (m > 0) target, weight))
  more <- drift_factors(length(left), drift)
  left <- moved(left) * over * more
  # Where all is as much slower as what was seen, so is the next frame.
  next_one <- next_one * if (m > 0) exp(target[length(at)] - x[, length(at)]) else 1
  ended <- since + left
  late <- since + next_one < now
  overdue <- sum(weight[late]) / sum(weight)
  if (sum(weight[!late]) >= 0.2 * sum(weight)) weight[late] <- 0
  # hardly any draw is that slow: the next one comes now
  else ended[late] <- now + pmax(left - next_one, 0)[late]
  keep <- weight > 0
  cost <- moved(cost) * if (over == 1 && drift == 0) 1
                        else pmax(ended, now) / pmax(since + left / (over * more), 1e-6)
  list(finish = pmax(ended, now)[keep], cost = cost[keep],
       weight = weight[keep] / sum(weight[keep]), done = m, overdue = overdue,
       work = if (m > 0) stats::weighted.mean(reached / finish, weight) else 0)
}

# Factors of draws with that sd of their logs, spread evenly and without order.
drift_factors <- function(n, drift) {
  if (drift == 0) return(rep(1, n))
  exp(drift * stats::qnorm((((seq_len(n) * 0.6180339887) %% 1) * (n - 1) + 0.5) / n))
}

# Delay of the first frame relative to its forecast, at the pace of the later frames; negative for
# an early start. It is 0 unless the first frame is outside the central 98 % of the draws, scaled to
# that pace. `seen`: in order.
start_shift <- function(home, seen) {
  m <- length(seen)
  if (!m) return(0)
  first <- do.call(pmin, lapply(seq_len(ncol(home)), function(k) home[, k]))
  known <- first[is.finite(first)]
  if (length(known) < 20) return(0)
  usual <- stats::quantile(known, c(0.01, 0.99), names = FALSE)
  if (seen[1] >= usual[1] && seen[1] <= usual[2]) return(0)
  since <- if (m > 1) stats::median(arrival_moments(home, m) - first) else 0
  slower <- if (is.finite(since) && since > 0) (seen[m] - seen[1]) / since else 1
  shift <- seen[1] - slower * stats::median(known)
  if (seen[1] > usual[2] * max(1, slower)) return(max(0, shift))
  if (seen[1] < usual[1] * min(1, slower)) return(min(0, shift))
  0
}

# Moments at which each number of frames had arrived, draws x counts, in the order of `counts`.
arrival_moments <- function(home, counts) {
  asked <- sort(unique(as.integer(counts)))
  frames_arrived(home, asked)[, match(counts, asked), drop = FALSE]
}

# The share `near` of the draws that came nearest, less the further they are (Epanechnikov).
draw_weights <- function(x, target, ends, near) {
  spread <- apply(x[ends, , drop = FALSE], 2, stats::mad)
  spread[spread <= 0] <- 1
  far <- sqrt(rowSums(sweep(sweep(x, 2, target), 2, spread, `/`)^2))
  far[!ends] <- Inf
  width <- max(sort(far)[min(sum(ends), max(50, ceiling(near * sum(ends))))], 1e-9) * (1 + 1e-9)
  ifelse(far <= width, 1 - (far / width)^2, 0)
}

# `y` as it would be at the target, by a weighted line through the draws.
moved_draws <- function(y, x, target, weight) {
  if (is.null(x)) return(y)
  use <- weight > 0
  fit <- stats::lm.wfit(cbind(1, x[use, , drop = FALSE]), y[use], weight[use])
  slope <- fit$coefficients[-1]
  slope[is.na(slope)] <- 0
  y + drop((matrix(target, nrow(x), ncol(x), byrow = TRUE) - x) %*% slope)
}

# End of a job without new frames for longer than any gap of its forecast. No draw contains a
# standstill, and its age is the only evidence of its length. The chance that it lasts longer than t
# more is age / (age + t) (Gott 1993, Implications of the Copernican principle for our future
# prospects, Nature 363, 315-319). `finish`: draws of its end; `age`: seconds of the standstill;
# `now`.
silent_finish <- function(finish, age, now, seed) {
  n <- length(finish)
  still <- with_seed(seed, age * (1 / ((sample.int(n) - 0.5) / n) - 1))
  pmax(finish, now + still)
}
