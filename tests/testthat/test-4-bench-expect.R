test_that("expected times come from the same setting, else the same shot, else are unknown", {
  plan <- plan_bench(small_shot(), pebble(), versions = list(pebble = "1.1"), frames = c(1, 2),
                     repeats = 1, limits = list(list(samples = 2), list(samples = 4)),
                     options = bench_options(warmups = 0))
  known <- some_timings(c(3, 5, 100), scene = "gears", engine = "pebble",
                        engine_version = c("1.1", "1.1", "1.0"), limit_value = 2, width = 32L,
                        height = 18L)
  x <- expected_trials(plan, known)
  x <- x[order(x$samples, x$frame), ]
  expect_equal(x$expected_s, c(4, 4, NA, NA))
  expect_identical(x$basis, c("same setting", "same shot", "unknown", "unknown"))
  expect_true(all(is.na(expected_trials(plan, known[0, ])$expected_s)))
  expect_refusal(expected_trials(known, known), "type")
})

test_that("a dry run lists trials and total, and runs nothing", {
  folder <- local_project()
  before <- tools::md5sum(file.path(folder, "ledger.sqlite"))
  shown <- run_command_line("bench", "--dry-run", wd = folder)
  expect_identical(shown$status, 0L)
  expect_match(shown$stdout, "38 trials, of unknown time.*nothing was run.*and 8 more")
  rows <- run_command_line("bench", "--dry-run", "--format", "csv", wd = folder)$stdout
  expect_identical(nrow(read.csv(text = rows)), 38L)
  expect_identical(tools::md5sum(file.path(folder, "ledger.sqlite")), before)
})
