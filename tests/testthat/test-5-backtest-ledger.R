test_that("complete shots, cells and limits are hidden and forecast, beside the habits", {
  set.seed(5)
  shot <- function(scene, limit, factor) {
    some_timings(factor * exp(0.4 * sin(1:60 / 9) + rnorm(60, 0, 0.03)), scene = scene,
                 frame = 1:60, limit_value = limit)
  }
  hall <- rbind(shot("hall", 64, 20), shot("hall", 4, 1), shot("loft", 64, 8))
  found <- backtest(hall, probes = 5)
  s <- summary(found)
  shots <- s[s$question == "the rest of a shot", ]
  expect_setequal(shots$method,
                  c("first frame times count", "even frames times count", "frame curve",
                    "frame curve with cheap pass"))
  off <- stats::setNames(shots$error, shots$method)
  expect_lt(off[["frame curve"]], off[["first frame times count"]])
  expect_true(all(is.na(shots$covered[grepl("count$", shots$method)])))
  # The truth is the sum, whatever the method.
  expect_equal(unique(found$true_s[grepl("hall .* 64", found$case)]), sum(hall$wall_s[1:60]),
               tolerance = 1e-9)
})

test_that("hidden cells are forecast from the others, and on the sample data errors are those of its model", {
  found <- backtest(example_timings(), most = 10)
  cells <- found[found$question == "other hardware" & found$method == "rig speeds", ]
  expect_identical(nrow(cells), 10L)
  expect_lt(mean(abs(cells$error)), 0.1)
  expect_gt(mean(cells$covered), 0.5)
  expect_output(print(found), "Other hardware: rig speeds off by")
})

test_that("a hidden limit is forecast by the fit", {
  rows <- some_timings(c(1.4, 2.6, 7.4), limit_value = c(4, 16, 64))  # 1 + 0.1 N
  found <- backtest(rows)
  expect_equal(found$forecast_s[found$method == "limit fit"], 7.4, tolerance = 1e-6)
  expect_equal(found$forecast_s[found$method == "in proportion to samples"], 4 * 2.6)
  expect_refusal(backtest(some_timings(1)), "backtest", "nothing that could be hidden")
})
