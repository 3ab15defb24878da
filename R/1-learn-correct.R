# Lessons of past jobs for the next: a bias of each site and tier, shrunk toward none, and a factor
# on the width of ranges.

# Prior of sites: the sd of their log bias as a whole, of one site about that, and of a tier about
# its site; the weight in jobs of the forecast's own ranges, and of a job of another site, for the
# width of ranges.
learning_prior <- list(all = 0.1, site = 0.35, tier = 0.1, believed = 5, other = 0.3)

# The same prior for stages that are learned separately: the queue, which depends on the hour of the
# day, the start of nodes, and the upload of a job.
stage_priors <- list(wait_s = c(learning_prior, hours = 0.4), start_s = learning_prior,
                     upload_s = learning_prior)

# Prior of failing runs: a share of 1 %, worth fifty runs.
failing_prior <- list(share = 0.01, runs = 50)

# Share of a site's runs that fail: `failed` of `runs`, combined with the prior.
failing_share <- function(failed, runs, prior = failing_prior) {
  (sum(failed) + prior$share * prior$runs) / (sum(runs) + prior$runs)
}

# Change (in logs) of the median of a sum when its parts are multiplied by `factors`. `middle`:
# median of the sum, one per job; `parts`, `factors`: matrices with one row per job. Uses the
# medians of the parts.
shift_of_sum <- function(middle, parts, factors) {
  log(pmax(1 + rowSums(parts * (factors - 1)) / middle, 0.05))
}

# How many times as much work there is when a share of runs fails, each after half of its time on
# the mean.
failing_work <- function(share) 1 + share / 2

# What is believed of a site's next job from those that ended. `past`: a data frame, one row a job
# in the order they ended, with `site`, `tier` (and `hours` of the day, where the prior has them),
# and of the logs of what was forecast as it was `low`, `mid`, `high` (10, 50 and 90 %), and `y` of
# what came. `site`, `tier`, `hours`: of the next job.
#
# The bias: residuals y - mid are taken as the sum of what all sites share, the site's own, the
# tier's own and that of its hours, each normal about 0 with the sds of `learning_prior`, and of
# noise as wide as the forecast said, by Student's t with 4 degrees of freedom, so that one odd job
# moves little; the posterior mode. Jobs before a change (see break_weights()) count for little, and
# of all others the later count for more.
#
# The factor: how many times the half-width of its 80 % range each job was away from its corrected
# median, corrected from the jobs before it alone; the 80 % point of these scores, weighted (jobs of
# the site and the later ones count for more), with the belief in the forecast's own ranges as
# `learning_prior$believed` jobs more. Were all jobs exchangeable and of one weight and that belief
# left out, the next of n + 1 would lie inside with a chance of at least 80 % less 1 in n + 1 (the
# point is taken between two scores), whatever the distribution; with weights w that is less the sum
# of w times how far the job of each weight is from the next in total variation (Barber, Candes,
# Ramdas & Tibshirani 2023, Conformal Prediction Beyond Exchangeability, Annals of Statistics 51,
# 816-845).
#
# Returns a list: `bias` (to be added to logs), `width` (factor of both half-widths), `jobs` of the
# site, `inside` (of them, in the range as it was forecast), `changed` (jobs since a change was
# noticed, NA for none).
learned_of <- function(learning, site, tier, hours = NULL) {
  past <- learning$past
  fit <- learning$fit
  mine <- past[["site"]] == site
  inside <- past[["y"]] >= past[["low"]] & past[["y"]] <= past[["high"]]
  list(bias = bias_of(fit, site, tier, hours),
       width = width_factor(learning$scores,
                            fit$weight * ifelse(mine, 1, learning$prior$other) *
                            knowledge_before(past),
                            learning$prior),
       jobs = sum(mine), inside = sum(inside & mine),
       changed = or_else(fit$changed[[site]], NA_integer_))
}

