test_that("a timing has the columns of the design, each once", {
  expect_length(clockpigeon:::timing_columns, 46)
  expect_true(all(clockpigeon:::setting_columns %in% names(clockpigeon:::timing_columns)))
})

test_that("evidence is finished renders past their warm-up", {
  x <- some_timings(1:5, status = c("ok", "failed", "ok", "ok", "ok"), "repeat" = c(1L, 1L, 0L, NA, 1L),
                    activity = c(rep("render", 4), "upload"))
  expect_identical(clockpigeon:::is_evidence(x), c(TRUE, FALSE, FALSE, TRUE, FALSE))
})

test_that("every sample row says that it is one", {
  expect_true(all(clockpigeon:::is_sample(example_timings())))
  expect_false(any(clockpigeon:::is_sample(some_timings(1:2))))
})
