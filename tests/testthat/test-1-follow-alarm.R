test_that("alarms are ranked by their level, then by how long something can be done", {
  row <- clockpigeon:::new_alarm
  found <- rbind(row("a", "note", NA, "", ""), row("b", "now", NA, "", ""),
                 row("c", "soon", NA, "", "", 50), row("d", "now", NA, "", "", 20),
                 row("e", "now", NA, "", "", 10))
  expect_identical(clockpigeon:::ranked_alarms(found)$code, c("e", "d", "b", "c", "a"))
  none <- clockpigeon:::ranked_alarms(NULL)
  expect_identical(dim(none), c(0L, 6L))
  expect_identical(names(none), names(found))
})
