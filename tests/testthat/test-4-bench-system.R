test_that("without /proc the system's package tells the same, near enough", {
  none <- "/no/such/folder"
  skip_if_not(dir.exists("/proc/self"))
  near <- function(a, b, within) expect_lt(abs(log(a / b)), within)
  near(clockpigeon:::machine_cpu_s(none), clockpigeon:::machine_cpu_s(), 0.2)
  expect_identical(clockpigeon:::machine_facts(none)$memory_mb,
                   clockpigeon:::machine_facts()$memory_mb)
  expect_equal(clockpigeon:::load_average(none), clockpigeon:::load_average(), tolerance = 0.5)
  own <- clockpigeon:::process_cpu_s(none)
  expect_true(paste(Sys.getpid()) %in% own$pid)
  watch <- watch_machine(none)
  expect_false(is.na(watch(1, 0)$busy))
  expect_gt(clockpigeon:::disk_free_mb(tempdir()), 1)
})

test_that("where a system does not tell, the answer is NA and no error", {
  expect_identical(clockpigeon:::try_or(stop("no")), NA_real_)
  expect_true(is.na(clockpigeon:::disk_free_mb("/no/such/folder")))
  local_value("system_cpu_s", function() NA_real_)
  seen <- watch_machine("/no/such/folder")(1, 0)
  expect_true(is.na(seen$busy))
})
