test_that("the demo leaves a project to play with, and refuses a folder in use", {
  expect_refusal(clockpigeon:::demo_project(local_project()), "file", "not empty")
  folder <- clockpigeon:::demo_project(file.path(scratch(), "play"))
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
  expect_identical(nrow(timings(ledger)), nrow(example_timings()))
  close_ledger(ledger)
})
