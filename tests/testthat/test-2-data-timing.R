test_that("missing is NA, never zero", {
  f <- write_file(scratch(), "t.csv", "activity,status,kind,wall_s,load_s,frame",
                  "render,ok,typed,8.5,,1", "render,failed,typed,,NA,2")
  x <- clockpigeon:::read_timings_csv(f)
  expect_identical(x$wall_s, c(8.5, NA))
  expect_identical(x$load_s, c(NA_real_, NA_real_))
  expect_identical(names(x), names(clockpigeon:::timing_columns))
})

test_that("bad rows are refused, with row and column", {
  good <- data.frame(activity = "render", status = "ok", kind = "typed")
  for (bad in list(list(wall_s = -1, says = "wall_s -1"), list(status = "done", says = "timed_out"),
                   list(frame = 1.5, says = "whole number"),
                   list(wall_s = "8 s", says = "a number"),
                   list(activity = NA, says = "no activity"),
                   list(wall_s = Inf, says = "wall_s Inf"))) {
    row <- good
    row[[names(bad)[1]]] <- bad[[1]]
    expect_refusal(clockpigeon:::as_timings(row), "timing", c("row 1", bad$says))
  }
  expect_refusal(clockpigeon:::as_timings(cbind(good, wall_sec = 1)), "field",
                 c("wall_sec", "wall_s"))
})

test_that("the sample is as the model made it", {
  x <- example_timings()
  expect_setequal(unique(x$engine), c("sundew", "millrace"))
  expect_length(unique(x$device[is.na(x$site)]), 4)
  expect_setequal(unique(x$site[!is.na(x$site)]), c("attic", "quayside", "saltmill"))
  expect_setequal(unique(x$limit_kind), c("samples", "noise"))
  expect_true(any(x$status == "failed"))
})
