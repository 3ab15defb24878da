skip_if_not_installed("ggplot2")
skip_if_not_installed("ggrepel")

test_that("the choice's figure shows every option, both limits, and marks the pick", {
  choice <- choose_option(given_forecast(finish, cost), 160, 5)
  choice$forecast$job <- c(choice$forecast$job,
                           render_job(read_project(demo_file())$shots["gears"], "sundew",
                                      example_timings()))
  figure <- ggplot2::autoplot(choice)
  built <- ggplot2::ggplot_build(figure)
  layers <- vapply(figure$layers, function(l) class(l$geom)[1], "")
  points <- built$data[[which(layers == "GeomPoint")]]
  expect_equal(10^points$x, unname(apply(finish, 2, quantile, 0.5, type = 1)))
  expect_equal(points$y, unname(apply(cost, 2, quantile, 0.5, type = 1)))
  expect_identical(points$shape, c(4, 16, 4))
  expect_equal(10^built$data[[which(layers == "GeomVline")]]$xintercept, 160)
  expect_equal(built$data[[which(layers == "GeomHline")]]$yintercept, 5)
  expect_match(figure$labels$title, "^middle: done .* 90 % likely$")
  expect_match(clockpigeon:::choice_alt(choice), "dear: 50.0s, 7.00 EUR, does not fit",
               fixed = TRUE)
  path <- file.path(scratch(), "f.png")
  clockpigeon:::write_figure(figure, path)
  expect_null(clockpigeon:::picture_fault(path, "png"))
})

test_that("a curve's figure starts at zero and breaks at the cut", {
  figure <- ggplot2::autoplot(frame_curve(c(5, 25), c(2, 4), 1:30, cuts = 16))
  built <- ggplot2::ggplot_build(figure)
  expect_identical(built$layout$panel_scales_y[[1]]$limits[1], 0)
  expect_length(unique(built$data[[1]]$group), 2)
})

test_that("ticks are round times", {
  expect_identical(clockpigeon:::tick_labels(clockpigeon:::time_ticks(c(25, 8000))),
                   c("30 s", "1 min", "2 min", "5 min", "10 min", "20 min", "30 min", "1 h", "2 h"))
  expect_refusal(clockpigeon:::need_package("nosuchpackage", "figures"), "package",
                 "install.packages(\"nosuchpackage\")")
})
