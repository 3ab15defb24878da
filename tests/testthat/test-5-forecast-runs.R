test_that("frames come home as each draw has them", {
  home <- cbind(c(1, 2, 3), c(2, 4, Inf))
  x <- clockpigeon:::home_curve(home)
  expect_equal(range(x$at), c(0, 4))
  at <- function(moment) x[which.min(abs(x$at - moment)), ]
  expect_equal(c(at(4)$low, at(4)$high), c(2, 3))
  expect_equal(c(at(2.5)$low, at(2.5)$high), c(1, 2))
})

test_that("a run is simulated once and kept; its lines add up to its cost", {
  f <- forecast_job(plan_options(exact_job(10), exact_site(), only = "nodes=5"), draws = 20)
  run <- clockpigeon:::option_run(f, 1)
  expect_equal(sum(run$lines$mean) + sum(run$extra$mean[run$extra$item %in% c("minimum", "tax")]),
               mean(f$draws$cost))
  expect_identical(run$total, 12L)
  local_value("made_run", function(...) stop("simulated again"))
  expect_identical(clockpigeon:::option_run(f, 1), run)
})
