test_that("what sites tell is gathered by site and by frame", {
  columns <- data.frame(shot = "s", frame = 1:4)
  told <- function(...) {
    rows <- list(...)
    fill <- list(what = NA_character_, time = NA_real_, place = "far", shot = NA_character_,
                 frame = NA_integer_, amount = NA_real_, detail = NA_character_)
    do.call(rbind, lapply(rows, function(row) as.data.frame(utils::modifyList(fill, row))))
  }
  none <- clockpigeon:::site_states(told(list(what = "rendering", time = 1)), columns)
  expect_identical(none$ready, rep(Inf, 4))
  expect_null(none$sites)
  x <- clockpigeon:::site_states(told(
    list(what = "sent", time = 0, detail = "a"),
    list(what = "ready", time = 5, shot = "s", frame = 2L),
    list(what = "charged", time = 6, amount = 1.5), list(what = "charged", time = 7, amount = 0.25),
    list(what = "spoilt", time = 8, shot = "s", frame = 2L),
    list(what = "halted", time = 9, detail = "cap"),
    list(what = "unreached", time = 10, detail = "does not answer")
  ), columns)
  expect_identical(x$ready, c(Inf, 5, Inf, Inf))
  expect_identical(as.list(x$sites),
                   list(site = "far", charged = 1.75, halted_s = 9, halted_by = "cap",
                        silent_s = 10, trouble = "does not answer", spoilt = 1L, by_hand = FALSE,
                        other = NA_character_))
  # Sent again: it goes on. That all frames are done is no halt.
  more <- clockpigeon:::site_states(told(
    list(what = "sent", time = 0, detail = "a"), list(what = "halted", time = 9, detail = "cap"),
    list(what = "sent", time = 20, detail = "b"),
    list(what = "halted", time = 30, detail = "all frames")
  ), columns)
  expect_identical(more$sites$halted_s, NA_real_)
})

test_that("what was charged takes the place of the card's, the more the more is done", {
  cost <- c(8, 10, 12)
  weight <- c(1, 1, 2)
  none <- c(FALSE, FALSE, FALSE)
  expect_identical(clockpigeon:::charged_cost(cost, NA, weight, none), cost)
  expect_identical(clockpigeon:::charged_cost(cost, 0, weight, none), cost)
  # As the card says: nothing changes but that less is open.
  half <- clockpigeon:::charged_cost(cost, 5, weight, c(TRUE, TRUE, FALSE))
  expect_equal(mean(half), 10)
  expect_equal(diff(range(half)), 2)
  expect_equal(clockpigeon:::charged_cost(cost, 13, weight, c(TRUE, TRUE, TRUE)), rep(13, 3))
  dear <- mean(clockpigeon:::charged_cost(cost, 10, weight, c(TRUE, TRUE, FALSE)))
  expect_gt(dear, 17)
  expect_lt(dear, 20)
  expect_equal(clockpigeon:::charged_ratio(10, 10, 0.5), 11 / 6)
})
