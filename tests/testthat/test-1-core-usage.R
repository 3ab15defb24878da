whole <- function(...) clockpigeon:::whole_usage(data.frame(...), list(devices = 2L, cores = 1L, score = 1, watts = 0))

test_that("a usage becomes whole numbers, with the card's weights where it has none", {
  x <- whole(node = c("a", "b", "a"), seconds = c(0.0014, 1.5, NA), frames = c(1, 2, 3), megapixels = 0.5, gb = 0.25,
             days = c(0, 2, 0), score = c(1.25, NA, 1.25))
  expect_identical(x$ms, c(1, 1500, 0))
  expect_identical(x$frame_pixels, c(5e5, 1e6, 1.5e6))
  expect_identical(x$byte_days, c(0, 5e8, 0))
  expect_identical(x$score, c(1250, 1000, 1250))
  expect_identical(x$devices, c(2, 2, 2))
  expect_identical(x$node, c(1L, 2L, 1L))
  expect_identical(clockpigeon:::usage_activities[x$activity], rep("render", 3))
})

test_that("what is no amount is refused by its column", {
  expect_refusal(whole(seconds = "5"), "type", "column `seconds`")
  expect_refusal(whole(seconds = Inf), "type", "column `seconds`")
  expect_refusal(whole(frames = 1.5), "type", "whole numbers")
  expect_refusal(whole(gb = 1e9), "type", "column `gb`")
  expect_refusal(whole(seconds = 1, status = "done"), "choice", "column `status`")
})
