# A week of jobs by chance: a pool of two nodes, each job on one or both of them, or sent out for more money.
random_week <- function(seed, n, draws = 200, tight = 1) {
  withr::with_seed(seed, {
    pools <- list(loft = list(nodes = 2L, open = if (seed %% 2 == 0) cbind(c(0, 86400), c(40000, 130000))))
    jobs <- lapply(seq_len(n), function(j) {
      middle <- exp(stats::runif(1, log(5000), log(40000)))
      own <- function(k) {
        list(kind = "own", name = paste(k, "nodes"), pool = "loft", nodes = k, cost = rep(middle / 36000, draws),
             seconds = middle / k * exp(stats::rnorm(draws, 0, 0.15)))
      }
      out <- list(kind = "out", name = "farm", nodes = 1L, seconds = middle / 6 * exp(stats::rnorm(draws, 0, 0.3)),
                  cost = middle / 1000 * exp(stats::rnorm(draws, 0, 0.1)))
      list(job = paste0("j", j), deadline_s = stats::runif(1, 8000, 90000) / tight,
           budget = if (stats::runif(1) < 0.5) middle / 1200 else Inf, confidence = 0.9,
           ways = list(own(1L), own(2L), out))
    })
    list(jobs = jobs, pools = pools)
  })
}
