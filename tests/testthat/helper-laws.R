# Data of known laws: two versions timed, limits, and times over a number of workers.
two_versions <- function(old, new, ...) {
  rbind(some_timings(old, engine_version = "1.0", ...),
        some_timings(new, engine_version = "1.1", ...))
}

# Experiments with a known law: which of the 95 % intervals hold the truth.
covers <- function(times, one) {
  set.seed(11)
  held <- replicate(times, one())
  rowMeans(held)
}
experiment <- function(counts, spread, known) {
  truth <- c(start = 2, each = 0.5, floor = 0.01^2, per_sample = 0.3^2)
  x <- rep(counts, each = if (known) 1 else 2)
  seconds <- (2 + 0.5 * x) * (1 + rnorm(length(x), sd = spread[1]))
  noise <- sqrt(pmax((0.01^2 + 0.3^2 / x) * (1 + 2 * rnorm(length(x), sd = spread[2])), 1e-9))
  fit <- fit_limit(x, seconds, noise, if (known) c(seconds = spread[1], noise = spread[2]))
  found <- confint(fit)
  here <- match(names(truth), found$term)
  truth >= found$lower[here] - 1e-12 & truth <= found$upper[here] + 1e-12
}

scaled_times <- function(n, contention, coherence, sd, t1 = 100) {
  t1 * (1 + contention * (n - 1) + coherence * n * (n - 1)) / n * exp(rnorm(length(n), 0, sd))
}
