test_that("the non-dominated are those that nobody beats, by brute force", {
  clockpigeon:::with_seed(8, for (case in 1:30) {
    a <- sample(1:6, 8, TRUE)
    b <- sample(1:6, 8, TRUE)
    found <- clockpigeon:::pareto_front(a, b)
    beaten <- vapply(1:8, function(i) {
      for (j in 1:8) if (a[j] <= a[i] && b[j] <= b[i] && (a[j] < a[i] || b[j] < b[i])) return(TRUE)
      FALSE
    }, NA)
    expect_identical(found, !beaten)
  })
})

test_that("what a share of draws keeps is never under the share asked", {
  clockpigeon:::with_seed(8, for (share in c(0.5, 0.9, 0.95, 1)) {
    draws <- rlnorm(37)
    kept <- clockpigeon:::limit_at_share(draws, share)
    expect_gte(mean(draws <= kept), share)
    expect_lt(mean(draws < kept), share)
  })
  expect_identical(clockpigeon:::limit_at_share(1:10 + 0, 0.9), 9)
})
