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
