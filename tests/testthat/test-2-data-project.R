test_that("a project is its folders, with the shipped engines", {
  project <- read_project(demo_file())
  expect_length(project$shots, 6)
  expect_true(all(c("pebble", "povray") %in% names(project$engines)))
  expect_identical(basename(project$ledger), "ledger.sqlite")
  expect_identical(project$defaults$deadline, "7min")
  expect_identical(names(project$job_files), "film")
})

test_that("a site whose pool a scheduler gives out is known as that, whichever folders are read", {
  folder <- local_project(sample = FALSE)
  attic <- file.path(folder, "sites/attic.yaml")
  writeLines(sub("pool: [here]", "pool: [room]", readLines(attic), fixed = TRUE), attic)
  scheduled <- function()
    names(Filter(function(site) isTRUE(site$scheduled), read_project(folder, "sites")$sites))
  expect_identical(scheduled(), character())
  room <- c("node: room", "count: 2", "devices: [{device: chip, kind: cpu}]")
  writeLines(c(room, "launch: {by: cluster}"), file.path(folder, "nodes/room.yaml"))
  expect_identical(scheduled(), "attic")
  expect_true(read_project(folder)$sites$attic$scheduled)
  # A node that cannot be read is refused by who needs it.
  writeLines(c(room, "launch: {by: magic}"), file.path(folder, "nodes/room.yaml"))
  expect_identical(scheduled(), character())
  expect_error(read_project(folder, "nodes"), "magic", fixed = TRUE)
})

test_that("no project, a name twice, and a wrong zone are refused", {
  expect_refusal(read_project(scratch()), "project", c("clockpigeon.yaml", "clockpigeon demo"))
  folder <- local_project(sample = FALSE)
  file.copy(file.path(folder, "shots/gears.yaml"), file.path(folder, "shots/other.yaml"))
  expect_refusal(read_project(folder), "project", "two files")
  folder <- local_project(sample = FALSE)
  writeLines(c("name: a", "currency: EUR", "time_zone: Mars"),
             file.path(folder, "clockpigeon.yaml"))
  expect_refusal(read_project(folder), "time_zone", "Mars")
  expect_refusal(demo_file("shots/none.yaml"), "file")
})
