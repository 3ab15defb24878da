test_that("a way says what is wrong with it", {
  expect_refusal(job_way(nodes = 0), "type", "nodes")
  expect_refusal(job_way(wait = -1), "type", "wait")
  expect_refusal(job_way(spread = "tiles"), "choice", "frames")
  expect_refusal(job_way(nodes = 2, node_speed = 1), "type", "one for each node")
  expect_refusal(job_way(parts = 3, part_weight = 1:2), "type", "one for each part")
  expect_refusal(job_way(open = rbind(c(5, 2))), "type", "from and to")
  expect_refusal(job_way(cap = 0), "type", "cap")
  expect_refusal(job_way(release = "never"), "choice", "idle")
})

test_that("a time that varies is log-normal by its median and 90 % point", {
  w <- job_way(wait = c(median = 100, p90 = 400), start = list(median_s = 60, p90_s = 60), encode = 5)
  expect_equal(w$wait, c(100, log(4) / qnorm(0.9), Inf))
  expect_equal(w$start, c(60, 0, Inf))
  expect_equal(w$encode, c(5, 0, Inf))
  waits <- simulate_job(1, w, draws = 20000)$draws$wait_s
  expect_equal(quantile(waits, c(0.5, 0.9), names = FALSE), c(100, 400), tolerance = 0.03)
})
