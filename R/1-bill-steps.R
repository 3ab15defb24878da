# From what was promised to what was billed, step by step: the differences add up exactly.

# Amounts after each step, as differences in whole minor units. `levels`: a named vector, the amount
# after each step, the first where it begins. Returns a data frame: `step`, `after` (rounded to the
# minor unit), `difference` (of the rounded amounts, so that they add up to the last less the
# first).
step_table <- function(levels, currency) {
  minor <- to_minor(unname(levels), currency)
  data.frame(step = names(levels), after = from_minor(minor, currency),
             difference = from_minor(c(NA, diff(minor)), currency))
}

# Excess of a bill over the card's own, by reason. `lines`: from bill_doubts(), with `known_price`;
# `priced`: the card's bill of the meter, as bill() gives it. Returns a named vector in the card's
# currency, whose sum is exactly the lines' total less the card's. The remainder without a reason is
# `unexplained`.
bill_gap <- function(lines, priced, findings, digits) {
  sum_of <- function(...) sum(lines[["amount"]][lines[["kind"]] %in% c(...)])
  own <- function(...) sum(priced[["amount"]][priced[["part"]] %in% c(...)])
  found <- function(...) sum(findings[["amount"]][findings[["code"]] %in% c(...)])
  lists <- priced[priced[["part"]] == "list", , drop = FALSE]
  units <- unique(c(lists[["unit"]], lines[["unit"]][lines$matched]))
  rate <- tier <- use <- rounding <- 0
  for (unit in units) {
    at <- which(lines$matched & lines[["unit"]] == unit)
    mine <- lists[lists[["unit"]] == unit, , drop = FALSE]
    quantity <- sum(mine[["quantity"]])
    one_price <- length(unique(mine[["price"]])) == 1
    price <- if (one_price) mine[["price"]][1] else if (quantity > 0) sum(mine[["amount"]]) /
      quantity else 0
    # Quantities before what is beyond the meter was taken off, after doubled lines and frames that
    # never came.
    q <- lines$before_q[at]
    away <- (lines$paid[at] - lines$known_price[at]) * q
    # A price worked out of an amount carries the amount's rounding.
    unsaid <- is.na(lines[["price"]][at]) & abs(away) <= 1.5 / 10^digits
    rounding <- rounding + sum(away[unsaid])
    away[unsaid] <- 0
    other <- lines$other_tier[at]
    rate <- rate + sum(away[!other])
    tier <- tier + sum(away[other])
    use <- use + sum(lines$known_price[at] * q) - price * quantity
    slack <- lines$before[at] - lines$paid[at] * q
    small <- abs(slack) <= 1.5 / 10^digits
    rounding <- rounding + sum(slack[small]) - (sum(mine[["amount"]]) - price * quantity)
  }
  gap <- c(
    "doubled lines" = found("doubled"), "frames that never came" = found("undelivered"),
    "use beyond the meter" = use, rate = rate, "tier or class" = tier,
    minimums = sum_of("minimum") - own("minimum"), rounding = rounding,
    discounts = sum_of("discount") - own("discount"), tax = sum_of("tax") - own("tax"),
    balances = sum_of("credit") - own("credit"), refunds = sum_of("refund")
  )
  c(gap, unexplained = sum(lines[["amount"]]) - sum(priced[["amount"]]) - sum(gap))
}
