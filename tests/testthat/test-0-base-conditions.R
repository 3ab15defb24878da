test_that("an error has a class for programs and what, where and instead for people", {
  error <- expect_refusal(clockpigeon:::stop_input("frames", "got 'x'", "shots/a.yaml", "Write 1-240."), "frames")
  expect_s3_class(error, "clockpigeon_error")
  expect_identical(conditionMessage(error), "shots/a.yaml: got 'x'. Write 1-240.")
})

test_that("candidates read as a phrase, and the near one is found", {
  expect_identical(clockpigeon:::either(c("a", "b", "c")), "a, b or c")
  expect_identical(clockpigeon:::closest("sampels", c("samples", "noise")), "samples")
  expect_null(clockpigeon:::closest("zzzz", c("samples", "noise")))
})

test_that("long values are cut to one line", {
  expect_lte(nchar(clockpigeon:::show_value(strrep("a", 500))), 84)
  expect_identical(clockpigeon:::show_value(NULL), "nothing")
  expect_identical(clockpigeon:::show_value("a\nb\033[31m\001"), "'a\\nb\\x1b[31m\\x01'")
  expect_false(grepl("[[:cntrl:]]", clockpigeon:::show_value(strrep("\a\r", 10000))))
  expect_true(validUTF8(clockpigeon:::show_value("\xff\xfe")))
})
