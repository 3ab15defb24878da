# Two sites, one dear and fast, one cheap and slow, whose break-evens can be worked out by hand: 60
# frames of 10 s, on a node of speed 1 or 3, at 3.60 or 36 EUR an hour.
pair_choice <- function(...) pair_of_sites(..., draws = 20)

test_that("break-evens of deadline, budget, price, speed and waiting are those worked out by hand", {
  # slow: 600 s and 0.60 EUR; quick: 200 s and 2.00 EUR
  x <- pair_choice("700 s", 5)
  expect_identical(x$pick, "slow t, 1 node")
  b <- as.data.frame(break_even(x))
  row <- function(what, of) b[b$what == what & b$of == of, ]
  expect_equal(row("deadline", "")$at, 600)
  expect_identical(row("deadline", "")$wins, "quick t, 1 node")
  expect_equal(row("budget", "")$at, 0.6)
  expect_identical(row("budget", "")$wins, NA_character_)
  # slow as dear as quick: times 2.00 / 0.60; quick as cheap as slow: times 0.30
  expect_equal(row("price", "slow")$factor, 10 / 3, tolerance = 0.01)
  expect_equal(row("price", "quick")$factor, 0.3, tolerance = 0.02)
  # slow at 6/7 of its speed needs 700 s; quick at 10/3 of its own costs 0.60
  expect_equal(row("speed", "slow")$factor, 6 / 7, tolerance = 0.01)
  expect_equal(row("speed", "quick")$factor, 10 / 3, tolerance = 0.02)
  expect_equal(row("waiting", "slow")$at, 100, tolerance = 0.03)
})

test_that("a later deadline or larger budget at which another wins is told", {
  x <- pair_choice("300 s", 5)
  b <- as.data.frame(break_even(x, rivals = 0))
  expect_identical(x$pick, "quick t, 1 node")
  later <- b[b$what == "deadline" & b$direction == "more", ]
  expect_equal(later$at, 600)
  expect_identical(later$wins, "slow t, 1 node")
  none <- pair_choice("100 s", 5)
  expect_identical(none$pick, NA_character_)
  expect_equal(min(break_even(none)$at), 200, tolerance = 1e-4)
})

test_that("all of a card's prices are scaled, and nothing else", {
  project <- read_project(demo_file())
  usage <- data.frame(node = 1:2, activity = "render", seconds = c(4000, 9000), frames = c(3, 4),
                      megapixels = 2, gb = 1, days = 2, began = "2026-11-03 07:00")
  for (site in project$sites) {
    site$balances <- list()
    twice <- clockpigeon:::scaled_prices(site, 2)
    expect_equal(summary(bill(usage, twice))$to_pay, 2 * summary(bill(usage, site))$to_pay,
                 tolerance = 0.01, info = site$site)
  }
})
