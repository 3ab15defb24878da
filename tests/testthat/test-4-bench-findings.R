run_of <- function(wall_s, ...) {
  some_timings(wall_s, run_order = seq_along(wall_s), frame = rep_len(1:4, length(wall_s)),
               "repeat" = rep(seq_len(length(wall_s) / 4), each = 4), ...)
}

test_that("a run that grows slower says so, and one that does not is silent", {
  set.seed(1)
  noise <- exp(rnorm(40, 0, 0.01))
  base <- rep_len(c(10, 20, 15, 12), 40)
  steady <- bench_findings(run_of(base * noise))
  expect_false(any(c("drift", "blocks") %in% steady$finding))
  slow <- bench_findings(run_of(base * noise * exp(seq(0, 0.2, length.out = 40))))
  expect_identical(slow$finding[1], "drift")
  expect_match(slow$says[1], "later trials are slower: \\+2[0-9] %")
  expect_true(slow$lower[1] < exp(0.2) && slow$upper[1] > exp(0.2))
  step <- bench_findings(run_of(base * noise *
                                rep(c(1, 1.2, 1, 1.2, 1, 1, 1.2, 1, 1.2, 1), each = 4)))
  expect_identical(step$finding[1], "blocks")
})

test_that("a steady machine is rarely said to drift", {
  set.seed(2)
  base <- rep_len(c(10, 20, 15, 12), 24)
  told <- replicate(300, "drift" %in% bench_findings(run_of(base * exp(rnorm(24, 0, 0.1))))$finding)
  expect_lt(mean(told), 0.03)
})

test_that("short settings come with a cure, busy trials are counted, unsure means named", {
  short <- bench_findings(some_timings(c(1, 1, 1), load_s = c(0.3, 0.5, 0.4),
                                       compute_s = c(0.5, 0.5, 0.5)))
  expect_identical(short$finding, "too short")
  expect_match(short$says, "a frame of 227x128, 16 samples or 12 repeats")
  x <- bench_findings(some_timings(c(10, 12, 11), busy = c(TRUE, FALSE, NA)))
  expect_identical(x$finding, c("busy", "unsure"))
  expect_match(x$says[1], "1 of 3 trials")
  expect_match(x$says[2], "1 of 1 settings.* 3 %; worst: s frame 1, e 1.0, samples 8, to [0-9]+ %")
  expect_identical(nrow(bench_findings(some_timings(1, status = "failed"))), 0L)
  full <- some_timings(c(10, 10, 10), peak_mem_mb = c(950, 950, 100), cpu_s = c(2, 9, 2))
  expect_match(bench_findings(full, memory_mb = 1000)$says,
               "1 of 3 trials nearly filled the memory")
  expect_identical(nrow(bench_findings(full)), 0L)
})
