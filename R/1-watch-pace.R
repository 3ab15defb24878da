# Has a running job slowed down? A sequential test on its arrivals, calibrated by the draws of its
# forecast.

# `home`: when each frame is at home in each draw (draws x frames); `seen`: when the frames that are
# there arrived; `false`: the chance of an alarm, at any time, over a job that goes as one of the
# draws does.
#
# Frames are taken in their order of arrival, in blocks of equal number. A block's log time beside
# the draws' median of it says how the pace is; the mean of the last blocks less the mean of those
# before says whether it changed since, in units of its spread over the draws. The greatest of these
# over all blocks and all windows so far is held against the share 1 - `false` of the same over
# whole draws. What is slow from the beginning on changes nothing: that is what the forecast from
# here learns from the arrivals themselves.
#
# Returns a list: `slowed`; `factor`, how much longer a frame takes since than before, and `over`,
# than the mean of all that arrived (1 while nothing is found); `drift`, as pace_drift() has it;
# `since`, from when on, and `found`, when it was found (seconds; NA); `most`, the greatest so far
# in units of the threshold.
pace_test <- function(home, seen, false = 0.05, blocks = 20) {
  nothing <- list(slowed = FALSE, factor = 1, over = 1, since = NA_real_, found = NA_real_,
                  most = 0, drift = 0)
  home <- first_draws(home)
  n <- ncol(home)
  blocks <- min(blocks, (n - 1) %/% 3)
  seen <- sort(seen)
  if (blocks < 4 || length(seen) < 4) return(nothing)
  ends <- round(seq(1, n, length.out = blocks + 1))
  times <- arrival_moments(home, ends)
  times <- times[rowSums(!is.finite(times)) == 0, , drop = FALSE]
  if (nrow(times) < 50) return(nothing)
  steps <- log(pmax(times[, -1, drop = FALSE] - times[, -ncol(times), drop = FALSE], 1e-6))
  middle <- apply(steps, 2, stats::median)
  changes <- pace_changes(sweep(steps, 2, middle))
  spread <- apply(changes$values, 2, stats::sd)
  spread[spread <= 0] <- Inf
  worst <- apply(sweep(changes$values, 2, spread, `/`), 1, max)
  threshold <- stats::quantile(worst, 1 - false, names = FALSE)
  done <- sum(ends <= length(seen)) - 1
  if (done < 3) return(nothing)
  at <- seen[ends[seq_len(done + 1)]]
  paces <- log(pmax(diff(at), 1e-6)) - middle[seq_len(done)]
  nothing$drift <- pace_drift(paces, sweep(steps, 2, middle)[, seq_len(done), drop = FALSE], blocks)
  own <- pace_changes(t(paces))
  z <- drop(own$values) /
    spread[match(paste(own$last, own$window), paste(changes$last, changes$window))]
  nothing$most <- max(z) / threshold
  if (max(z) <= threshold) return(nothing)
  best <- which.max(z)
  from <- own$last[best] - own$window[best]
  after <- mean(paces[seq(from + 1, done)])
  # A selected extreme overstates the change: shrink it by the part that chance explains.
  sure <- max(0, 1 - 1 / max(z)^2)
  so_far <- log(sum(exp(paces + middle[seq_len(done)])) / sum(exp(middle[seq_len(done)])))
  list(slowed = TRUE, factor = exp(sure * (after - mean(paces[seq_len(from)]))),
       over = exp(sure * (after - so_far)), since = at[from + 1],
       found = at[own$last[which(z > threshold)[1]] + 1], most = max(z) / threshold,
       drift = nothing$drift)
}

# The first draws, as many as a threshold needs: they are alike, and all of them take long to sort.
first_draws <- function(home, most = 1000) home[seq_len(min(nrow(home), most)), , drop = FALSE]

