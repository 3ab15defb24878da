test_that("sites and bill run in a project, in every format", {
  folder <- local_project()
  sites <- run_command_line(wd = folder, "sites")
  expect_identical(sites$status, 0L)
  expect_match(sites$stdout, "saltmill +device-hour")
  expect_match(run_command_line(wd = folder, "sites", "coppice")$stdout, "core-hour")
  expect_identical(nrow(read.csv(text = run_command_line(wd = folder, "sites", "--format",
                                                         "csv")$stdout)), 11L)
  x <- read.csv(text = run_command_line(wd = folder, "bill", "gears-saltmill", "--format",
                                        "csv")$stdout)
  expect_equal(sum(x$amount), 38.93)
  expect_equal(sum(x$converted), 44.71)
  shells <- run_command_line(wd = folder, "bill", "gallery-undertow")$stdout
  expect_match(shells, "To earn that again: 2d19h of a Quern 40", fixed = TRUE)
})

test_that("a table of rows is priced at the site named, and a bill without one is refused", {
  folder <- local_project()
  write.csv(data.frame(node = c("a", "b"), seconds = c(4000, 3700)), file.path(folder, "used.csv"),
            row.names = FALSE)
  x <- run_command_line(wd = folder, "bill", "used.csv", "--site", "quayside", "--format", "csv")
  expect_equal(sum(read.csv(text = x$stdout)$amount), 5.59)
  refused <- function(words, ...) {
    ran <- run_command_line(wd = folder, "bill", ...)
    expect_identical(ran$status, 2L)
    expect_match(ran$stderr, words)
  }
  refused("--site NAME", "used.csv")
  refused("gears-saltmill", "nothing")
  refused("names no usage")
  refused("no exchange rate", "used.csv", "--site", "quayside", "--to", "USD")
  refused("2026-10-01", "used.csv", "--site", "quayside", "--on", "today")
})
