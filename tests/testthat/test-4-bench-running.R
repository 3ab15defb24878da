test_that("running checks itself", {
  expect_identical(running(version = "1.1", progress = FALSE)$version, "1.1")
  expect_refusal(running(progress = NA), "type", "progress")
  expect_refusal(running(time_limit = 0), "type", "time_limit")
  expect_refusal(cheap_pass(small_shot(), pebble(), memory_ledger(),
                            running = list(progres = FALSE)), "field",
                 c("`running`", "`progres`", "version, "))
  expect_refusal(probe_shot(small_shot(), pebble(), memory_ledger(), list(target = -1)), "type",
                 "target")
})
