weighted_range <- function(x, probs = c(0.1, 0.9)) {
  o <- order(x$finish)
  stats::approx(cumsum(x$weight[o]), x$finish[o], probs, rule = 2)$y
}

test_that("ranges hold in whatever order the frames arrive, because their work is known", {
  set.seed(11)
  n <- 120
  # The heavy frames are at the end; half of the uncertainty is the speed of the site.
  draw <- function() exp(stats::rnorm(1, 0, 0.25)) *
    seq(2, 20, length.out = n) * exp(stats::rnorm(n, 0, 0.15))
  seconds <- t(replicate(600, draw()))
  home <- t(apply(seconds, 1, cumsum))
  orders <- list(fifths = order(seq_len(n) %% 5, seq_len(n)), backwards = n:1)
  judge <- function(order, share, known) {
    m <- ceiling(share * n)
    hits <- vapply(seq_len(100), function(k) {
      truth <- draw()
      came <- rep(Inf, n)
      came[order] <- cumsum(truth[order])
      end <- max(came)
      came[order[-seq_len(m)]] <- Inf
      seen <- came[is.finite(came)]
      as_seen <- if (known) clockpigeon:::home_as_arrived(home, seconds, came) else home
      x <- clockpigeon:::rest_draws(as_seen, home[, n], home[, n], seen, max(seen))
      range <- weighted_range(x)
      c(end >= range[1] && end <= range[2], stats::median(abs(x$finish - end) / end))
    }, numeric(2))
    rowMeans(hits)
  }
  for (order in orders) for (share in c(0.15, 0.5)) {
    # Of 100 cases three standard errors of 80 % are 0.12.
    expect_gt(judge(order, share, TRUE)[1], 0.66)
  }
  expect_lt(judge(orders$backwards, 0.5, FALSE)[1], 0.5)
  # The planned order, and an order that makes no difference to the work, change nothing.
  came <- replace(rep(Inf, n), 1:60, home[1, 1:60])
  expect_identical(clockpigeon:::home_as_arrived(home, seconds, came), home)
  expect_identical(clockpigeon:::home_as_arrived(home, seconds, rep(Inf, n)), home)
  even <- matrix(5, 600, n)
  expect_identical(clockpigeon:::home_as_arrived(home, even, rev(came)), home)
})