# Extra spread of the future pace relative to the past pace, as an sd of logs, beyond the draws:
# machines do not run evenly. `own`: log paces of the finished blocks relative to the draws'
# medians, `drawn` those of the draws. The variance of blocks beyond the draws' own, for means over
# finished and remaining blocks, with neighbours alike over about `alike` of them (the integrated
# autocorrelation; 4 is that of a first-order process with correlation 0.6).
pace_drift <- function(own, drawn, blocks, alike = 4) {
  done <- length(own)
  if (done < 4 || done >= blocks) return(0)
  beyond <- stats::var(own) - stats::median(apply(drawn, 1, stats::var))
  min(0.5, sqrt(max(0, beyond) * alike * (1 / done + 1 / (blocks - done))))
}

# Do frames arrive more slowly from the start than in the draws? The log time since the first frame
# at the ends of blocks, relative to the draws' median in units of their spread; the greatest of
# these is compared with the share 1 - `false` of the same over whole draws. Returns a list:
# `unlike`, and `factor`, the time since the first frame relative to the median of the draws.
level_test <- function(home, seen, false = 0.005, blocks = 20) {
  nothing <- list(unlike = FALSE, factor = 1)
  home <- first_draws(home)
  n <- ncol(home)
  seen <- sort(seen)
  blocks <- min(blocks, (n - 1) %/% 3)
  if (blocks < 4 || length(seen) < 4) return(nothing)
  ends <- round(seq(1, n, length.out = blocks + 1))
  times <- arrival_moments(home, ends)
  times <- times[rowSums(!is.finite(times)) == 0, , drop = FALSE]
  if (nrow(times) < 50) return(nothing)
  level <- log(pmax(times[, -1, drop = FALSE] - times[, 1], 1e-6))
  middle <- apply(level, 2, stats::median)
  spread <- pmax(apply(level, 2, stats::mad), 1e-6)
  worst <- apply(sweep(sweep(level, 2, middle), 2, spread, `/`)[, -(1:2), drop = FALSE], 1, max)
  done <- sum(ends <= length(seen)) - 1
  if (done < 3) return(nothing)
  own <- log(pmax(seen[ends[seq_len(done) + 1]] - seen[1], 1e-6)) - middle[seq_len(done)]
  z <- (own / spread[seq_len(done)])[-(1:2)]
  list(unlike = max(z) > stats::quantile(worst, 1 - false, names = FALSE), factor = exp(own[done]))
}

# The mean of the last 1, 2, 4 and 8 blocks less that of the blocks before, at each block, two
# before at least: one column for each, with the `last` block and the `window`.
pace_changes <- function(paces) {
  blocks <- ncol(paces)
  at <- expand.grid(window = c(1, 2, 4, 8), last = seq_len(blocks))
  at <- at[at$last - at$window >= 2, , drop = FALSE]
  sums <- cbind(0, t(apply(paces, 1, cumsum)))
  mean_of <- function(from, to) (sums[, to + 1, drop = FALSE] - sums[, from, drop = FALSE]) /
    rep(to - from + 1, each = nrow(paces))
  list(values = mean_of(at$last - at$window + 1, at$last) -
       mean_of(rep(1, nrow(at)), at$last - at$window),
       last = at$last, window = at$window)
}

# The longest that nothing comes between two frames, in all but a share `false` of the draws: the
# greatest gap of each, as much longer as what was seen is slower than the draws' median. `home` and
# `seen` as for pace_test(); seconds.
longest_gap <- function(home, seen, false = 0.05) {
  home <- first_draws(home, 400)
  gaps <- apply(home, 1, function(row) {
    row <- sort(row)
    row <- row[is.finite(row)]
    if (length(row) > 1) max(diff(row)) else NA
  })
  m <- length(seen)
  seen <- sort(seen)
  pace <- if (m > 0) (max(seen) - start_shift(home, seen)) /
    stats::median(arrival_moments(home, m)) else 1
  if (!is.finite(pace)) pace <- 1
  stats::quantile(gaps, 1 - false, names = FALSE, na.rm = TRUE) * max(1, pace)
}
