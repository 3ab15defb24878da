test_that("a limit fit prints its coefficients with intervals, and what they rest on", {
  fit <- fit_limit(c(4, 16, 64), c(4, 10, 34), sqrt(0.09 / c(4, 16, 64) + 1e-4),
                   c(seconds = 0.05, noise = 0.01))
  expect_output(print(fit), "3 probes at 4, 16, 64 samples")
  expect_output(print(fit), "Time: 2 s (", fixed = TRUE)
  expect_output(print(fit), "floor 1 % (", fixed = TRUE)
  assumed <- fit_limit(c(4, 16), c(4, 10), c(0.15, 0.08))
  expect_output(print(assumed), "spread of one measurement 15 %, assumed")
})

test_that("the figure of a limit marks the target and what meets it", {
  skip_if_not_installed("ggplot2")
  fit <- fit_limit(c(4, 16, 64), c(4, 10, 34), sqrt(0.09 / c(4, 16, 64) + 1e-4),
                   c(seconds = 0.05, noise = 0.01))
  p <- ggplot2::autoplot(fit, target = 0.03)
  expect_match(p$labels$title, paste("A noise of 3 % takes", samples_for(fit, 0.03), "samples"))
  path <- tempfile(fileext = ".png")
  clockpigeon:::write_figure(p, path)
  expect_gt(file.size(path), 5000)
  expect_refusal(ggplot2::autoplot(fit_limit(c(1, 2), c(1, 2))), "figure", "no noise")
})
