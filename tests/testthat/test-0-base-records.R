test_that("a timing has the columns of the design, each once", {
  expect_length(clockpigeon:::timing_columns, 46)
  expect_true(all(clockpigeon:::setting_columns %in% names(clockpigeon:::timing_columns)))
})

test_that("evidence is finished renders past their warm-up", {
  x <- some_timings(1:5, status = c("ok", "failed", "ok", "ok", "ok"),
                    "repeat" = c(1L, 1L, 0L, NA, 1L), activity = c(rep("render", 4), "upload"))
  expect_identical(clockpigeon:::is_evidence(x), c(TRUE, FALSE, FALSE, TRUE, FALSE))
})

test_that("every sample row says that it is one", {
  expect_true(all(clockpigeon:::is_sample(example_timings())))
  expect_false(any(clockpigeon:::is_sample(some_timings(1:2))))
})

test_that("a plain data frame with some of the columns is timings to every function", {
  x <- data.frame(scene = "s", frame = rep(1:4, each = 4), engine = "e",
                  engine_version = rep(c("1", "2"), 8),
                  wall_s = rep(c(10, 8), 8) * exp(rnorm(16, 0, 0.01)))
  filled <- clockpigeon:::filled_timings(x, "here")
  expect_setequal(names(filled), names(clockpigeon:::timing_columns))
  expect_true(all(filled$status == "ok" & filled$activity == "render"))
  expect_identical(compare_timings(x, "engine_version")$old[1], "1")
  expect_s3_class(learn_curve_prior(x), "cp_prior")
  expect_s3_class(learn_curve_prior(x[c("frame", "wall_s")]), "cp_prior")
  expect_refusal(clockpigeon:::filled_timings(data.frame(a = 1), "here"), "columns", "scene, frame")
  expect_refusal(clockpigeon:::filled_timings(1:3, "here"), "type")
})
