# One scene's pairs: the ratio of the total work, how sure it is, and what a bad run does to it.

# With at least this many frames an interval is for the scene; with fewer it is for these frames
# alone.
scene_frames <- 5L

# Comparison of one scene's table of pairs: `mean` (log ratio of the total work, each frame by the
# geometric mean of its runs), its `se` and `df`, `frames` (mean log ratio of the frames), `work`
# and `cells` for sums over scenes, `of_frames` (is the interval of these frames only?), `robust`
# (estimate, lower, upper; NA with too few pairs), `far` (pairs far from the others), `coarse` (does
# rounding dominate?).
scene_estimate <- function(s, level) {
  d <- log(s[["old_s"]]) - log(s[["new_s"]])
  cell <- factor(s[["cell"]])
  old <- exp(cell_means(log(s[["old_s"]]), cell))
  new <- exp(cell_means(log(s[["new_s"]]), cell))
  spread <- pair_sd(d, cell, old, new)
  rounding <- rounding_variance(s[["old_s"]]) + rounding_variance(s[["new_s"]])
  c(list(mean = log(sum(old)) - log(sum(new)), frames = mean(cell_means(d, cell)),
         se = if (is.na(spread$se)) NA_real_ else sqrt(max(spread$se^2, rounding)), df = spread$df,
         of_frames = spread$of_frames, coarse = !is.na(spread$se) && rounding > spread$se^2,
         work = work_of(s), cells = nlevels(cell), far = far_pairs(d)),
    list(robust = robust_interval(d, level)))
}

# Mean seconds of one pass over the measured cells of a scene, old and new.
work_of <- function(s) {
  cell <- factor(s[["cell"]])
  c(old = sum(cell_means(s[["old_s"]], cell)), new = sum(cell_means(s[["new_s"]], cell)))
}

# Means by a factor, in the order of its levels.
cell_means <- function(x, cell) as.vector(rowsum(x, as.integer(cell))) /
  tabulate(cell, nlevels(cell))

# Pairs whose log ratio lies far from the others of their scene, from three pairs on: over 4 robust
# standard deviations by the median absolute deviation, and by a factor of 1.5.
far_pairs <- function(d) {
  if (length(d) < 3) return(rep(FALSE, length(d)))
  off <- abs(d - stats::median(d))
  off > pmax(4 * stats::mad(d), log(1.5))
}

# Standard error of the log ratio of the total work. With many frames, or one run of each, the
# frames are the sample (linearised ratio of means: Cochran 1977, *Sampling techniques*, section
# 6.3). Repeats of few frames are runs of these frames: their spread is pooled and is not evidence
# of other frames.
pair_sd <- function(d, cell, old, new) {
  n <- length(d)
  frames <- nlevels(cell)
  few <- frames < scene_frames
  if (n == 1) return(list(se = NA_real_, df = 0, of_frames = TRUE))
  if (frames > 1 && (!few || n == frames)) {
    pull <- old / mean(old) - new / mean(new)
    return(list(se = stats::sd(pull) / sqrt(frames), df = frames - 1, of_frames = FALSE))
  }
  runs <- as.vector(table(cell))
  rest <- d - stats::ave(d, cell)
  fewer <- effective_share(rest)
  share <- (old / sum(old) + new / sum(new)) / 2
  list(se = sqrt(sum(rest^2) / (n - frames) * sum(share^2 / runs) / fewer),
       df = max((n - frames) * fewer, 1),
       of_frames = TRUE)
}

# Runs that follow each other under a drifting machine are not independent: the share of them that
# counts, by their correlation at lag one (first-order autoregression; Bayley & Hammersley 1946, J.
# R. Stat. Soc. Suppl. 8, 184), where there are enough to tell it.
effective_share <- function(rest) {
  n <- length(rest)
  if (n < 8 || sum(rest^2) == 0) return(1)
  r <- sum(rest[-1] * rest[-n]) / sum(rest^2) + 1 / n
  if (r < 1.3 / sqrt(n)) return(1)
  r <- min(r, 0.9)
  (1 - r) / (1 + r)
}

# Variance of the log of a mean of times that were all rounded to the same unit, where they vary by
# less than that: then every one is off by the same. Times that vary by more carry their rounding in
# their spread (Sheppard 1898).
rounding_variance <- function(seconds) {
  units <- 10^(0:-4)
  whole <- vapply(units, function(u) all(abs(seconds / u - round(seconds / u)) < 1e-6), NA)
  unit <- units[whole][1]
  if (is.na(unit) || length(seconds) > 1 && stats::sd(seconds) > unit / 2) return(0)
  (unit / mean(seconds))^2 / 12
}

# Estimate and interval that single bad runs hardly move: the median of the means of two (Hodges &
# Lehmann 1963, Ann. Math. Stat. 34, 598) with Wilcoxon's signed-rank interval from six pairs on; of
# five the mean without the largest and the smallest (Yuen & Dixon 1973, Biometrika 60, 369).
robust_interval <- function(d, level) {
  n <- length(d)
  if (n < 5) return(rep(NA_real_, 3))
  if (n < 6 || n > 300) return(trimmed_interval(d, max(1, floor(0.1 * n)), level))
  walsh <- outer(d, d, `+`)[lower.tri(diag(n), diag = TRUE)] / 2
  walsh <- sort(walsh)
  k <- stats::qsignrank((1 - level) / 2, n)
  if (k < 1) return(c(stats::median(walsh), NA, NA))
  c(stats::median(walsh), walsh[k], walsh[length(walsh) + 1 - k])
}

trimmed_interval <- function(d, cut, level) {
  n <- length(d)
  x <- sort(d)
  kept <- n - 2 * cut
  pulled <- pmin(pmax(x, x[cut + 1]), x[n - cut])
  half <- stats::qt((1 + level) / 2, kept - 1) * stats::sd(pulled) *
    sqrt((n - 1) / (kept * (kept - 1)))
  middle <- mean(x[(cut + 1):(n - cut)])
  c(middle, middle - half, middle + half)
}

# An estimate with what sessions add to it, once for all scenes, and its chance: that of one as far
# from no difference as this where there is none.
with_sessions <- function(est, sessions) {
  if (length(sessions)) {
    own <- first_of(if (is.finite(est$se)) est$se, 0)^2
    shared <- sessions$sd^2 * sum(1 / sessions$of_level)
    est$df <- (own + shared)^2 / (shared^2 / sessions$df + if (own > 0) own^2 / est$df else 0)
    est$se <- sqrt(own + shared)
  }
  est$p <- if (!is.finite(est$se) || is.na(est$mean)) NA_real_
           else if (est$se == 0) as.numeric(est$mean == 0) else
             2 * stats::pt(-abs(est$mean) / est$se, est$df)
  est
}
