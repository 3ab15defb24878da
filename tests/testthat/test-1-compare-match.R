test_that("the columns of a cell are all of a setting but the factor and what follows from it", {
  expect_setequal(c(clockpigeon:::cell_columns("device"), "device", "node", "capacity", "site",
                    "tier"),
                  clockpigeon:::setting_columns)
  expect_true("device" %in% clockpigeon:::cell_columns("engine_version"))
})

test_that("differences name what shares no value, or anything that is not the same", {
  x <- rbind(some_timings(1:2, threads = 1:2, device = "a"),
             some_timings(3:4, threads = 2:3, device = "b"))
  x$level <- rep(c("old", "new"), each = 2)
  expect_named(clockpigeon:::factor_pairs(x, "engine", "old", "new"), "device")
  expect_setequal(names(clockpigeon:::factor_pairs(x, "engine", "old", "new", any = TRUE)),
                  c("device", "threads"))
})

test_that("the k-th run of a cell is paired with the k-th of its partner, as a plain loop does", {
  set.seed(8)
  x <- some_timings(exp(rnorm(60)), frame = sample(1:3, 60, TRUE),
                    engine_version = sample(c("1", "2", "10"), 60, TRUE))
  runs <- clockpigeon:::as_runs(x)
  s <- runs$settings
  s$level <- s$engine_version
  s$context <- "e"
  found <- clockpigeon:::match_cells("e", s, runs, clockpigeon:::cell_columns("engine_version"))
  for (m in lapply(found, `[[`, "rows")) {
    for (f in unique(m$frame)) {
      old <- x$wall_s[x$frame == f & x$engine_version == "1"]
      new <- x$wall_s[x$frame == f & x$engine_version == m$new[1]]
      n <- min(length(old), length(new))
      expect_identical(m$old_s[m$frame == f], old[seq_len(n)])
      expect_identical(m$new_s[m$frame == f], new[seq_len(n)])
    }
    expect_identical(m$alone[1], sum(x$engine_version %in% c("1", m$new[1])) - 2L * nrow(m))
  }
  expect_identical(vapply(found, function(m) m$rows$new[1], ""), c("2", "10"))
})

test_that("rows agree exactly when their numbers do, which count up as rows first occur", {
  codes <- function(x, columns = names(x)) clockpigeon:::row_codes(x, columns)
  set.seed(4)
  n <- 3000
  x <- data.frame(text = sample(c("a", "b", "", NA, "\u00e9"), n, TRUE),
                  whole = sample(c(1:40, NA), n, TRUE),
                  number = sample(c(0, -0, 1e-300, NA, NaN, Inf, 2.5), n, TRUE),
                  flag = sample(c(TRUE, FALSE, NA), n, TRUE))
  key <- clockpigeon:::row_key(transform(x, number = ifelse(is.nan(number), NA, number + 0)),
                               names(x))
  expect_identical(codes(x), match(key, unique(key)))
  expect_identical(codes(x, "whole"), match(x$whole, unique(x$whole)))
  expect_identical(codes(x, character()), rep(1L, n))
  expect_identical(codes(x[0, ]), integer())
  latin <- data.frame(text = c("\u00e9", iconv("\u00e9", "UTF-8", "latin1")))
  expect_identical(codes(latin), c(1L, 1L))
  expect_error(codes(list2DF(list(bad = list(1, 2)))), "neither text, number nor flag")
})
