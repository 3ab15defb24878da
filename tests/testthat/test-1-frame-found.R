test_that("a finding that hardly exceeds its bound is as likely as not, and one far beyond is sure", {
  expect_equal(finding_confidence(c(0.5, 1, 2, 1e6)), c(0.5, 0.5, 0.875, 1))
})

test_that("findings are rows, none where there is nothing", {
  x <- frame_finding(c(3, 9), "black", "is black", c("a", "b"), top = 1:2)
  expect_equal(x$index, c(3, 9))
  expect_equal(x$top, 1:2)
  expect_equal(x$weight, rep("unusable", 2))
  expect_equal(names(frame_finding(integer(), "", "", "")), names(x))
  expect_equal(nrow(frame_finding(NULL, "", "", "")), 0)
})

test_that("neighbours are the nearest on either side", {
  expect_equal(neighbours_of(4, 1), cbind(c(NA, 1, 2, 3), c(2, 3, 4, NA)))
  expect_equal(neighbours_of(5)[3, ], c(2, 4, 1, 5))
  expect_equal(format_share(c(0.5, 0.1234)), c("50 %", "12.3 %"))
})
