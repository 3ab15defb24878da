facts_of <- function(...) {
  facts <- list(
    prices = data.frame(unit = c("node-hour", "frame"), price = c(2, 0.1)),
    others = data.frame(unit = "node-hour", price = c(4, 5), name = c("fast", "big")),
    parts = list("node-hour" = 1),
    windows = data.frame(node = c("a", "b"), from = 0, to = c(3600, 7200)), step_s = 1, minimum = 0,
    node_minimum = 0, node_hours = 3,
    meter = data.frame(unit = c("node-hour", "frame"), quantity = c(3, 10)),
    delivered = data.frame(shot = "s", frame = 1:10), billable = 10, digits = 2
  )
  over <- list(...)
  for (name in names(over)) facts[name] <- list(over[[name]])
  facts
}
lines_of <- function(...) {
  base <- data.frame(kind = "usage", item = "rendering", quantity = c(1, 2), unit = "node-hour",
                     price = 2, amount = c(2, 4), node = c("a", "b"), began = "t0", ended = "t1",
                     shot = NA_character_, frames = NA_character_)
  x <- rbind(base, ...)
  x$line <- seq_len(nrow(x))
  x
}
line <- function(...) utils::modifyList(lines_of()[1, -12], list(...))
found <- function(lines, facts = facts_of()) {
  f <- clockpigeon:::bill_doubts(lines, facts)$findings
  stats::setNames(round(f$amount, 6), f$code)
}

test_that("lines as the card and the meter have them are not in doubt", {
  expect_length(found(lines_of()), 0)
  expect_length(found(lines_of(line(unit = "frame", quantity = 10, price = 0.1, amount = 1))), 0)
  # Alike, but of another time: no doubling.
  half <- rbind(line(quantity = 0.5, amount = 1),
                line(quantity = 0.5, amount = 1, began = "t1", ended = "t2"))
  half <- rbind(half, lines_of()[2, -12])
  half$line <- 1:3
  expect_length(found(half), 0)
})

test_that("each doubt has its sum, and no amount counts twice", {
  expect_identical(found(lines_of(line())), c(doubled = 2))
  expect_identical(found(lines_of(line(unit = "frame", quantity = 12, price = 0.1, amount = 1.2))),
                   c(undelivered = 0.2))
  expect_identical(found(lines_of(line(unit = "frame", quantity = 2, price = 0.1, amount = 0.2,
                                       frames = "10-11"))),
                   c(undelivered = 0.1))
  dear <- lines_of()
  dear$price <- 2.5
  dear$amount <- dear$quantity * 2.5
  expect_identical(found(dear), c(price = 1.5))
  dear$price <- 4
  dear$amount <- dear$quantity * 4
  expect_identical(found(dear), c(tier = 6))
  dear$price <- NA
  expect_identical(found(dear), c(tier = 6))
  wrong <- lines_of()
  wrong$amount[1] <- 2.75
  expect_identical(found(wrong), c(sum = 0.75))
  long <- lines_of()
  long$quantity[1] <- 1.5
  long$amount[1] <- 3
  expect_identical(found(long), c(beyond = 1))
  # Without nodes the sum of all is what there was.
  long$node <- NA
  expect_identical(found(long, facts_of(windows = NULL)), c(beyond = 1))
  # Within what a node can have worked, and more than the runs took.
  expect_identical(found(lines_of(), facts_of(meter = data.frame(unit = "node-hour",
                                                                 quantity = 2.5))), c(meter = 1))
  expect_identical(found(lines_of(line(item = "care", unit = "month", price = 9, amount = 9))),
                   c(unknown = 9))
  # Dearer, longer and doubled at once: what is left is what is right.
  all <- lines_of(line())
  all$price <- 3
  all$quantity <- c(1.5, 2, 1.5)
  all$amount <- all$quantity * 3
  x <- clockpigeon:::bill_doubts(all, facts_of())
  expect_equal(sum(x$lines$left), 6)
  expect_equal(sum(x$findings$amount), sum(all$amount) - 6)
})

test_that("a card's steps make a window longer, and what the card meters is never beyond it", {
  long <- lines_of()
  long$quantity[1] <- 1.02
  long$amount[1] <- 2.04
  expect_identical(found(long), c(beyond = 0.04))
  expect_length(found(long, facts_of(step_s = 3600,
                                     windows = data.frame(node = c("a", "b"), from = 0,
                                                          to = c(3601, 7200)),
                                     meter = data.frame(unit = "node-hour", quantity = 3.02))), 0)
  expect_length(found(long, facts_of(meter = data.frame(unit = "node-hour", quantity = 3.02))), 0)
})

test_that("tax, discount, minimum and a stated total are held against what is due", {
  sums <- function(lines, ..., usage = 6, discount = 0, totals = numeric(), tax = NA,
                   facts = facts_of(...)) {
    x <- clockpigeon:::bill_doubts(lines, facts)$lines
    f <- clockpigeon:::bill_doubt_sums(x, list(usage = usage, discount = discount), facts, totals, tax)
    stats::setNames(round(f$amount, 6), f$code)
  }
  other <- function(kind, amount)
    line(kind = kind, item = kind, quantity = NA, unit = NA, price = NA, amount = amount)
  expect_length(sums(lines_of(other("tax", 1.2)), tax = 0.2), 0)
  expect_identical(sums(lines_of(other("tax", 1.5)), tax = 0.2), c(tax = 0.3))
  # Tax on what is in doubt is in doubt.
  expect_identical(sums(lines_of(line(), other("tax", 1.6)), tax = 0.2), c(tax = 0.4))
  expect_identical(sums(lines_of(), discount = -0.6), c(discount = 0.6))
  expect_length(sums(lines_of(other("discount", -0.6)), discount = -0.6), 0)
  expect_identical(sums(lines_of(), totals = c(7, 6)), c(total = 1))
  # A minimum takes back what is asked back below it.
  expect_identical(sums(lines_of(line()), minimum = 7), c(minimum = -1))
  expect_length(sums(lines_of(other("minimum", 1)), minimum = 7), 0)
  expect_identical(sums(lines_of(other("minimum", 3)), minimum = 7), c(minimum = 2))
})
