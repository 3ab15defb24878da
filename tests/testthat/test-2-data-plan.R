test_that("a plan is read, and frames and probes exclude each other", {
  plan <- read_plan(demo_file("plans/review.yaml"))
  expect_identical(plan$engines[[1]]$versions, c("1.0", "1.1"))
  f <- write_file(scratch(), "p.yaml", "plan: a", "shots: [x]", "engines: [{engine: pebble}]",
                  "frames: 1-3", "probes: 2")
  expect_refusal(read_plan(f), "plan", "both")
})
