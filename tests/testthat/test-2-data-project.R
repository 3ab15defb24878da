test_that("a project is its folders, with the shipped engines", {
  project <- read_project(demo_file())
  expect_length(project$shots, 6)
  expect_true(all(c("pebble", "povray") %in% names(project$engines)))
  expect_identical(basename(project$ledger), "ledger.sqlite")
  expect_identical(project$defaults$deadline, "7min")
  expect_identical(names(project$job_files), "film")
})

test_that("no project, a name twice, and a wrong zone are refused", {
  expect_refusal(read_project(scratch()), "project", c("clockpigeon.yaml", "clockpigeon demo"))
  folder <- local_project(sample = FALSE)
  file.copy(file.path(folder, "shots/gears.yaml"), file.path(folder, "shots/other.yaml"))
  expect_refusal(read_project(folder), "project", "two files")
  folder <- local_project(sample = FALSE)
  writeLines(c("name: a", "currency: EUR", "time_zone: Mars"), file.path(folder, "clockpigeon.yaml"))
  expect_refusal(read_project(folder), "time_zone", "Mars")
  expect_refusal(demo_file("shots/none.yaml"), "file")
})
