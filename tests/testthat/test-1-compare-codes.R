test_that("rows agree exactly when their numbers do, which count up as rows first occur", {
  codes <- function(x, columns = names(x)) clockpigeon:::row_codes(x, columns)
  set.seed(4)
  n <- 3000
  x <- data.frame(text = sample(c("a", "b", "", NA, "\u00e9"), n, TRUE),
                  whole = sample(c(1:40, NA), n, TRUE),
                  number = sample(c(0, -0, 1e-300, NA, NaN, Inf, 2.5), n, TRUE),
                  flag = sample(c(TRUE, FALSE, NA), n, TRUE))
  key <- clockpigeon:::row_key(transform(x, number = ifelse(is.nan(number), NA, number + 0)),
                               names(x))
  expect_identical(codes(x), match(key, unique(key)))
  expect_identical(codes(x, "whole"), match(x$whole, unique(x$whole)))
  expect_identical(codes(x, character()), rep(1L, n))
  expect_identical(codes(x[0, ]), integer())
  latin <- data.frame(text = c("\u00e9", iconv("\u00e9", "UTF-8", "latin1")))
  expect_identical(codes(latin), c(1L, 1L))
  expect_error(codes(list2DF(list(bad = list(1, 2)))), "neither text, number nor flag")
})
