skip_unless_long()

test_that("a run that is killed at any moment goes on with the trials that have no row, 50 times over", {
  killed_and_resumed(50, 1:40, 5)
})
