test_that("the launcher goes where it is told, and nowhere it cannot", {
  folder <- file.path(scratch(), "new", "bin")
  path <- install_launcher(folder)
  expect_identical(file.access(path, 1)[[1]], 0L)
  expect_refusal(install_launcher(write_file(scratch(), "file", "x")), "file", "cannot be written")
})
