test_that("one fact has three figures, each labelled", {
  x <- speed_figures(80, 50)
  expect_equal(c(x$ratio, x$time_saved, x$speed_gain), c(1.6, 0.375, 0.6))
  expect_identical(nrow(speed_figures(c(10, 20, 30), 5)), 3L)
})

test_that("any two figures give the others", {
  truth <- speed_figures(80, 50)
  for (given in list(list(old = 80, ratio = 1.6), list(new = 50, ratio = 1.6),
                     list(old = 80, time_saved = 0.375), list(new = 50, time_saved = 0.375),
                     list(old = 80, speed_gain = 0.6), list(new = 50, speed_gain = 0.6)))
                       expect_equal(do.call(speed_figures, given), truth)
  alone <- speed_figures(time_saved = c(0.4, -1))
  expect_equal(alone$ratio, c(1 / 0.6, 0.5))
  expect_true(all(is.na(alone$old) & is.na(alone$new)))
})

test_that("figures that contradict each other are refused, rounded ones are not", {
  expect_refusal(speed_figures(100, 60, speed_gain = 0.4), "figures",
                 c("contradict", "time saving of 40 %", "66.67 %"))
  expect_refusal(speed_figures(ratio = 1.6, time_saved = 0.6), "figures")
  expect_equal(speed_figures(100, 60, ratio = 1.67)$ratio, 100 / 60)
})

test_that("speed_figures validates its inputs", {
  for (bad in list(0, -1, NA_real_, Inf, "80")) expect_refusal(speed_figures(bad, 50), "type")
  expect_refusal(speed_figures(1:3, 1:2), "type", "3 old")
  expect_refusal(speed_figures(80, time_saved = 1), "type", "below 1")
  expect_refusal(speed_figures(80, speed_gain = -1), "type", "above -1")
  expect_refusal(speed_figures(80), "figures", "Give old and new")
  expect_refusal(speed_figures(), "figures")
})

test_that("each figure must agree as it was given, not the ratio alone", {
  expect_refusal(speed_figures(old = 100, new = 98, time_saved = 0.03), "figures",
                 "time saving of 2 %")
  expect_equal(speed_figures(old = 80, new = 50, time_saved = 0.375, speed_gain = 0.6)$ratio, 1.6)
  # Rounded to a per cent.
  expect_equal(speed_figures(old = 81, new = 50, time_saved = 0.38)$new, 50)
  expect_refusal(speed_figures(old = 80, new = 50, time_saved = 0.4), "figures")
})

test_that("groups count runs, and their times are those of what ended well", {
  x <- data.frame(scene = c("a", "a", "a", "b", NA), engine = "p", wall_s = c(1, 3, 100, 5, 7),
                  status = c("ok", "ok", "failed", "ok", "ok"))
  found <- clockpigeon:::grouped_times(x, "scene")
  expect_equal(found$scene, c("a", "b", NA))
  expect_equal(found$runs, c(3, 1, 1))
  expect_equal(found$ended, c(2 / 3, 1, 1))
  expect_equal(found$median_s, c(1, 5, 7), ignore_attr = TRUE)
  expect_equal(clockpigeon:::grouped_times(transform(x, status = "failed"), "engine")$median_s,
               NA_real_)
  expect_null(clockpigeon:::grouped_times(x[0, ], "scene"))
  expect_error(clockpigeon:::grouped_times(x, "colour"), class = "clockpigeon_error_columns")
  many <- data.frame(scene = sample(letters, 500, TRUE), wall_s = stats::runif(500), status = "ok")
  by <- clockpigeon:::grouped_times(many, "scene")
  expect_equal(by$median_s,
               vapply(by$scene, function(s)
                      sort(many$wall_s[many$scene == s])[ceiling(sum(many$scene == s) / 2)], 0),
               ignore_attr = TRUE)
})
