test_that("the ratio is old over new, with the paired t interval", {
  old <- c(10, 12, 9, 11)
  new <- c(5, 6.2, 4.4, 5.7)
  x <- compare_timings(two_versions(old, new), by = "engine_version")
  truth <- t.test(log(old), log(new), paired = TRUE)
  expect_equal(log(x$ratio), unname(truth$estimate))
  expect_equal(log(c(x$lower, x$upper)), as.numeric(truth$conf.int))
  expect_identical(x$verdict, "faster")
  expect_equal(x$time_saved, 1 - 1 / x$ratio)
  expect_identical(x$pairs, 4L)
})

test_that("versions are ordered by number, not as text", {
  expect_identical(clockpigeon:::order_levels(c("1.10", "1.9", "1.2.1", "1.2")),
                   c("1.2", "1.2.1", "1.9", "1.10"))
  expect_identical(clockpigeon:::order_levels(c("samples 512", "samples 64", "noise 0.02")),
                   c("noise 0.02", "samples 64", "samples 512"))
  x <- rbind(some_timings(c(2, 2.1), engine_version = "1.10"),
             some_timings(c(4, 4.1), engine_version = "1.9"))
  expect_identical(compare_timings(x, "engine_version")$old, "1.9")
})

test_that("a slower version is listed first and called slower", {
  a <- two_versions(c(10, 11, 10.5), c(5, 5.4, 5.2), scene = "good")
  b <- two_versions(c(10, 11, 10.5), c(20, 21.5, 21), scene = "bad")
  x <- compare_timings(rbind(a, b), "engine_version")
  expect_identical(x$scene, c("bad", "good", "all scenes", "all scenes"))
  expect_identical(x$verdict[1:2], c("slower", "faster"))
  expect_equal(x$ratio[x$basis == "geometric mean"], sqrt(prod(x$ratio[1:2])))
  expect_equal(x$ratio[x$basis == "total work"],
               sum(10, 11, 10.5, 10, 11, 10.5) / sum(5, 5.4, 5.2, 20, 21.5, 21))
})

test_that("a difference that is clear but too small to matter is no clear difference", {
  old <- c(100, 100.1, 99.9, 100)
  expect_identical(compare_timings(two_versions(old, old / 1.01), "engine_version")$verdict,
                   "no clear difference")
  expect_identical(compare_timings(two_versions(old, old / 1.01), "engine_version",
                                   smallest = 0.005)$verdict, "faster")
})

test_that("a single run has no interval, no verdict, and says so", {
  x <- compare_timings(two_versions(10, 5), "engine_version")
  expect_true(is.na(x$lower))
  expect_identical(x$verdict, "no clear difference")
  expect_match(x$note, "single run")
})

test_that("warm-up, failed and partnerless timings stay out, and the last are counted", {
  x <- rbind(two_versions(c(10, 11), c(5, 5.5)),
             some_timings(99, engine_version = "1.1", "repeat" = 0L),
             some_timings(99, engine_version = "1.1", status = "failed"),
             some_timings(7, engine_version = "1.1", scene = "other"))
  out <- compare_timings(x, "engine_version")
  expect_equal(out$ratio, 2)
  expect_identical(out$pairs, 2L)
  expect_identical(out$note, "left out: 1 timing without a partner")
})

test_that("timings that do not say the factor are left out and counted, not taken for a level", {
  x <- rbind(some_timings(c(10, 11), site = "quay"), some_timings(c(5, 5.5), site = "mill"),
             some_timings(7:9))
  out <- compare_timings(x, "site")
  expect_identical(c(out$old, out$new), c("mill", "quay"))
  expect_identical(out$note, "left out: 3 timings without a site")
  expect_refusal(compare_timings(x, "threads"), "compare", "no timing says its threads")
  on <- some_timings(c(10, 11), features = "{\"denoise\":true}")
  expect_identical(compare_timings(rbind(x[6:7, ], on), "features")$old, "none")
})

test_that("sets that differ in more than the factor are refused, and what differs is named", {
  x <- rbind(some_timings(10, engine_version = "1.0", device = "a", limit_value = 64),
             some_timings(5, engine_version = "1.1", device = "b"))
  expect_refusal(compare_timings(x, "engine_version"), "compare",
                 c("device (a against b)", "limit_value"))
  expect_refusal(compare_timings(some_timings(1:3), "engine_version"), "compare",
                 "one engine version, 1.0")
  expect_refusal(compare_timings(some_timings(1, status = "failed"), "engine_version"), "compare",
                 "no finished render")
  expect_refusal(compare_timings(some_timings(1), "colour"), "choice")
  expect_refusal(compare_timings(data.frame(a = 1), "engine"), "columns")
})

