test_that("running checks itself; arguments of earlier releases warn", {
  expect_identical(running(version = "1.1", progress = FALSE)$version, "1.1")
  expect_refusal(running(progress = NA), "type", "progress")
  expect_refusal(running(time_limit = 0), "type", "time_limit")
  expect_refusal(cheap_pass(small_shot(), pebble(), memory_ledger(),
                            running = list(progres = FALSE)), "field",
                 c("`running`", "`progres`", "version, "))
  expect_warning(expect_refusal(probe_shot(small_shot(), pebble(), memory_ledger(), target = -1),
                                "type", "target"),
                 "give target in `probing`")
  expect_refusal(probe_limit(small_shot(), pebble(), memory_ledger(), versions = "1"), "field",
                 c("versions", "Did you mean `version`?"))
})
