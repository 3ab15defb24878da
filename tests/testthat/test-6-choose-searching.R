test_that("a split comes within 3 % of trying all pairs of options and all counts of frames", {
  skip_if_not_installed("lpSolve")
  expect_true(all(splits_near_the_best(4)))
})
