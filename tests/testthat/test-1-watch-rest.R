# Draws of a job of frames one after the other, whose speed differs from draw to draw: all known
# exactly.
one_by_one <- function(draws, speeds, frames = 100, jitter = 0, seconds = rep(10, frames)) {
  t(vapply(seq_len(draws),
           function(d) cumsum(seconds / speeds[d] * exp(stats::rnorm(frames, 0, jitter))),
           numeric(frames)))
}
range_of <- function(x, probs = c(0.1, 0.9)) {
  o <- order(x$finish)
  stats::approx(cumsum(x$weight[o]), x$finish[o], probs, rule = 2)$y
}

test_that("where only the speed is unknown, what was seen tells the end exactly", {
  set.seed(1)
  home <- one_by_one(500, exp(stats::rnorm(500, 0, 0.3)))
  for (speed in c(0.7, 1, 1.6)) for (m in c(10, 50, 90)) {
    seen <- seq_len(m) * 10 / speed
    x <- clockpigeon:::rest_draws(home, home[, 100], home[, 100] / 100, seen, max(seen))
    expect_equal(range(x$finish), rep(1000 / speed, 2), tolerance = 1e-3)
    expect_equal(range(x$cost), rep(10 / speed, 2), tolerance = 1e-3)
    expect_equal(sum(x$weight), 1)
    expect_equal(x$work, m / 100, tolerance = 1e-6)
  }
  # Three times as slow as any draw.
  seen <- (1:40) * 10 / 0.1
  expect_equal(range(clockpigeon:::rest_draws(home, home[, 100], home[, 100], seen,
                                              max(seen))$finish), c(1e4, 1e4),
               tolerance = 1e-2)
})

test_that("a start that nobody knew of moves the end by as much, and is not taken for a slow pace", {
  set.seed(12)
  home <- one_by_one(800, exp(stats::rnorm(800, 0, 0.2)), jitter = 0.1)
  kept <- 1:600
  ends <- function(late) vapply(601:800, function(d) {
    came <- late + sort(home[d, ])
    x <- clockpigeon:::rest_draws(home[kept, ], home[kept, 100], home[kept, 100], came[1:30],
                                  came[30] + 0.01)
    q <- clockpigeon:::quantile_of(sample(x$finish, 500, TRUE, x$weight), c(0.1, 0.5, 0.9))
    c(came[100] >= q[1] && came[100] <= q[3], q[2] / came[100] - 1)
  }, c(0, 0))
  usual <- ends(0)
  late <- ends(400)   # a whole job of these takes 1000 s
  expect_gt(mean(late[1, ]), 0.7)
  expect_gt(mean(usual[1, ]), 0.7)
  expect_lt(abs(stats::median(late[2, ])), 0.01)
  expect_identical(clockpigeon:::start_shift(home, numeric()), 0)
  expect_equal(clockpigeon:::start_shift(home, 400 + sort(home[700, ])[1:30]), 400,
               tolerance = 0.01)
  # What is as much slower all along began in time.
  expect_identical(clockpigeon:::start_shift(home, 5 * sort(home[700, ])[1:30]), 0)
})

test_that("progress is the work done, not the frames done", {
  set.seed(2)
  seconds <- rep(c(5, 20), each = 50)    # the second half is four times as heavy
  home <- one_by_one(400, exp(stats::rnorm(400, 0, 0.3)), seconds = seconds)
  seen <- cumsum(seconds)[1:50]
  x <- clockpigeon:::rest_draws(home, home[, 100], home[, 100], seen, max(seen))
  expect_equal(stats::weighted.mean(x$finish, x$weight), 1250, tolerance = 0.01)
  expect_equal(x$work, 0.2, tolerance = 1e-6)
})

test_that("before anything has arrived only time that has passed tells; when nothing comes the end moves on", {
  set.seed(3)
  home <- one_by_one(400, exp(stats::rnorm(400, 0, 0.3)), jitter = 0.05)
  finish <- home[, 100]
  fresh <- clockpigeon:::rest_draws(home, finish, finish, numeric(), 0)
  expect_equal(sort(fresh$finish), sort(finish))
  waited <- clockpigeon:::rest_draws(home, finish, finish, numeric(), 12)
  expect_identical(length(waited$finish), sum(home[, 1] >= 12))
  # Ten frames in ten seconds each, then nothing for an hour: the rest has yet to be done.
  stalled <- clockpigeon:::rest_draws(home, finish, finish, (1:10) * 10, 3700)
  expect_gt(min(stalled$finish), 3700 + 600)
  over <- clockpigeon:::rest_draws(home, finish, finish, (1:100) * 9, 950)
  expect_identical(unique(over$finish), 900)
  # Draws that never end, as under a cap, are left aside while there are others.
  ends <- home
  ends[1:100, 60:100] <- Inf
  x <- clockpigeon:::rest_draws(ends, ends[, 100], finish, (1:50) * 10, 500)
  expect_true(all(is.finite(x$finish)))
})

