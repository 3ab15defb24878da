test_that("the share of the work that is done by a moment lies on the line between what was simulated", {
  share <- clockpigeon:::share_in_time
  expect_equal(share(c(10, 100, 400), c(0.02, 0.25, 1), 250), 0.25 + 0.75 * 0.5)
  expect_identical(share(c(10, 100), c(0.02, 1), 5), 0)
  expect_identical(share(c(10, 100), c(0.02, 1), 1e6), 1)
  expect_identical(share(c(Inf, Inf), c(0.02, 1), 100), 0)
})

test_that("a part of a job has its frames, shot by shot", {
  job <- exact_job(10, frames = 12L)
  part <- clockpigeon:::job_part(job, 3:5)
  expect_identical(part$shots[[1]]$frames, 3:5)
  expect_identical(clockpigeon:::run_text(part), "s 3-5")
})
