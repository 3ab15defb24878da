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

test_that("a release candidate comes before its release, and only who asks for one gets it", {
  m <- clockpigeon:::version_matches
  compare <- clockpigeon:::compare_versions
  expect_identical(compare("4.3-rc1", "4.3"), -1)
  expect_identical(compare("4.3-rc1", "4.2.9"), 1)
  expect_identical(compare("4.3-rc2", "4.3 rc.1"), 1)
  expect_identical(compare("4.3beta2", "4.3-rc1"), -1)
  expect_false(m("4.3-rc1", ">=4.2"))
  expect_true(m("4.3-rc1", ">=4.3-rc1"))
  expect_true(m("4.3", ">=4.3-rc1"))
  expect_false(m("4.3-rc1", "4.3"))
})