test_that("its ranges hold what they say, and narrow as the work is done", {
  set.seed(4)
  n <- 60
  truth <- 120
  speeds <- exp(stats::rnorm(900 + truth, 0, 0.35))
  # Four nodes, frames of their own lengths: the heavy ones late.
  seconds <- exp(stats::rnorm(n, 0, 0.4)) * seq(5, 15, length.out = n)
  home <- t(vapply(speeds, function(speed) {
    free <- rep(stats::rexp(1, 1 / 20), 4)
    took <- seconds / speed * exp(stats::rnorm(n, 0, 0.1)) * exp(stats::rnorm(1, 0, 0.1))
    vapply(took, function(s) {
      k <- which.min(free)
      free[k] <<- free[k] + s
      free[k]
    }, 0)
  }, numeric(n)))
  finish <- apply(home, 1, max)
  asked <- function(share) {
    m <- ceiling(share * n)
    t(vapply(900 + seq_len(truth), function(d) {
      seen <- sort(home[d, ])
      now <- seen[m] + stats::runif(1) * (seen[m + 1] - seen[m])
      ends <- range_of(clockpigeon:::rest_draws(home[1:900, ], finish[1:900], finish[1:900],
                                                seen[1:m], now))
      c(finish[d] >= ends[1] && finish[d] <= ends[2], diff(ends) / finish[d])
    }, numeric(2)))
  }
  widths <- diff(stats::quantile(finish, c(0.1, 0.9))) / stats::median(finish)
  for (share in c(0.25, 0.5, 0.75)) {
    found <- asked(share)
    # Of 120 cases four standard errors of 80 % are 0.146.
    expect_gt(mean(found[, 1]), 0.654)
    expect_lt(mean(found[, 1]), 0.946)
    expect_lt(stats::median(found[, 2]), utils::tail(widths, 1))
    widths <- c(widths, stats::median(found[, 2]))
  }
})

test_that("what stands still may stay so for as long as it has: half of the draws longer", {
  finish <- clockpigeon:::silent_finish(rep(100, 1000), age = 60, now = 300, seed = 1)
  expect_equal(stats::median(finish), 360, tolerance = 0.01)
  expect_equal(mean(finish - 300 > 3 * 60), 0.25, tolerance = 0.01)
  expect_identical(clockpigeon:::silent_finish(rep(1e9, 5), 60, 300, 1), rep(1e9, 5))
})

test_that("the moments at which so many frames had arrived are those of each draw put in order", {
  arrivals_at <- clockpigeon:::arrival_moments
  set.seed(8)
  for (frames in c(1, 2, 17, 400, 1200)) for (draws in c(1, 15, 16, 33)) {
    home <- matrix(round(rexp(draws * frames), 2), draws, frames)
    home[sample(length(home), length(home) %/% 20)] <- Inf
    counts <- sample(frames, min(frames, 6), replace = TRUE)
    byhand <- t(apply(home, 1, sort))
    if (frames == 1) byhand <- t(byhand)
    dim(byhand) <- dim(home)
    expect_identical(arrivals_at(home, counts), byhand[, counts, drop = FALSE])
    expect_identical(arrivals_at(home, seq_len(frames)), byhand)
  }
  # What is no number never comes.
  expect_identical(arrivals_at(matrix(c(3, NA, 1), 1), 3:1), matrix(c(Inf, 3, 1), 1))
  expect_error(arrivals_at(matrix(1:4 / 2, 1), 5), "at most all")
  expect_error(arrivals_at(matrix(1:4 / 2, 1), 0), "rise")
  expect_identical(dim(arrivals_at(matrix(1:4 / 2, 2), integer())), c(2L, 0L))
})

test_that("frames that come before the card's wait are taken for an early start, not for a wild pace", {
  set.seed(3)
  wait <- exp(rnorm(500, log(7200), 0.2))
  home <- t(vapply(wait, function(w) w + cumsum(rep(30, 40) * exp(rnorm(40, 0, 0.1))), numeric(40)))
  seen <- 20 + 30 * 1:10
  rest <- clockpigeon:::rest_draws(home, apply(home, 1, max), rep(5, 500), seen, now = 325)
  end <- sum(rest$finish * rest$weight)
  expect_equal(end, 20 + 30 * 40, tolerance = 0.1)
  expect_lt(max(rest$finish), 2500)
})