# Weight of a job's score for corrected ranges: a job of a site without history was not corrected.
knowledge_before <- function(past) {
  before <- stats::ave(seq_len(nrow(past)), past[["site"]], FUN = seq_along) - 1
  before / (before + 2)
}

# Working data of learned_of(): the fit to all jobs, and the error of each job, corrected from
# earlier jobs only.
learning_of <- function(past, prior = learning_prior, scores = past_scores(past, prior)) {
  list(past = past, fit = fit_bias(past, prior), scores = scores, prior = prior)
}

bias_of <- function(fit, site, tier, hours = NULL) {
  named <- effect_names(data.frame(site = site, tier = tier, hours = or_else(hours, NA)))
  sum(fit$effects[names(fit$effects) %in% named])
}

# The names of the effects that jobs are under, one row a job: of all, its site, its tier, the hours
# of it.
effect_names <- function(x) {
  of <- paste(x[["site"]], x[["tier"]])
  cbind(all = "all", site = paste("site", x[["site"]]), tier = paste("tier", of),
        hours = if (!is.null(x[["hours"]])) paste("hours", of, x[["hours"]]))
}

# The effects, by name, and the weight of each job.
fit_bias <- function(past, prior) {
  n <- nrow(past)
  if (!n) return(list(effects = c(all = 0), weight = numeric(), changed = list()))
  x <- residuals_of(past)
  design <- bias_design(past, prior)
  changes <- break_weights(x$r - hours_part(design, posterior_mode(x$r, x$v, rep(1, n), design)),
                           sqrt(x$v),
                           past[["site"]])
  list(effects = posterior_mode(x$r, x$v, changes$weight, design), weight = changes$weight,
       changed = changes$changed)
}

# Actual against forecast, in logs, and the variance that the forecast's range implies.
residuals_of <- function(past) {
  list(r = past[["y"]] - past[["mid"]],
       v = (pmax(past[["high"]] - past[["low"]], 0.1) / (2 * stats::qnorm(0.9)))^2)
}

# Part of each job's residual that belongs to its hours: a different hour is not a change of the
# site.
hours_part <- function(design, effects) {
  by_hours <- design$kind == "hours"
  if (any(by_hours)) as.vector(design$X[, by_hours, drop = FALSE] %*% effects[by_hours]) else 0
}

# Which effects jobs are under: `X`, one row a job and one column an effect, by name; of each the
# `kind` and the `sd`.
bias_design <- function(past, prior) {
  names <- effect_names(past)
  names <- names[, colnames(names) %in% names(prior), drop = FALSE]
  levels <- unique(as.vector(names))
  kind <- colnames(names)[(match(levels, names) - 1) %/% max(nrow(names), 1) + 1]
  X <- matrix(0, nrow(names), length(levels), dimnames = list(NULL, levels))
  for (k in seq_len(ncol(names))) X[cbind(seq_len(nrow(names)), match(names[, k], levels))] <- 1
  list(X = X, kind = kind, sd = unlist(prior[kind]))
}

# The mode of effects that are normal about 0, of residuals `r` with Student's t noise of variance
# `v`, by name. From effects that are nearly right (`from`) two turns are enough.
posterior_mode <- function(r, v, weight, design, from = NULL) {
  X <- design$X
  shrink <- diag(1 / design$sd^2, ncol(X))
  beta <- from
  for (turn in seq_len(if (length(from)) 2 else 6)) {
    h <- if (is.null(beta)) 1 else 5 / (4 + (r - as.vector(X %*% beta))^2 / v)
    w <- weight * h / v
    beta <- solve(crossprod(X, X * w) + shrink, crossprod(X, w * r))
  }
  stats::setNames(as.vector(beta), colnames(X))
}

# The weights of jobs and where sites changed, by site_weights().
break_weights <- function(r, sd, site) {
  weight <- numeric(length(r))
  changed <- list()
  for (name in unique(site)) {
    at <- which(site == name)
    found <- site_weights(r[at], sd[at])
    weight[at] <- found$weight
    if (!is.na(found$since)) changed[[name]] <- length(at) - found$since + 1L
  }
  list(weight = weight, changed = changed)
}

