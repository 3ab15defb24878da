test_that("faults are read as they are written", {
  x <- clockpigeon:::parse_faults(
    paste("freeze=2@5min:1h, slow=3:2.5, lose=1@90s, fail=5%, cut=0.25, skew=-1h,",
          "late-cap=20min, prices=1.3, version=1.0"))
  expect_identical(x$freeze, data.frame(node = 2L, at_s = 300, value = 3600))
  expect_identical(x$slow, data.frame(node = 3L, at_s = 0, value = 2.5))
  expect_identical(x$lose$at_s, 90)
  expect_identical(x[c("fail", "cut", "skew", "late-cap", "prices", "version")],
                   list(fail = 0.05, cut = 0.25, skew = -3600, "late-cap" = 1200, prices = 1.3,
                        version = "1.0"))
  expect_identical(nrow(clockpigeon:::parse_faults("slow=1:2,slow=2:3")$slow), 2L)
  expect_identical(clockpigeon:::parse_faults(NULL), list())
})

test_that("what is no fault is refused with how to write it", {
  refused <- function(text, topic, says)
    expect_refusal(clockpigeon:::parse_faults(text), topic, says)
  refused("explode=1", "choice", "explode")
  refused("freeze=all", "usage", "freeze=2@5min:1h")
  refused("slow=1:-2", "usage", "slow=3@5min:2.5")
  refused("fail=150%", "usage", "fail=5%")
  refused("fail", "usage", "fail=5%")
  refused("prices=0", "usage", "prices=1.3")
  refused("version=", "usage", "version=1.0")
  refused("late-cap=", "usage", "late-cap=20min")
  refused("wait=soon", "duration", "soon")
})

test_that("a share happens as often as it says, and the same at the same thing", {
  happens <- function(share, n = 4000) {
    mean(vapply(seq_len(n), function(k)
                clockpigeon:::fault_happens(list(fail = share), "fail", 1, k), NA))
  }
  for (share in c(0, 0.05, 0.5, 1))
    expect_lt(abs(happens(share) - share), 4 * sqrt(share * (1 - share) / 4000) + 1e-9)
  one <- function(seed)
    vapply(1:50, function(k) clockpigeon:::fault_happens(list(cut = 0.3), "cut", seed, k), NA)
  expect_identical(one(1), one(1))
  expect_false(identical(one(1), one(2)))
})
