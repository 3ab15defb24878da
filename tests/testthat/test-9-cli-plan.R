test_that("a plan is typed, or a plan's file with fields typed anew", {
  folder <- local_project(sample = FALSE)
  plan <- function(...) {
    ran <- run_command_line("bench", ..., "--dry-run", "--format", "csv", wd = folder)
    if (ran$status != 0) return(ran$stderr)
    read.csv(text = ran$stdout)
  }
  typed <- plan("--shots", "gears-review", "--engines", "pebble 1.0", "--frames", "1,5", "--limits",
                "1,4,noise 20%", "--sizes", "32x18,64x36", "--threads", "1,2", "--repeats", "1")
  main <- typed[typed$repeat. > 0, ]
  expect_identical(nrow(main), 2L * 3L * 2L * 2L)
  expect_setequal(main$samples, c(1, 4, NA))
  expect_identical(unique(main$version), 1)
  over <- plan("review", "--repeats", "1")
  expect_identical(nrow(over[over$repeat. > 0, ]), 18L)
  expect_match(plan("--limits", "noise"), "option --limits")
  expect_match(plan("--shots", "nobody"), "nobody")
  expect_match(plan("--devices", "card 1"), "gpu 0+1", fixed = TRUE)
  expect_match(run_command_line("bench", "--resume", "--repeats", "2", wd = folder)$stderr,
               "Leave one of the two out")
})
