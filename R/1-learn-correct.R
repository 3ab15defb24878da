# What past jobs say of the next: a bias of each site and tier, shrunk toward none, and a factor on the width of ranges.

# What is believed of sites before any job: the sd of their log bias as a whole, of one site about that, and of a tier
# about its site; how many jobs the belief in the forecast's own ranges is worth, and what a job of another site is, for
# the width of ranges.
learning_prior <- list(all = 0.1, site = 0.35, tier = 0.1, believed = 5, other = 0.3)

# What is believed of a site's next job from those that ended. `past`: a data frame, one row a job in the order they
# ended, with `site`, `tier`, and of the logs of what was forecast as it was `low`, `mid`, `high` (10, 50 and 90 %), and
# `y` of what came. `site`, `tier`: of the next job.
#
# The bias: residuals y - mid are taken as the sum of what all sites share, the site's own and the tier's own, each
# normal about 0 with the sds of `learning_prior`, and of noise as wide as the forecast said, by Student's t with 4
# degrees of freedom, so that one odd job moves little; the posterior mode. Jobs before a change (see break_weights())
# count for little, and of all others the later count for more.
#
# The factor: how many times the half-width of its 80 % range each job was away from its corrected median, corrected
# from the jobs before it alone; the 80 % point of these scores, weighted (jobs of the site and the later ones count for
# more), with the belief in the forecast's own ranges as `learning_prior$believed` jobs more. Were all jobs exchangeable
# and of one weight and that belief left out, the next of n + 1 would lie inside with a chance of at least 80 % less 1
# in n + 1 (the point is taken between two scores), whatever the distribution; with weights w that is less the sum of w
# times how far the job of each weight is from the next in total variation (Barber, Candes, Ramdas & Tibshirani 2023,
# Conformal Prediction Beyond Exchangeability, Annals of Statistics 51, 816-845).
#
# Returns a list: `bias` (to be added to logs), `width` (factor of both half-widths), `jobs` of the site, `inside` (of
# them, in the range as it was forecast), `changed` (jobs since a change was noticed, NA for none).
learned_of <- function(learning, site, tier) {
  past <- learning$past
  fit <- learning$fit
  mine <- past[["site"]] == site
  inside <- past[["y"]] >= past[["low"]] & past[["y"]] <= past[["high"]]
  list(bias = bias_of(fit, site, tier),
       width = width_factor(learning$scores, fit$weight * ifelse(mine, 1, learning$prior$other) * known_before(past),
                            learning$prior),
       jobs = sum(mine), inside = sum(inside & mine), changed = or_else(fit$changed[[site]], NA_integer_))
}

# How much a job's score says of ranges that are corrected: one of a site of which nothing was known was not corrected.
known_before <- function(past) {
  before <- stats::ave(seq_len(nrow(past)), past[["site"]], FUN = seq_along) - 1
  before / (before + 2)
}

# What learned_of() goes by: the fit to all jobs, and how far each was off, corrected from those before it.
learning_of <- function(past, prior = learning_prior, scores = past_scores(past, prior)) {
  list(past = past, fit = fit_bias(past, prior), scores = scores, prior = prior)
}

bias_of <- function(fit, site, tier) {
  effect <- function(name) if (name %in% names(fit$effects)) fit$effects[[name]] else 0
  effect("all") + effect(paste("site", site)) + effect(paste("tier", site, tier))
}

# The effects, by name, and the weight of each job.
fit_bias <- function(past, prior) {
  n <- nrow(past)
  if (!n) return(list(effects = c(all = 0), weight = numeric(), changed = list()))
  r <- past[["y"]] - past[["mid"]]
  v <- (pmax(past[["high"]] - past[["low"]], 0.1) / (2 * stats::qnorm(0.9)))^2
  changes <- break_weights(r, sqrt(v), past[["site"]])
  weight <- changes$weight
  names <- cbind("all", paste("site", past[["site"]]), paste("tier", past[["site"]], past[["tier"]]))
  levels <- unique(as.vector(names))
  X <- matrix(0, n, length(levels), dimnames = list(NULL, levels))
  for (k in 1:3) X[cbind(seq_len(n), match(names[, k], levels))] <- 1
  sd <- unlist(prior[c("all", "site", "tier")])[match(sub(" .*", "", levels), c("all", "site", "tier"))]
  h <- rep(1, n)
  for (turn in 1:6) {
    w <- weight * h / v
    beta <- solve(crossprod(X, X * w) + diag(1 / sd^2, length(sd)), crossprod(X, w * r))
    z <- (r - as.vector(X %*% beta))^2 / v
    h <- 5 / (4 + z)
  }
  list(effects = stats::setNames(as.vector(beta), levels), weight = weight, changed = changes$changed)
}

# The weights of a site's jobs: the later the more (half after 15), and those before a change a tenth of that. A change
# is where the last jobs, two to five of them, lie further from those before than chance would have it.
break_weights <- function(r, sd, site, half = 15, threshold = 3.2) {
  weight <- numeric(length(r))
  changed <- list()
  for (name in unique(site)) {
    at <- which(site == name)
    n <- length(at)
    w <- 0.5^((n - seq_len(n)) / half)
    since <- last_change(r[at], sd[at], threshold)
    if (!is.na(since)) {
      w[seq_len(since - 1)] <- w[seq_len(since - 1)] * 0.03
      changed[[name]] <- n - since + 1L
    }
    weight[at] <- w
  }
  list(weight = weight, changed = changed)
}

# Where a series changed its level: the first place after the likeliest change; NA where chance does as well. Noise is
# what each value is off the one before it, which a change of level moves once; odd values are drawn in.
last_change <- function(r, sd, threshold = 3, least = 3) {
  n <- length(r)
  if (n < least + 2) return(NA_integer_)
  noise <- max(0.08, min(stats::median(sd), 1.4826 * stats::median(abs(diff(r))) / sqrt(2)))
  # A value counts by how it stands to its neighbours: one that is odd alone is none of a new level.
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
  vapply(seq_len(nrow(past)), function(k) {
    fit <- fit_bias(past[seq_len(k - 1), , drop = FALSE], prior)
    score_of(past[k, ], bias_of(fit, past[["site"]][k], past[["tier"]][k]))
  }, 0)
}

score_of <- function(job, bias) {
  away <- job[["y"]] - job[["mid"]] - bias
  half <- if (away > 0) job[["high"]] - job[["mid"]] else job[["mid"]] - job[["low"]]
  abs(away) / max(half, 0.02)
}

# The 80 % point of scores with weights, and of the belief in the forecast's ranges: scores as a normal distribution
# whose 80 % range is right has them.
width_factor <- function(scores, weight, prior, level = 0.8) {
  grid <- stats::qnorm(0.5 + (seq_len(40) - 0.5) / 80) / stats::qnorm(0.9)
  s <- c(scores, grid)
  w <- c(weight, rep(prior$believed / 40, 40))
  order <- order(s)
  # The next job could be anywhere, which counts as half a job beside those there are; of two scores about the level the
  # point between.
  reached <- (cumsum(w[order]) - w[order] / 2) / (sum(w) + 0.5 * sum(weight) / sum(w))
  stats::approx(reached, s[order], level, rule = 2, ties = "ordered")$y
}
