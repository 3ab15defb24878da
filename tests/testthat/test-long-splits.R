skip_unless_long()

test_that("a split comes within 3 % of trying all pairs of options and all counts of frames", {
  skip_if_not_installed("lpSolve")
  expect_true(all(splits_near_the_best(24)))
})

test_that("a fallback comes within 5 % of trying every moment and threshold", {
  expect_true(all(fallbacks_near_the_best(12)))
})
