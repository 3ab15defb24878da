test_that("limits stand alone or together", {
  limit <- clockpigeon:::check_limit(list(samples = 64, noise = 0.02, time = "2 min"), "w")
  expect_identical(clockpigeon:::format_limit(limit), "samples 64, noise 0.02, time 2m00s")
  columns <- clockpigeon:::limit_columns(limit)
  expect_identical(columns$limit_kind, "samples+noise+time")
  expect_equal(jsonlite::fromJSON(columns$features), list(noise = 0.02, time = 120))
  expect_true(is.na(clockpigeon:::limit_columns(list(noise = 0.1))$features))
})

test_that("what is no limit is refused", {
  expect_refusal(clockpigeon:::check_limit(list(noise = 0), "w"), "type", "above 0")
  expect_refusal(clockpigeon:::check_limit(list(samples = 2.5), "w"), "type", "whole")
  expect_refusal(clockpigeon:::check_limit(list(time = "8.20"), "w"), "duration", "8m20s")
  expect_refusal(clockpigeon:::check_limit(list(passes = 3), "w"), "field")
  expect_refusal(clockpigeon:::check_limit(list(), "w"), "type")
})
