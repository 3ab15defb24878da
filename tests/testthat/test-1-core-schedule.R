# The slow, plain twin: one draw, one frame after the other.
plain_schedule <- function(tasks, ready) {
  free <- ready
  end <- 0
  for (seconds in tasks) {
    i <- which.min(free)
    free[i] <- free[i] + seconds
    end <- max(end, free[i])
  }
  list(free = free, end = end)
}

test_that("many draws in step are the plain loop of each", {
  clockpigeon:::with_seed(4, for (case in 1:40) {
    nodes <- sample(1:6, 1)
    tasks <- matrix(rlnorm(5 * sample(1:12, 1)), 5)
    ready <- matrix(round(rexp(5 * nodes), 1), 5)
    fast <- clockpigeon:::list_schedule(tasks, ready)
    for (d in 1:5) {
      plain <- plain_schedule(tasks[d, ], ready[d, ])
      expect_equal(fast$free[d, ], plain$free)
      expect_equal(fast$end[d], plain$end)
    }
  })
})

test_that("equal frames take whole rounds", {
  rounds <- function(frames, nodes) clockpigeon:::list_schedule(matrix(1, 1, frames), matrix(0, 1, nodes))$end
  expect_identical(vapply(c(24, 25, 33, 34), rounds, 0, frames = 100), c(5, 4, 4, 3))
  expect_identical(rounds(7, 1), 7)
})

test_that("it stays within Graham's bound of the best", {
  clockpigeon:::with_seed(9, for (case in 1:50) {
    nodes <- sample(2:5, 1)
    tasks <- rlnorm(sample(nodes:20, 1))
    best <- max(sum(tasks) / nodes, max(tasks))
    expect_lte(clockpigeon:::list_schedule(t(tasks), matrix(0, 1, nodes))$end, (2 - 1 / nodes) * best + 1e-9)
  })
})
