test_that("what is blank becomes NA, and nothing else does", {
  x <- c("", " ", "\t ", "a", " a ", NA, "\u00e9", "-")
  expect_identical(clockpigeon:::blank_to_na(x), c(NA, NA, NA, "a", " a ", NA, "\u00e9", "-"))
  expect_identical(clockpigeon:::blank_to_na(character()), character())
})

test_that("ids count on in hexadecimal", {
  ids <- clockpigeon:::batch_ids("0123456789", 70000)
  expect_identical(ids, sprintf("0123456789%06x", 1:70000))
  expect_error(clockpigeon:::batch_ids("0123456789", 16^6))
})
