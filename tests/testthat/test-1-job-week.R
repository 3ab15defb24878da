idle <- matrix(0, 0, 0)  # nothing is under way

test_that("jobs on a pool end when counting by hand says", {
  work <- matrix(c(10, 20, 5, 30), 1)
  none <- matrix(0, 0, 2)
  pool_ends <- function(work, order, nodes, pool, open) {
    clockpigeon:::pool_ends(work, order, nodes, pool, rep(list(open), ncol(work)),
                            rep(pool, ncol(work)), idle)
  }
  # One after another on both nodes; then side by side; a job that takes both waits for the later
  # one.
  expect_identical(c(pool_ends(work, 1:4, rep(2L, 4), 2L, none)), c(10, 30, 35, 65))
  expect_identical(c(pool_ends(work, 1:4, rep(1L, 4), 2L, none)), c(10, 20, 15, 45))
  expect_identical(c(pool_ends(work, c(2L, 1L, 3L), c(1L, 1L, 2L, 1L), 2L, none)),
                   c(10, 20, 25, NA))
  # Hours: open from 8 to 12, then from 20 on for 100.
  open <- cbind(c(8, 20), c(12, 120))
  expect_identical(c(pool_ends(matrix(c(2, 3, 98), 1), 1:3, rep(1L, 3), 1L, open)), c(10, 21, 119))
  expect_identical(c(pool_ends(matrix(200), 1L, 1L, 1L, open)), Inf)
  expect_error(pool_ends(work, 1:4, rep(3L, 4), 2L, none), "more nodes")
  expect_error(pool_ends(work, 9L, rep(1L, 4), 2L, none), "not there")
})

test_that("ends on many nodes are those of a plain simulation", {
  x <- withr::with_seed(4, list(work = matrix(stats::rexp(40 * 12), 40),
                                nodes = sample(1:5, 12, TRUE), order = sample(12)))
  plain <- t(apply(x$work, 1, function(w) {
    free <- numeric(5)
    end <- numeric(12)
    for (j in x$order) {
      taken <- order(free)[seq_len(x$nodes[j])]
      end[j] <- max(free[taken]) + w[j]
      free[taken] <- end[j]
    }
    end
  }))
  always <- rep(list(matrix(0, 0, 2)), 12)
  expect_equal(pool_ends(x$work, x$order, x$nodes, 5L, always, rep(5L, 12), idle), plain)
  # With work that is under way on some of them.
  busy <- t(apply(matrix(withr::with_seed(5, stats::rexp(40 * 5)) * c(0, 1, 2, 0, 5), 40), 1, sort))
  later <- t(vapply(1:40, function(d) {
    until <- busy[d, ]
    end <- numeric(12)
    for (j in x$order) {
      taken <- order(until)[seq_len(x$nodes[j])]
      end[j] <- max(until[taken]) + x$work[d, j]
      until[taken] <- end[j]
    }
    end
  }, numeric(12)))
  expect_equal(pool_ends(x$work, x$order, x$nodes, 5L, always, rep(5L, 12), busy), later)
  expect_error(pool_ends(x$work, x$order, x$nodes, 5L, always, rep(5L, 12), busy[, 1:4]),
               "of each node in each draw")
  expect_error(pool_ends(x$work, x$order, x$nodes, 5L, always, rep(5L, 12), busy[1:9, ]),
               "of each node in each draw")
})

