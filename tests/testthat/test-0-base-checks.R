test_that("each check returns its value, or fires", {
  checks <- list(
    list(clockpigeon:::check_text, "a", list("", NA_character_, c("a", "b"), 1, NULL)),
    list(clockpigeon:::check_texts, c("a", "b"), list(character(), c("a", NA), 1)),
    list(clockpigeon:::check_number, 1.5, list(NA_real_, Inf, "1", 1:2, NULL)),
    list(clockpigeon:::check_count, 3L, list(0, 1.5, NA, "3", -1)),
    list(clockpigeon:::check_flag, TRUE, list(NA, "yes", 1, c(TRUE, FALSE))),
    list(clockpigeon:::check_seconds, c(1, 2.5), list(0, -1, NA_real_, Inf, "1", numeric()))
  )
  for (check in checks) {
    expect_identical(check[[1]](check[[2]], "here"), check[[2]])
    for (bad in check[[3]]) expect_refusal(check[[1]](bad, "here"), "type", "here")
  }
})

test_that("a choice names the choices and the near one", {
  expect_refusal(clockpigeon:::check_choice("cheepest", "w", c("cheapest", "fastest")), "choice",
                 c("cheapest or fastest", "Did you mean cheapest?"))
})

test_that("bounds are said", {
  expect_refusal(clockpigeon:::check_number(2, "w", above = 0, most = 1), "type",
                 "above 0 and at most 1")
  expect_refusal(clockpigeon:::check_count(0, "w"), "type", "of at least 1")
})
