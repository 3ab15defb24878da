test_that("the half-width is that of the t interval, as a share", {
  x <- log(c(10, 11, 10.4, 9.8))
  expect_equal(clockpigeon:::relative_half_width(x), exp(diff(t.test(x)$conf.int) / 2) - 1,
               ignore_attr = TRUE)
  expect_identical(clockpigeon:::relative_half_width(1), Inf)
})

test_that("drift is the slope of least squares with a level a setting", {
  set.seed(3)
  setting <- unlist(lapply(1:6, function(k) sample(5)))
  y <- rnorm(30, c(1, 3, 2, 5, 4)[setting], 0.05) + 0.01 * (1:30)
  d <- clockpigeon:::drift_of(y, setting, 1:30, rep(1:6, each = 5))
  fit <- lm(y ~ factor(setting) + seq(1, 30))
  slope <- coef(summary(fit))["seq(1, 30)", ]
  expect_equal(log(d$factor), slope[[1]] * 29)
  expect_equal(d$p, slope[[4]])
  expect_equal(log(c(d$lower, d$upper)), as.numeric(confint(fit)["seq(1, 30)", ]) * 29)
  blocks <- anova(lm(y ~ factor(setting)), lm(y ~ factor(setting) + factor(rep(1:6, each = 5))))
  expect_equal(d$p_blocks, blocks[["Pr(>F)"]][2])
  expect_null(clockpigeon:::drift_of(c(1, 2), 1:2, 1:2, c(1, 1)))
})

test_that("work is too short when it is under ten times the spread of loading", {
  expect_equal(clockpigeon:::load_noise_share(c(1, 2, 3), c(5, 5, 5)), 2)
  expect_true(is.na(clockpigeon:::load_noise_share(1, 5)))
  expect_true(is.na(clockpigeon:::load_noise_share(c(NA, NA), c(5, 5))))
})
