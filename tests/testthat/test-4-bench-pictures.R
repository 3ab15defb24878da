test_that("releases that render the same are told the same, and one that does not is found", {
  ledger <- memory_ledger()
  folder <- scratch()
  plan <- plan_bench(small_shot(size = c(width = 96L, height = 54L)), pebble(), frames = c(1, 300),
                     repeats = 1, limits = list(list(samples = 4)),
                     options = bench_options(warmups = 0,
                                             cross = factor_grid(seeds = 1)))
  rows <- run_bench(plan, ledger, keep = folder, progress = FALSE)
  x <- matched_pictures(rows, "engine_version")
  expect_identical(x$frame, c(1L, 300L))
  expect_identical(unique(x$old), "1.0")
  expect_true(all(x$verdict %in% c("same picture", "same but for noise")))
  wrong <- rows$output[rows$engine_version == "1.1" & rows$frame == 300]
  file.copy(rows$output[rows$engine_version == "1.1" & rows$frame == 1], wrong, overwrite = TRUE)
  expect_identical(matched_pictures(rows)$verdict[2], "different")
  expect_output(cat(clockpigeon:::picture_check_lines(matched_pictures(rows)), sep = "\n"),
                "different: gears frame 300")
  unlink(folder, recursive = TRUE)
  expect_identical(nrow(matched_pictures(rows)), 0L)
  expect_refusal(matched_pictures(rows, "limit"), "choice")
})