test_that("what differs can be compared across, and each difference is said", {
  x <- rbind(some_timings(c(10, 11), engine_version = "1.0", device = "a"),
             some_timings(c(5, 5.5), engine_version = "1.1", device = "b"))
  expect_refusal(compare_timings(x, "engine_version"), "compare", "--across")
  out <- compare_timings(x, "engine_version", across = TRUE)
  expect_equal(out$ratio, 2)
  expect_match(out$note, "not alike, compared across device (a against b)", fixed = TRUE)
})

test_that("the user's mix weighs the mean frame of each scene", {
  x <- rbind(two_versions(c(10, 10), c(5, 5), scene = "a"),
             two_versions(c(20, 20), c(40, 40), scene = "b"),
             two_versions(c(1, 1), c(1, 1), scene = "c"))
  mix <- compare_timings(x, "engine_version", weights = c(a = 3, b = 1))
  expect_equal(mix$ratio[mix$basis == "own mix"], (3 * 10 + 20) / (3 * 5 + 40))
  expect_refusal(compare_timings(x, "engine_version", weights = c(d = 1)), "choice", "a, b or c")
  expect_refusal(compare_timings(x, "engine_version", weights = 1:2), "type")
})

test_that("one cell far from all others is named", {
  old <- 10 + (1:8) / 100
  x <- two_versions(old, old / c(2, 2.05, 1.95, 2, 2.02, 1.98, 2, 9), frame = 1:8)
  expect_match(compare_timings(x, "engine_version")$note,
               "1 pair far from the others (s frame 8: 9, median 2)",
               fixed = TRUE)
  expect_identical(compare_timings(x[-c(8, 16), ], "engine_version")$note, "")
})

test_that("unequal work is said", {
  x <- two_versions(c(10, 11), c(10, 11), limit_kind = "time", limit_value = 10)
  x$samples_done <- c(20, 20, 30, 31)
  expect_identical(compare_timings(x, "engine_version")$note,
                   "unequal work: 20 samples against 30.5")
  x$samples_done <- 20
  expect_identical(compare_timings(x, "engine_version")$note, "")
})

test_that("frames per minute and ms per frame go with the seconds", {
  x <- compare_timings(two_versions(c(10, 10), c(4, 4)), "engine_version")
  expect_equal(c(x$old_ms, x$new_ms, x$old_per_min, x$new_per_min), c(10000, 4000, 6, 15))
})

test_that("the sample's written-down model is found again", {
  x <- example_timings()
  by_version <- compare_timings(x[x$engine == "sundew", ], "engine_version")
  expect_equal(by_version$ratio[by_version$basis == "geometric mean"], 1.30, tolerance = 0.04)
  expect_match(by_version$note[1], "sample data")
  by_device <- compare_timings(x[x$engine == "sundew" & is.na(x$site), ], "device")
  found <- by_device$ratio[by_device$basis == "geometric mean"]
  names(found) <- by_device$new[by_device$basis == "geometric mean"]
  # Against Fathom 6 (first by name): compute is faster by these factors; the load, which no device
  # speeds up, takes a little off.
  expect_equal(found[["Fathom 12"]], 1.35 * 1.5, tolerance = 0.1)
  expect_equal(found[["Quern 80"]], 1.35 * 1.9, tolerance = 0.12)
  no_change <- compare_timings(x[x$engine == "millrace", ], "engine_version")
  expect_identical(unique(no_change$verdict[no_change$scene == "all scenes"]),
                   "no clear difference")
})

test_that("the engines' own count of work stands beside the seconds", {
  x <- rbind(some_timings(c(4, 4.1, 4.2), work = 1000, node = "a"),
             some_timings(c(2, 2.1, 2.2), work = 500, node = "b"))
  found <- compare_timings(x, "node")
  expect_equal(found$work_ratio[1], 2)
  expect_match(found$note[1], "the new did 0.5 times the work")
  x$work <- 1000
  expect_match(compare_timings(x, "node")$note[1], "both did the same work")
  x$work[1] <- NA
  expect_equal(compare_timings(x, "node")$work_ratio[1], 1)
  x$work <- NA_real_
  expect_identical(compare_timings(x, "node")$work_ratio[1], NA_real_)
  ledger <- memory_ledger()
  x$work <- rep(c(30, 10), each = 3)
  add_timings(ledger, x)
  expect_equal(compare_timings(ledger, "node")$work_ratio[1], 3)
})
