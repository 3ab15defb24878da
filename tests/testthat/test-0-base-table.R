test_that("tables are tibbles", {
  skip_if_not_installed("tibble")
  x <- clockpigeon:::as_table(data.frame(a = 1:3, b = letters[1:3]))
  expect_true(tibble::is_tibble(x))
  expect_identical(tibble::as_tibble(data.frame(a = 1:3, b = letters[1:3])), x)
  expect_output(print(x), "tibble")
})

test_that("binding keeps order and passes over NULL", {
  bound <- clockpigeon:::bind_tables(list(data.frame(a = 2), NULL, data.frame(a = 1)))
  expect_identical(bound[["a"]], c(2, 1))
  expect_null(clockpigeon:::bind_tables(list(NULL)))
})

test_that("row keys are equal exactly when the columns are", {
  x <- data.frame(a = c("x", "x", "xy", NA, "NA"), b = c("yz", "yz", "z", "1", "1"))
  key <- clockpigeon:::row_key(x, c("a", "b"))
  expect_identical(key[1], key[2])
  expect_false(key[1] == key[3])
})

test_that("row codes are equal exactly when rows are", {
  set.seed(1)
  x <- data.frame(a = sample(c("x", "y", NA), 200, TRUE), b = sample(c(1, 2.5, NA), 200, TRUE),
                  c = "same")
  code <- clockpigeon:::row_codes(x, names(x))
  key <- clockpigeon:::row_key(x, names(x))
  expect_identical(code, match(key, unique(key)))
})
