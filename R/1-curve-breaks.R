# Breaks along a shot: cuts that the shot does not list.

# A break must be this many times as likely as none. Films cut every few seconds, but most shots
# have no cut in them.
break_odds <- 50

# A jump from one frame to the next that is far beyond the usual step and stays: the level of the
# five frames before and after differs too. Steps are scaled by their median absolute value (MAD,
# Hampel 1974), which jumps cannot inflate.
cheap_breaks <- function(frames, x) {
  n <- length(x)
  none <- data.frame(from = integer(), to = integer())
  if (n < 12) return(none)
  side <- 5L
  at <- seq.int(side + 1L, n - side + 1L)
  before <- vapply(at, function(i) stats::median(x[(i - side):(i - 1L)]), 0)
  after <- vapply(at, function(i) stats::median(x[i:(i + side - 1L)]), 0)
  step <- abs(after - before)
  usual <- 1.4826 * stats::median(step)
  jumps <- at[step > pmax(8 * usual, 0.25) & abs(diff(x))[at - 1L] > step / 2]
  if (!length(jumps)) return(none)
  # Of neighbours the one with the largest step from frame to frame.
  groups <- split(jumps, cumsum(c(TRUE, diff(jumps) > side)))
  first <- vapply(groups, function(g) g[which.max(abs(diff(x))[g - 1L])], 0L, USE.NAMES = FALSE)
  data.frame(from = frames[first], to = frames[first])
}

# Probes between which the process restarts: one break after another, each at the place that raises
# the likelihood (averaged over the prior of the parameters) most, as long as it does so enough.
probe_breaks <- function(curve) {
  probed <- curve$data$at
  if (length(probed) < 4) return(curve)
  parameters <- prior_points(curve$beforehand, 128)
  evidence <- function(fresh) {
    data <- curve$data
    data$fresh <- fresh
    fit <- curve_log_likelihood(data, curve$beforehand, parameters)
    max(fit) + log(mean(exp(fit - max(fit))))
  }
  fresh <- curve$data$fresh
  now <- evidence(fresh)
  repeat {
    open <- which(fresh == 0L & seq_along(fresh) > 1L)
    if (!length(open)) break
    # Only the larger steps are tried: the smallest cannot be breaks, and a long list of probes has
    # many.
    steps <- abs(diff(tapply(curve$data$y, curve$data$frame, mean)))
    open <- utils::head(open[order(-steps[open - 1L])], 12)
    tried <- vapply(open, function(i) evidence(replace(fresh, i, 1L)), 0)
    if (max(tried) - now < log(break_odds)) break
    now <- max(tried)
    fresh[open[which.max(tried)]] <- 1L
  }
  at <- which(fresh == 1L)
  curve$breaks <- data.frame(from = as.integer(probed[at - 1L]) + 1L, to = as.integer(probed[at]))
  curve
}
