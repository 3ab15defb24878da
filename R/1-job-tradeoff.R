# Trade-offs: who is beaten by whom, and by how much.

# TRUE for each row that no other row beats: none is at least as good in all columns and better in
# one (less is better).
pareto_front <- function(...) {
  columns <- list(...)
  all_of <- function(test) Reduce(`&`, lapply(columns, test))
  vapply(seq_along(columns[[1]]), function(i) {
    as_good <- all_of(function(x) x <= x[i])
    !any(as_good & !all_of(function(x) x == x[i]))
  }, NA)
}

# Smallest limit that a share of the draws keeps: the k-th smallest draw, k = ceiling(share * n), so
# that the share of draws at or below it never falls short.
limit_at_share <- function(draws, share) {
  k <- kept_draws_of(share, length(draws))
  sort.int(draws, partial = k)[k]
}

# How many of n draws must keep a bound for a share of them to keep it.
kept_draws_of <- function(share, n) max(1, ceiling(share * n - 1e-9))

# The same where each draw must also keep another limit; Inf when too few do.
joint_limit_at_share <- function(draws, other, limit, share)
  limit_at_share(ifelse(other <= limit, draws, Inf), share)