# The weights of a site's jobs: the later the more (half after 15), and those before a change a
# thirtieth of that. A change is where the last jobs lie further from those before than chance would
# have it.
site_weights <- function(r, sd, half = 15, threshold = 3.2) {
  n <- length(r)
  weight <- 0.5^((n - seq_len(n)) / half)
  since <- last_change(r, sd, threshold)
  if (!is.na(since)) weight[seq_len(since - 1)] <- weight[seq_len(since - 1)] * 0.03
  list(weight = weight, since = since)
}

# Change of level of a series: the first place after the likeliest change; NA if chance explains it.
# Noise is the difference of each value from the one before, which a change of level affects once;
# odd values are drawn in.
last_change <- function(r, sd, threshold = 3, least = 3) {
  n <- length(r)
  if (n < least + 2) return(NA_integer_)
  noise <- max(0.08, min(stats::median(sd), 1.4826 * stats::median(abs(diff(r))) / sqrt(2)))
  # A value is weighted by its neighbours: a single odd one is no evidence of a new level.
  near <- cbind(r, c(r[2], r[-n]), c(r[-1], r[n - 1]))
  middle <- pmax(pmin(near[, 1], near[, 2]), pmin(pmax(near[, 1], near[, 2]), near[, 3]))
  r <- pmin(pmax(r, middle - 2 * noise), middle + 2 * noise)
  from <- seq(least + 1, n - 1)
  sums <- cumsum(r)
  before <- sums[from - 1] / (from - 1)
  after <- (sums[n] - sums[from - 1]) / (n - from + 1)
  z <- abs(after - before) / (noise * sqrt(1 / (from - 1) + 1 / (n - from + 1)))
  if (max(z) > threshold) from[which.max(z)] else NA_integer_
}

# How far each job was from its median, corrected from those before it, in half-widths of its range.
past_scores <- function(past, prior = learning_prior) {
  n <- nrow(past)
  design <- bias_design(past, prior)
  x <- residuals_of(past)
  # One more job changes the weights of its own site's jobs.
  weight <- numeric(n)
  effects <- numeric(ncol(design$X))
  out <- numeric(n)
  for (k in seq_len(n)) {
    out[k] <- score_of(past[k, ], sum(effects * design$X[k, ]))
    known <- seq_len(k)
    mine <- known[past[["site"]][known] == past[["site"]][k]]
    weight[mine] <- site_weights((x$r - hours_part(design, effects))[mine], sqrt(x$v[mine]))$weight
    # An effect that no job so far was under is nothing.
    effects <- posterior_mode(x$r[known], x$v[known], weight[known],
                              list(X = design$X[known, , drop = FALSE], sd = design$sd),
                              if (k > 5) effects)
  }
  out
}

score_of <- function(job, bias) {
  away <- job[["y"]] - job[["mid"]] - bias
  half <- if (away > 0) job[["high"]] - job[["mid"]] else job[["mid"]] - job[["low"]]
  abs(away) / max(half, 0.02)
}

# The 80 % point of scores with weights, and of the belief in the forecast's ranges: scores as a
# normal distribution whose 80 % range is right has them.
width_factor <- function(scores, weight, prior, level = 0.8) {
  grid <- stats::qnorm(0.5 + (seq_len(40) - 0.5) / 80) / stats::qnorm(0.9)
  s <- c(scores, grid)
  w <- c(weight, rep(prior$believed / 40, 40))
  order <- order(s)
  # The next job could lie anywhere, which counts as half a job; the point lies between the two
  # scores around the level.
  reached <- (cumsum(w[order]) - w[order] / 2) / (sum(w) + 0.5 * sum(weight) / sum(w))
  stats::approx(reached, s[order], level, rule = 2, ties = "ordered")$y
}
