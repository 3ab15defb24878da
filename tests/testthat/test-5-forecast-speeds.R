test_that("trial frames come before a pool's own nodes, and these before a claim", {
  x <- rbind(own(c(10, 20), 1:2), own(c(5, 10), 1:2, site = "x", node = NA))
  job <- render_job(shot_s(), "e", x)
  claim <- list(list(engine = "e", relative_to = "n", factor = 9, basis = "claimed"))
  tried <- clockpigeon:::site_speed(job, site_x(speeds = claim, nodes_like = "n"))
  expect_equal(exp(tried$log_factor), 2)
  expect_identical(tried$from, "2 trial frames there")
  pool <- clockpigeon:::site_speed(job, site_x("y", speeds = claim, nodes_like = "n"))
  expect_equal(pool$log_factor, 0)
  expect_identical(pool$evidence, "measured")
  claimed <- clockpigeon:::site_speed(job, site_x("y", speeds = claim))
  expect_equal(exp(claimed$log_factor), 9)
  expect_identical(claimed$evidence, "claimed")
  expect_gt(claimed$se, tried$se)
  expect_null(clockpigeon:::site_speed(job, site_x("y", nodes_like = "m")))
})

test_that("a node that is not the reference is known by the frames measured on both", {
  x <- rbind(own(c(10, 20, 30), 1:3), own(c(5, 10), 1:2, node = "m"))
  job <- render_job(shot_s(), "e", x)
  expect_identical(job$node, "n")
  expect_equal(exp(clockpigeon:::site_speed(job, site_x(nodes_like = "m"))$log_factor), 2)
  claim <- list(list(engine = "e", relative_to = "m", factor = 3, basis = "assumed"))
  speed <- clockpigeon:::site_speed(job, site_x(speeds = claim))
  expect_equal(exp(speed$log_factor), 6)
  expect_identical(speed$evidence, "assumed")
})

test_that("a node that rendered other scenes only gives a transferred speed", {
  project <- read_project(demo_file())
  x <- example_timings()
  site <- project$sites$attic
  site$site <- "loft"
  site$nodes_like <- "loft-3"
  speed <- function(rows) {
    job <- render_job(project$shots["gears"], "sundew", rows, rates = project$rates)
    clockpigeon:::site_speed(job, site)
  }
  measured <- speed(x)
  expect_identical(measured$evidence, "measured")
  moved <- speed(x[!(x$node %in% "loft-3" & x$scene == "gears"), ])
  expect_identical(moved$evidence, "transferred")
  expect_match(moved$from, "other scenes on loft-3")
  expect_equal(moved$log_factor, measured$log_factor, tolerance = 0.2)
  expect_gt(moved$se, 0.01)
})

test_that("drift widens what is known of a speed, with the degrees of freedom of its parts", {
  expect_equal(clockpigeon:::joint_df(c(0.1, 0), c(7, 3)), 7)
  expect_equal(clockpigeon:::joint_df(c(0.1, 0.1), c(10, 10)), 20)
  expect_identical(clockpigeon:::joint_df(c(0, 0), c(1, 1)), Inf)
  job <- exact_job(10)
  job$drift_sd <- 0.2
  job$drift_df <- 5
  option <- plan_options(job, exact_site())$options
  # The session of the job drifts, and so did that of the probes.
  expect_equal(option$speed_se[1], sqrt(2 * 0.2^2 + 0.03^2))
  expect_equal(option$speed_df[1], 5, tolerance = 0.05)
})
