test_that("differences of steps are whole minor units that add up, whatever the levels", {
  set.seed(2)
  for (currency in c("EUR", "JPY", "KWD", "shells")) {
    levels <- stats::setNames(cumsum(stats::runif(15, -9, 10)), letters[1:15])
    x <- clockpigeon:::step_table(levels, currency)
    digits <- clockpigeon:::minor_digits(currency)
    whole <- x$difference[-1] * 10^digits
    expect_equal(whole, round(whole))
    expect_identical(sum(round(whole)), round((x$after[15] - x$after[1]) * 10^digits))
    expect_lte(max(abs(x$after - levels)), 0.5 / 10^digits + 1e-9)
  }
})

test_that("reasons of a bill beyond the card's own add up to all of it", {
  set.seed(7)
  card <- read_site(demo_file("sites/saltmill.yaml"))
  for (turn in 1:30) {
    usage <- data.frame(node = sample(c("a", "b"), 6, TRUE), seconds = stats::runif(6, 10, 4000))
    priced <- as.data.frame(bill(usage, card))
    n <- 5
    lines <- data.frame(kind = sample(c("usage", "usage", "tax", "discount", "refund", "credit"), n,
                                      TRUE), item = "x",
                        quantity = stats::runif(n, 0, 3),
                        unit = sample(c("device-hour", "job", "odd"), n, TRUE),
                        price = sample(c(NA, 1.15, 1.4, 2.53), n, TRUE), node = "a",
                        began = sample(c("t", "u"), n, TRUE), ended = NA, shot = NA_character_,
                        frames = NA_character_, line = seq_len(n))
    lines$amount <- round(stats::runif(n, -1, 5), 2)
    facts <- list(prices = data.frame(unit = c("device-hour", "job"), price = c(1.15, 0.4)),
                  others = data.frame(unit = "device-hour", price = 2.53, name = "brisk"),
                  parts = list("device-hour" = 0.5),
                  step_s = 1, node_hours = NA, meter = priced[c("unit", "quantity")], digits = 2)
    x <- clockpigeon:::bill_doubts(lines, facts)
    gap <- clockpigeon:::bill_gap(x$lines, priced, x$findings, 2)
    expect_equal(sum(gap), sum(lines$amount) - sum(priced$amount))
    expect_false(anyNA(gap))
  }
})

test_that("each reason stands for what was changed", {
  card <- read_site(demo_file("sites/saltmill.yaml"))
  priced <- as.data.frame(bill(data.frame(node = "a", seconds = 7200), card))
  of <- function(quantity, price, kind = "usage", unit = "device-hour",
                 amount = round(quantity * price, 2)) {
    data.frame(kind = kind, item = "x", quantity = quantity, unit = unit, price = price,
               amount = amount, node = "a", began = "t", ended = NA, shot = NA_character_,
               frames = NA_character_)
  }
  gap <- function(lines, meter = TRUE) {
    lines$line <- seq_len(nrow(lines))
    facts <- list(prices = data.frame(unit = c("device-hour", "job"), price = c(1.15, 0.4)),
                  others = data.frame(unit = "device-hour", price = 2.53, name = "brisk"),
                  parts = list("device-hour" = 0.5),
                  step_s = 1, node_hours = NA, meter = if (meter) priced[c("unit", "quantity")],
                  digits = 2)
    x <- clockpigeon:::bill_doubts(lines, facts)
    out <- clockpigeon:::bill_gap(x$lines, priced, x$findings, 2)
    out[abs(out) > 1e-9]
  }
  fee <- of(1, 0.4, unit = "job")
  expect_length(gap(rbind(of(4, 1.15), fee)), 0)
  expect_equal(gap(rbind(of(4, 1.5), fee)), c(rate = 1.4))
  expect_equal(gap(rbind(of(4, 2.53), fee)), c("tier or class" = 5.52))
  expect_equal(gap(rbind(of(5, 1.15), fee)), c("use beyond the meter" = 1.15))
  expect_equal(gap(rbind(of(4, 1.15), of(4, 1.15), fee)), c("doubled lines" = 4.6))
  expect_equal(gap(rbind(of(4, 1.15), fee, of(NA, NA, "tax", NA, 1))), c(tax = 1))
  expect_equal(gap(rbind(of(4, 1.15), fee, of(NA, NA, "credit", NA, -2))), c(balances = -2))
  expect_equal(gap(rbind(of(4, 1.15), fee, of(1, 3, unit = "month"))), c(unexplained = 3))
  expect_equal(gap(rbind(of(4, 1.15, amount = 4.61), fee)), c(rounding = 0.01))
  expect_equal(gap(rbind(of(4, 1.5), of(1, 1.15), fee)),
               c("use beyond the meter" = 1.15, rate = 1.4))
})