test_that("jobs of the same machines wait for each other, each in the hours of its card", {
  always <- matrix(0, 0, 2)
  night <- cbind(c(100, 300), c(200, 400))
  # By day until 50; a job of the nights from 100 on, over the day between; then one by day again.
  expect_identical(c(pool_ends(matrix(c(50, 120, 10), 1), 1:3, rep(1L, 3), 1L,
                               list(always, night, always), rep(1L, 3), idle)),
                   c(50, 320, 330))
  expect_error(pool_ends(matrix(1), 1L, 1L, 1L, list(), 1L, idle), "hours must be said of each job")
  expect_error(pool_ends(matrix(1), 1L, 1L, 1L, list(matrix(0L, 0, 2)), 1L, idle),
               "hours must be numbers")
  way <- function(pool, seconds, cost) {
    list(kind = "own", name = pool, pool = pool, nodes = 2L, seconds = rep(seconds, 20),
         cost = rep(cost, 20))
  }
  job <- function(name) {
    list(job = name, deadline_s = 200, budget = Inf, confidence = 0.9,
         ways = list(way("loft", 150, 2), way("nights", 90, 1)))
  }
  jobs <- list(job("a"), job("b"))
  pools <- list(loft = list(nodes = 2L), nights = list(nodes = 2L, open = night))
  apart <- plan_week(jobs, pools)
  expect_identical(c(apart$kept, apart$cost), c(2, 3))
  for (name in names(pools)) pools[[name]]$machines <- "loft"
  expect_identical(pool_machines(pools), c(loft = "loft", nights = "loft"))
  same <- plan_week(jobs, pools)
  expect_identical(c(same$kept, same$cost), c(1, 1))
  # Short ones fit behind each other by day and at night.
  jobs[[1]]$ways[[1]]$seconds[] <- 60
  expect_identical(plan_week(jobs, pools)[c("kept", "cost")], list(kept = 2L, cost = 3))
})

test_that("a card of some of the machines takes from these alone", {
  always <- rep(list(matrix(0, 0, 2)), 12)
  x <- withr::with_seed(6, list(work = matrix(stats::rexp(40 * 12), 40),
                                nodes = sample(1:3, 12, TRUE), order = sample(12)))
  of <- pmax(x$nodes, rep(c(3L, 5L), 6))
  busy <- matrix(withr::with_seed(7, stats::rexp(200)), 40)
  plain <- t(vapply(1:40, function(d) {
    until <- busy[d, ]
    end <- numeric(12)
    for (j in x$order) {
      among <- seq_len(of[j])
      # Two that a job took are free at once: the later one.
      taken <- order(until[among], -among)[seq_len(x$nodes[j])]
      end[j] <- max(until[taken]) + x$work[d, j]
      until[taken] <- end[j]
    }
    end
  }, numeric(12)))
  expect_equal(pool_ends(x$work, x$order, x$nodes, 5L, always, of, busy), plain)
  expect_error(pool_ends(x$work, x$order, x$nodes, 5L, always, replace(of, 3, 0L), busy),
               "more nodes than it may")
  # Of nodes that are free at once a job takes those that the smaller card has not.
  two <- list(matrix(0, 0, 2), matrix(0, 0, 2))
  expect_identical(c(pool_ends(matrix(c(9, 5), 1), 1:2, c(2L, 2L), 4L, two, c(4L, 2L), idle)),
                   c(9, 5))
  expect_identical(c(pool_ends(matrix(c(9, 5), 1), 1:2, c(2L, 2L), 4L, two, c(2L, 2L), idle)),
                   c(9, 14))
  # Where all take from all nodes it is the same in which order these are free.
  held <- matrix(c(50, 0, 0, 0), 1)
  expect_identical(c(pool_ends(matrix(5), 1L, 2L, 4L, two[1], 4L, held)), 5)
  expect_identical(c(pool_ends(matrix(5), 1L, 2L, 4L, two[1], 2L, held)), 55)
  expect_identical(busy_nodes(3L, list(list(nodes = 1L, left_s = 4),
                                       list(nodes = 2L, left_s = 7, most = 2L)), 1),
                   matrix(c(7, 7, 4), 1))
})

test_that("a week on cards of the same machines is as good as the best of all plans", {
  for (seed in 41:46) {
    x <- random_week(seed, 3, 60, tight = 2)
    all <- 2L + seed %% 2L
    x$pools <- list(loft = list(nodes = all, most = 2L, machines = "loft"),
                    nights = list(nodes = all, machines = "loft",
                                  open = cbind(c(9000, 50000), c(30000, 90000))))
    x$jobs <- lapply(x$jobs, function(job) {
      cheap <- utils::modifyList(job$ways[[2]],
                                 list(pool = "nights", name = "nights",
                                      cost = job$ways[[2]]$cost / 2))
      job$ways <- c(job$ways, list(cheap))
      job
    })
    found <- plan_week(x$jobs, x$pools)
    best <- every_week(x$jobs, x$pools)
    expect_identical(found$kept, best$kept)
    expect_lte(found$cost, 1.03 * best$cost + 1e-9)
    expect_lte(found$kept, plan_week(x$jobs, lapply(x$pools, function(pool)
                                                    pool[names(pool) != "machines"]))$kept)
  }
})

