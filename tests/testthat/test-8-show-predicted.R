test_that("scaling fits, speeds and curves print what they say and draw themselves", {
  fit <- fit_scaling(c(1, 2, 4, 8, 8, 16), c(100, 54, 30, 19, 18.5, 14))
  expect_output(
    print(fit), "a serial share \\(Amdahl\\).*One more takes less than 5 % off the time after 10")
  figure <- ggplot2::autoplot(fit)
  expect_match(figure$labels$alt, "efficiency")
  expect_silent(ggplot2::ggplot_build(figure))
  advice <- spread_advice(list(seconds = rep(60, 100), load_s = 5), rep(1, 3))
  expect_output(print(advice), "Spread by .*Slot counts that save a round")
  speeds <- fit_speeds(example_timings())
  expect_output(print(speeds), "17 rigs from 3 scenes")
  figure <- ggplot2::autoplot(speeds)
  expect_match(figure$labels$title, "times as fast as")
  expect_silent(ggplot2::ggplot_build(figure))
  curve <- frame_curve(c(20, 60, 100), c(41, 55, 90), 1:120,
                       cheap = data.frame(frame = 1:120, seconds = 1 +
                                          1:120 / 90))
  expect_output(print(curve), "cheap pass over 120.*Slowest frame")
  figure <- ggplot2::autoplot(curve)
  expect_match(figure$labels$caption, "cheap pass")
  expect_silent(ggplot2::ggplot_build(figure))
})

test_that("a backtest is drawn with its cases", {
  expect_identical(clockpigeon:::lean_text(c(0.02, -0.004, -1e-5)), c("+2 %", "-0.4 %", "0 %"))
  found <- backtest(example_timings(), most = 6)
  figure <- ggplot2::autoplot(found)
  expect_match(figure$labels$alt, "rig speeds")
  expect_match(figure$labels$caption, "invented")
  expect_silent(ggplot2::ggplot_build(figure))
})
