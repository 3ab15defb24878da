test_that("a stand-in's clock goes on through a restart, at its speed", {
  folder <- scratch()
  wall <- 1000
  con <- clockpigeon:::open_farm_store(folder)
  now <- clockpigeon:::farm_clock(con, 60, function() wall)
  expect_equal(now(), 1000)
  wall <- 1010
  expect_equal(now(), 1600)
  DBI::dbDisconnect(con)
  con <- clockpigeon:::open_farm_store(folder)
  withr::defer(DBI::dbDisconnect(con))
  wall <- 1020
  expect_equal(clockpigeon:::farm_clock(con, 1, function() wall)(), 2200)
})

test_that("what is kept is kept once", {
  con <- clockpigeon:::open_farm_store(scratch())
  withr::defer(DBI::dbDisconnect(con))
  row <- list(job = "a", number = 1, event = "{}")
  clockpigeon:::store_put(con, "events", row)
  expect_error(clockpigeon:::store_put(con, "events", row), "UNIQUE")
  expect_identical(clockpigeon:::store_put(con, "events", row, "INSERT OR IGNORE"), 0L)
})
