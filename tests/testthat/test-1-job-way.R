test_that("a way says what is wrong with it", {
  expect_refusal(flat_way(nodes = 0), "type", "nodes")
  expect_refusal(flat_way(wait = -1), "type", "wait")
  expect_refusal(flat_way(spread = "tiles"), "choice", "frames")
  expect_refusal(flat_way(nodes = 2, node_speed = 1), "type", "one for each node")
  expect_refusal(flat_way(parts = 3, part_weight = 1:2), "type", "one for each part")
  expect_refusal(flat_way(open = rbind(c(5, 2))), "type", "from and to")
  expect_refusal(flat_way(cap = 0), "type", "cap")
  expect_refusal(flat_way(release = "never"), "choice", "idle")
})

test_that("a time that varies is log-normal by its median and 90 % point", {
  w <- flat_way(wait = c(median = 100, p90 = 400), start = list(median_s = 60, p90_s = 60),
                encode = 5)
  expect_equal(w$wait, c(100, log(4) / qnorm(0.9), Inf))
  expect_equal(w$start, c(60, 0, Inf))
  expect_equal(w$encode, c(5, 0, Inf))
  waits <- simulate_job(1, w, draws = 20000)$draws$wait_s
  expect_equal(quantile(waits, c(0.5, 0.9), names = FALSE), c(100, 400), tolerance = 0.03)
})

test_that("an option that a part does not know is refused", {
  expect_refusal(job_way(stages = troubles()), "field",
                 c("`stages`", "`fails`", "prepare, wait, start"))
  expect_error(job_way(waits = 3), "unused argument")
})

test_that("parts of a way are objects or lists of what they hold", {
  listed <- job_way(list(count = 4, sd = 0.1), list(start = 90), list(upload = 2e9, link = 12.5e6),
                    list(spread = "bands", parts = 3), list(fails = 0.1))
  made <- job_way(node_group(4, sd = 0.1), stages(start = 90), transfer_group(2e9, link = 12.5e6),
                  spread_group("bands", 3), troubles(0.1))
  expect_identical(listed, made)
  expect_refusal(job_way(list(count = 4, speeed = 2)), "field",
                 c("speeed", "`nodes`", "count, speed, sd"))
  expect_refusal(job_way(transfers = 2e9), "field", c("`transfers`", "upload, frame_bytes, link"))
})