test_that("a week is as good as the best of all plans, on small cases", {
  for (seed in 1:12) {
    x <- random_week(seed, 4, 100, tight = 1 + seed %% 3)
    found <- plan_week(x$jobs, x$pools)
    best <- every_week(x$jobs, x$pools)
    expect_identical(found$kept, best$kept)
    expect_lte(found$cost, 1.03 * best$cost + 1e-9)
    kept <- found$judged$way > 0
    expect_true(all(found$judged$chance[kept] >= 0.9))
  }
})

test_that("a budget for all is kept, and what cannot be kept is left out", {
  x <- random_week(3, 5)
  free <- plan_week(x$jobs, x$pools)
  costs <- function(week) {
    Reduce(`+`, lapply(which(week$plan$way > 0),
                       function(j) week$jobs[[j]]$ways[[week$plan$way[j]]]$cost), 0)
  }
  tight <- plan_week(x$jobs, x$pools, budget = 0.6 * free$cost)
  expect_gte(mean(costs(tight) <= 0.6 * free$cost), 0.9)
  expect_lte(tight$kept, free$kept)
  for (j in seq_along(x$jobs)) x$jobs[[j]]$deadline_s <- 10
  none <- plan_week(x$jobs, x$pools)
  expect_identical(none$kept, 0L)
  expect_identical(none$cost, 0)
})

test_that("more nodes and later deadlines never keep fewer jobs", {
  for (seed in 21:24) {
    x <- random_week(seed, 6, 100, tight = 3)
    kept <- plan_week(x$jobs, x$pools)$kept
    wide <- x$pools
    wide$loft$nodes <- 4L
    expect_gte(plan_week(x$jobs, wide)$kept, kept)
    late <- lapply(x$jobs, function(job)
                   utils::modifyList(job, list(deadline_s = 3 * job$deadline_s)))
    expect_gte(plan_week(late, x$pools)$kept, kept)
  }
})

test_that("work that is under way takes its nodes first, and the week is planned around it", {
  expect_identical(busy_nodes(2L, list(list(nodes = 1L, left_s = c(5, 7))), 4),
                   cbind(0, c(5, 7, 5, 7)))
  one <- list(nodes = 2L, left_s = 3)
  two <- list(nodes = 1L, left_s = 4)
  expect_identical(busy_nodes(3L, list(two, one), 1), matrix(c(3, 3, 4), 1))
  # More than there are nodes: one after the other.
  expect_identical(busy_nodes(2L, list(one, two, one), 1), matrix(c(10, 10), 1))
  expect_identical(busy_nodes(1L, list(list(nodes = 4L, left_s = 6)), 2), matrix(6, 2, 1))
  for (seed in 21:28) {
    x <- random_week(seed, 3, 100, tight = 1 + seed %% 2)
    held <- list(nodes = 1L + seed %% 2L, left_s = seq(5000, 30000, length.out = 100))
    x$pools$loft$busy <- busy_nodes(2L, list(held), 100)
    found <- plan_week(x$jobs, x$pools)
    best <- every_week(x$jobs, x$pools)
    expect_identical(found$kept, best$kept)
    expect_lte(found$cost, 1.03 * best$cost + 1e-9)
    x$pools$loft$busy <- NULL
    expect_gte(plan_week(x$jobs, x$pools)$kept, found$kept)
  }
  # What is never free keeps nothing.
  x <- random_week(1, 2, 50)
  x$jobs <- lapply(x$jobs, function(job)
                   utils::modifyList(job, list(ways = NULL, ways = job$ways[1:2])))
  x$pools$loft$busy <- matrix(Inf, 50, 2)
  expect_identical(plan_week(x$jobs, x$pools)$kept, 0L)
})
