test_that("the columns of a cell are all of a setting but the factor and what follows from it", {
  expect_setequal(c(clockpigeon:::cell_columns("device"), "device", "node", "capacity", "site", "tier"),
                  clockpigeon:::setting_columns)
  expect_true("device" %in% clockpigeon:::cell_columns("engine_version"))
})

test_that("differences name what shares no value, or anything that is not the same", {
  x <- rbind(some_timings(1:2, threads = 1:2, device = "a"), some_timings(3:4, threads = 2:3, device = "b"))
  x$level <- rep(c("old", "new"), each = 2)
  expect_named(clockpigeon:::differences(x, "engine", "old", "new"), "device")
  expect_setequal(names(clockpigeon:::differences(x, "engine", "old", "new", any = TRUE)), c("device", "threads"))
})
