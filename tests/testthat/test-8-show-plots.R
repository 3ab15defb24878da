layers_of <- function(figure) vapply(figure$layers, function(l) class(l$geom)[1], "")

test_that("times along the shot are drawn one series for what differs, from zero", {
  x <- example_timings()
  x <- x[x$engine_version == "4.2" & x$limit_kind == "samples" & is.na(x$site), ]
  figure <- ggplot2::autoplot(x)
  expect_setequal(unique(figure$data$series), unique(x$device))
  expect_match(figure$labels$caption, "Sample data, invented")
  expect_match(figure$labels$alt, "4 series")
  built <- ggplot2::ggplot_build(figure)
  expect_true(all(vapply(built$layout$panel_params, function(p) p$y.range[1], 0) <= 0))
  expect_refusal(ggplot2::autoplot(example_timings()), "figure", "series")
  expect_refusal(ggplot2::autoplot(x[0, ]), "figure", "no finished frame")
})

test_that("the order of a run shows warm-up and drift", {
  x <- some_timings(c(20, rep_len(c(10, 12, 9, 11), 24) * exp(seq(0, 0.3, length.out = 24))),
                    run_order = 1:25,
                    frame = c(1L, rep_len(1:4, 24)), "repeat" = c(0L, rep(1:6, each = 4)))
  figure <- ggplot2::autoplot(x, "order")
  expect_match(figure$labels$title, "Drift of the run: \\+3[0-9] % from first to last")
  expect_identical(figure$data$what[1], "warm-up")
  expect_true("GeomLine" %in% layers_of(figure))
  expect_refusal(ggplot2::autoplot(some_timings(1:3), "order"), "figure")
  expect_refusal(ggplot2::autoplot(x, "pie"), "choice", "frames or order")
})

test_that("a comparison is drawn as ratios with intervals, in words too", {
  x <- example_timings()
  figure <- ggplot2::autoplot(compare_timings(x[x$engine == "sundew", ], "engine_version"))
  expect_match(figure$labels$alt, "sundew: 4.2 against 4.1, gears: 1.27, faster", fixed = TRUE)
  expect_match(figure$labels$caption, "95 % intervals.*under 2 %.*Sample data")
  expect_true(all(c("GeomRect", "GeomLinerange", "GeomPoint") %in% layers_of(figure)))
})
