test_that("learned shows scores, and forecasts take them or leave them", {
  x <- rendered_job("prices=2")
  x$settle()
  withr::local_dir(x$folder)
  close_ledger(x$ledger)
  told <- run_cli("learned")
  expect_identical(told$status, 0L)
  expect_match(paste(told$out, collapse = " "), "1 job was settled")
  fixes <- utils::read.csv(text = run_cli("learned", "--list", "corrections", "--format",
                                          "csv")$out)
  expect_identical(names(fixes)[1:4], c("site", "tier", "known", "what"))
  ask <- c("forecast", "--shots", "gears-review", "--engine", "pebble", "--only",
           "saltmill,brisk,nodes=10", "--format", "csv", "--draws", "200")
  with <- utils::read.csv(text = do.call(run_cli, as.list(ask))$out)
  without <- utils::read.csv(text = do.call(run_cli, as.list(c(ask, "--as-is")))$out)
  expect_identical(dim(with), dim(without))
  expect_gt(sum(with$cost_p50 != without$cost_p50) + sum(with$finish_p50 != without$finish_p50), 0)
  expect_match(paste(run_cli("learned", "--list", "odd")$said, collapse = " "), "scores")
})
