test_that("a version matches exactly or within bounds, parts taken as numbers", {
  m <- clockpigeon:::version_matches
  expect_true(m("4.2", "4.2"))
  expect_false(m("4.2", "4.2.0"))
  expect_true(m("4.10", ">=4.9 <5"))
  expect_false(m("5.0", ">=4.9 <5"))
  expect_true(m("4.2.1", ">4.2"))
  expect_true(m("4.2", "<= 4.2"))
  expect_false(m(NA_character_, "4.2"))
  expect_identical(clockpigeon:::compare_versions("1.2", "1.2.0"), 0)
})
