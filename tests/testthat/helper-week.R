# A week of jobs by chance: a pool of two nodes, each job on one or both of them, or sent out for
# more money.
random_week <- function(seed, n, draws = 200, tight = 1) {
  withr::with_seed(seed, {
    pools <- list(loft = list(nodes = 2L, open = if (seed %% 2 == 0)
                              cbind(c(0, 86400), c(40000, 130000))))
    jobs <- lapply(seq_len(n), function(j) {
      middle <- exp(stats::runif(1, log(5000), log(40000)))
      own <- function(k) {
        list(kind = "own", name = paste(k, "nodes"), pool = "loft", nodes = k,
             cost = rep(middle / 36000, draws),
             seconds = middle / k * exp(stats::rnorm(draws, 0, 0.15)))
      }
      out <- list(kind = "out", name = "farm", nodes = 1L,
                  seconds = middle / 6 * exp(stats::rnorm(draws, 0, 0.3)),
                  cost = middle / 1000 * exp(stats::rnorm(draws, 0, 0.1)))
      list(job = paste0("j", j), deadline_s = stats::runif(1, 8000, 90000) / tight,
           budget = if (stats::runif(1) < 0.5) middle / 1200 else Inf, confidence = 0.9,
           ways = list(own(1L), own(2L), out))
    })
    list(jobs = jobs, pools = pools)
  })
}

# How good a plan is: one more job that is kept is worth more than any money; a plan that does not
# keep what it takes on is none.
week_score <- function(plan, jobs, pools, budget = Inf, confidence = 0.9) {
  ends <- week_ends(plan, jobs, pools)
  cost <- 0
  for (j in which(plan$way > 0)) {
    job <- jobs[[j]]
    paid <- job$ways[[plan$way[j]]]$cost
    if (mean(ends[, j] <= job$deadline_s & paid <= job$budget) < job$confidence - 1e-9) return(-Inf)
    cost <- cost + paid
  }
  if (is.finite(budget) && mean(cost <= budget) < confidence - 1e-9) return(-Inf)
  1e9 * sum(plan$way > 0) - mean(cost)
}

# The best of all plans, by going through them: for a few jobs only.
every_week <- function(jobs, pools, budget = Inf, confidence = 0.9) {
  counts <- lapply(jobs, function(job) 0:length(job$ways))
  ways <- as.matrix(expand.grid(counts))
  best <- list(score = -Inf)
  for (i in seq_len(nrow(ways))) {
    way <- as.integer(ways[i, ])
    own <- Filter(function(j) way[j] > 0 && jobs[[j]]$ways[[way[j]]]$kind == "own", seq_along(jobs))
    out <- setdiff(which(way > 0), own)
    for (order in permutations_of(own)) {
      plan <- list(way = way, order = c(order, out))
      score <- week_score(plan, jobs, pools, budget, confidence)
      if (score > best$score) best <- c(plan, score = score)
    }
  }
  week_judged(best, jobs, pools, budget, confidence)
}

# All orders of some numbers, as a list.
permutations_of <- function(x) {
  if (length(x) < 2) return(list(x))
  behind <- function(k) lapply(permutations_of(x[-k]), function(rest) c(x[k], rest))
  unlist(lapply(seq_along(x), behind), recursive = FALSE)
}
