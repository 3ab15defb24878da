# Model-free limits on a shot's total from the design of the probes: its minimum width and its
# centre.

# The rarest share of heavy frames that `n` probes would still meet with the chance `level`: a
# larger one would have been missed by all of them in 1 - level.
missed_share <- function(n, level = 0.8) 1 - (1 - level)^(1 / n)

# The map from the model's draws of the frames not probed to what the design allows (`curve_design`
# in core_curve.h).
#
# The model assists the design (Saerndal, Swensson & Wretman 1992, *Model assisted survey
# sampling*): its middle is the geometric mean of the model's and of the plain sum in which each
# probe stands for its stretch, and never far from the latter.
#
# The width is never below that of successive differences, a variance that takes no model (Wolter
# 2007, *Introduction to variance estimation*, section 8.2): it is that of single frames where they
# jitter, and small where the shot is smooth. Upwards it is at least what frames that no probe met
# could add: missed_share() of them, each `heavy` times as slow. A cheap pass sees these frames, and
# the process that it leaves is the model's business: its curve keeps its own width.
design_of_total <- function(curve, draws = 1000) {
  n <- length(curve$frame)
  left <- length(curve$frames) - n
  if (left < 1) return(list())
  model <- stats::quantile(log(curve_paths(curve, enough_draws(curve, draws),
                                           design = list())$open), c(0.1, 0.5, 0.9),
                           names = FALSE)
  apart <- pmax(c(model[2] - model[1], model[3] - model[2]), 1e-9)
  centre <- model[2]
  least <- c(0, 0)
  if (!length(curve$cheap)) {
    told <- design_information(curve, left)
    # Move halfway, but no further from the plain sum than a quarter of its half-width: with times
    # of two kinds, or a long tail, a log-normal model may be far off. Times brought from another
    # setting share a factor that only the model knows.
    if (n > 1 && !any(curve$rows[["scaled"]] > 0)) {
      off <- (model[2] - log(told$middle)) / 2
      centre <- log(told$middle) + sign(off) * min(abs(off), max(told$half, 0.02) / 4)
    }
    heavy <- log1p(missed_share(n) * (curve$prior$heavy_factor - 1))
    least <- c(told$half, max(told$half, heavy))
  }
  # No more than a factor of 7 either way at 80 %: what a vague prior makes of one probe is no
  # finding.
  half <- range_halves(apart, least)
  list(middle = model[2], centre = centre, below = half[1] / apart[1], above = half[2] / apart[2],
       least = 2 * half[1], most = 2 * half[2], apart = apart, bounds = least)
}

# Share of the squared width of a total's range that one probe more takes off, where it takes
# `narrows` off the model's variance.
narrowed_range <- function(curve, narrows) {
  design <- curve$design
  n <- length(curve$frame)
  quantile <- function(n) if (n < 2) NA_real_ else stats::qt(0.9, differences_df(n - 1))
  told <- design$bounds[1] * if (n > 1) quantile(n + 1) / quantile(n) * sqrt(n / (n + 1)) else 0
  heavy <- if (length(curve$cheap)) 0 else
    log1p(missed_share(n + 1) * (curve$prior$heavy_factor - 1))
  width <- function(apart, bounds) sum(range_halves(apart, bounds))
  now <- width(design$apart, design$bounds)
  vapply(narrows, function(x) {
    1 - (width(design$apart * sqrt(1 - x), c(told, max(told, heavy))) / now)^2
  }, 0)
}

# Distances of the 80 % range's ends from its centre, by the model (`apart`) and at least (`least`).
# If unseen frames set the upper end, far fewer than 10 % of shots lie beyond it, and the lower end
# holds 15 % instead of 10.
range_halves <- function(apart, least) {
  half <- pmin(pmax(apart, least), 2)
  if (half[2] > max(apart[2], least[1]) + 1e-9) half[1] <- half[1] * stats::qnorm(0.85) /
    stats::qnorm(0.9)
  half
}

# The plain sum over the frames not probed (`middle`), and the half-width of its log at 80 % from
# differences of probes that follow each other (`half`).
design_information <- function(curve, left) {
  seconds <- exp(curve$log_s)
  at <- match(curve$frame, curve$frames)
  part <- findInterval(curve$frame, curve$breaks[["to"]])
  stands_for <- pmax(probe_stretches(at, part, length(curve$frames),
                                     findInterval(curve$frames, curve$breaks[["to"]])) -
                       1, 0)
  if (!sum(stands_for)) stands_for[] <- 1
  share <- stands_for / sum(stands_for)
  mean <- sum(share * seconds)
  steps <- diff(seconds)[diff(part) == 0]
  m <- length(steps)
  if (!m) return(list(middle = mean * left, half = 0))
  variance <- sum(steps^2) / (2 * m) * (sum(share^2) + 1 / left)
  list(middle = mean * left,
       half = log1p(stats::qt(0.9, differences_df(m)) * sqrt(variance) / mean))
}

# Differences of neighbours overlap, so that they have fewer degrees of freedom than there are of
# them (von Neumann 1941, Ann. Math. Stat. 12, 367).
differences_df <- function(m) if (m == 1) 1 else 2 * m^2 / (3 * m - 1)

# How many frames each probe stands for: those nearest to it in its own part of the shot. A part
# without a probe goes to the probes nearest to it.
probe_stretches <- function(at, part, frames, part_of) {
  places <- seq_len(frames)
  nearest <- function(from) {
    edges <- (at[from][-1] + at[from][-length(from)]) / 2
    from[findInterval(places, edges) + 1L]
  }
  owner <- nearest(seq_along(at))
  for (p in unique(part)) {
    mine <- which(part_of == p)
    owner[mine] <- nearest(which(part == p))[mine]
  }
  tabulate(owner, length(at))
}
