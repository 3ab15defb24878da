# Duration of a scheduler's queue, from observed waits: by the hour of the day, and by the number of
# machines requested at once.

# Prior of a queue: the sd of the effect of the hour (in logs) and of twice as many machines, and
# the spread of single waits with its weight in observations.
queue_prior <- list(hours = 0.4, size = 0.3, spread = 1, seen = 2)

# The log-normal time of the next wait. `seconds`: waits, above 0; `hours`: the part of the day in
# which each was asked for; `size`: the machines that were asked for at once. `at_hours`, `at_size`:
# of the next one.
#
# Log waits are a mean, an effect of the hours and one for each doubling of the size, both normal
# about 0 with the sds of `prior`, and noise of one spread: linear regression with a normal prior,
# its spread the mean of the prior's square and the residuals' (each worth a degree of freedom),
# found by iteration. The belief in the next wait is Student's t, as wide as the noise and what is
# not known of the effects together (Gelman et al. 2013, Bayesian Data Analysis, 14.2 and 14.8).
#
# Returns list(median_s, sd, df) as job_way() takes a time, or NULL for fewer than three waits.
queue_time <- function(seconds, hours, size, at_hours, at_size, prior = queue_prior) {
  kept <- is.finite(seconds) & seconds > 0
  n <- sum(kept)
  if (n < 3) return(NULL)
  y <- log(seconds[kept])
  parts <- sort(unique(c(hours[kept], at_hours)))
  row <- function(hours, size) cbind(1, outer(hours, parts, `==`), log2(size))
  x <- row(hours[kept], size[kept])
  belief <- c(0, rep(prior$hours^-2, length(parts)), prior$size^-2)
  spread2 <- prior$spread^2
  for (step in 1:50) {
    known <- crossprod(x) / spread2 + diag(belief)
    effects <- solve(known, crossprod(x, y) / spread2)
    left <- y - x %*% effects
    # One degree of freedom goes to the mean.
    newer <- (prior$seen * prior$spread^2 + sum(left^2)) / (prior$seen + n - 1)
    if (abs(newer - spread2) < 1e-10 * spread2) break
    spread2 <- newer
  }
  at <- row(at_hours, at_size)
  list(median_s = exp(drop(at %*% effects)), sd = sqrt(spread2 + drop(at %*% solve(known, t(at)))),
       df = prior$seen + n - 1)
}
