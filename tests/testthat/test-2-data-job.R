test_that("a job file says what is asked", {
  job <- read_job(demo_file("jobs/film.yaml"))
  expect_identical(job$shots, c("gears", "basin", "gallery"))
  expect_identical(job$deadline, "fri 18:00")
  expect_equal(job$budget$amount, 250)
})

test_that("limits are own, shares or limits of their own; slips name the field", {
  folder <- scratch()
  file <- function(...) write_file(folder, "j.yaml", "job: j", "shots: [a]", ...)
  expect_identical(read_job(file("limits: [own, 50 %, noise 0.02, time 5 min]"))$limits,
                   c("own", "50 %", "noise 0.02", "time 5 min"))
  expect_refusal(read_job(file("limits: [half]")), "limit", c("limits", "50 %"))
  expect_refusal(read_job(file("deadline: soon")), "deadline", c("deadline", "fri 18:00"))
  expect_refusal(read_job(file("rule: dearest")), "choice", "cheapest")
  expect_refusal(read_job(file("spreads: [tiles]")), "choice", "bands")
})
