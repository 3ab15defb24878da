# Lines of a site's bill compared with its card and the job's records, to find what was overcharged.

# The share of each line that is in doubt for a reason of its own, one reason after another, so that
# none counts twice. `lines`: a data frame with `kind`, `item`, `quantity`, `unit`, `price`,
# `amount`, `node`, `began`, `ended`, `shot`, `frames` (numbers, as 1-12), one row a line. `facts`:
# a list of
#   `prices`: `unit`, `price` of the card as it was asked for (a row a bracket); `others`: `unit`,
#   `price`, `name` of its other tiers and classes;
#   `parts`: node-hours in one unit of each unit that goes by time, by its name (half an hour in a
#   device-hour of nodes with two devices);
#   `step_s`: of the card's meter, in seconds; `minimum` of a job or a month, and `node_minimum`,
#   what the card's own bill has up to the minimum of each node, in its currency;
#   `windows`: `node`, `from`, `to` (seconds since 1970) in which each node can have worked, or
#   NULL; `node_hours`: of all nodes at most, or NA;
#   `meter`: `unit`, `quantity` as the card meters what is known, or NULL where that is not all of
#   it; `delivered`: `shot`, `frame` that came, or whose runs failed where the card bills them, or
#   NULL; `billable`: frames the card may bill for; `spoilt`: `hours` of nodes that went into
#   `frames` which came back unusable, or NULL; `own_minimum`: of a job of several orders, the
#   minimums of the card's own bill; `digits`: of the minor unit.
#
# Returns `lines` with what is left of each (`left` of its amount, `left_q` of its quantity) and
# `findings`: `code`, `line` (its number, of `lines` the first; NA for several of a sum), `quantity`
# in doubt, `unit`, `known` (what it should be), `price`, `known_price`, `amount` in doubt.
bill_doubts <- function(lines, facts) {
  lines$left <- lines[["amount"]]
  lines$left_q <- ifelse(is.na(lines[["quantity"]]), 0, lines[["quantity"]])
  lines$paid <- ifelse(is.na(lines[["price"]]),
                       ifelse(lines$left_q == 0, NA, lines[["amount"]] / lines$left_q),
                       lines[["price"]])
  lines$other_tier <- FALSE
  lines$matched <- lines[["kind"]] == "usage" & lines[["unit"]] %in% facts$prices[["unit"]] &
    lines$left_q > 0
  x <- list(lines = lines, findings = NULL)
  for (doubt in list(doubt_duplicates, doubt_frames, doubt_sums, doubt_prices, doubt_windows,
                     doubt_meter, doubt_unusable)) {
    x <- doubt(x, facts)
  }
  found <- bind_tables(c(x$findings, list(unknown_lines(x$lines))))
  list(lines = x$lines,
       findings = if (is.null(found)) line_finding(character()) else as_frame(found))
}

line_finding <- function(code, line = NA_integer_, quantity = NA_real_, unit = NA_character_,
                         known = NA_real_, price = NA_real_, known_price = NA_real_,
                         amount = NA_real_, detail = NA_character_, lines = 1L) {
  if (!length(code))
    line <- quantity <- unit <- known <- price <- known_price <- amount <- detail <- lines <-
    logical()
  data.frame(code = code, line = as.integer(line), quantity = as.numeric(quantity),
             unit = as.character(unit), known = as.numeric(known), price = as.numeric(price),
             known_price = as.numeric(known_price), amount = as.numeric(amount),
             detail = as.character(detail), lines = as.integer(lines))
}

note_doubt <- function(x, found) {
  x$findings <- c(x$findings, list(found))
  x
}

# The least that is worth a finding: more than one minor unit, since both sides may have rounded.
is_worth_finding <- function(amount, facts) amount > 1.5 / 10^facts$digits

# A line that says the same as one before it, of the same node and moment, or of the same frame.
doubt_duplicates <- function(x, facts) {
  of <- x$lines
  key <- row_key(of, c("kind", "item", "quantity", "unit", "amount", "node", "began", "ended",
                       "shot", "frames"))
  named <- !is.na(of[["frames"]]) | !is.na(of[["began"]])
  twice <- which(duplicated(key) & named & of$left > 0 & of[["kind"]] == "usage")
  if (!length(twice)) return(x)
  first <- match(key[twice], key)
  x <- note_doubt(x, line_finding(rep("doubled", length(twice)), of[["line"]][twice],
                                  of[["quantity"]][twice], of[["unit"]][twice], of[["line"]][first],
                                  amount = of$left[twice]))
  x$lines$left[twice] <- 0
  x$lines$left_q[twice] <- 0
  x$lines$matched[twice] <- FALSE
  x
}

# Frames that are billed and never came: of lines that name theirs, those; of lines that count them,
# what is above what the card may bill.
doubt_frames <- function(x, facts) {
  if (is.null(facts$delivered)) return(x)
  of <- x$lines
  for (k in which(!is.na(of[["frames"]]) & of$left > 0 & of[["kind"]] == "usage")) {
    frames <- line_frames(of[["frames"]][k])
    there <- facts$delivered[is.na(of[["shot"]][k]) |
                             facts$delivered[["shot"]] %in% of[["shot"]][k], "frame"]
    lost <- setdiff(frames, there)
    if (!length(lost)) next
    share <- length(lost) / length(frames)
    x <- note_doubt(x, line_finding("undelivered", of[["line"]][k], of$left_q[k] * share,
                                    of[["unit"]][k], amount = of$left[k] * share,
                                    detail = format_frames(sort(lost))))
    x$lines$left[k] <- of$left[k] * (1 - share)
    x$lines$left_q[k] <- of$left_q[k] * (1 - share)
  }
  counted <- which(x$lines$matched & x$lines[["unit"]] == "frame" & is.na(of[["frames"]]))
  above <- sum(x$lines$left_q[counted]) - facts$billable
  if (length(counted) && above >= 0.5) {
    x <- take_quantity(x, counted, above, "undelivered", known = facts$billable)
  }
  x
}

line_frames <- function(text)
  tryCatch(parse_frames(text, "the bill"), clockpigeon_error = function(e) integer())

# A quantity off several lines, each losing the same share: one finding, at the price each asks.
take_quantity <- function(x, at, quantity, code, known) {
  q <- x$lines$left_q[at]
  share <- min(1, quantity / sum(q))
  amount <- sum(x$lines$left[at]) * share
  x <- note_doubt(x, line_finding(code, if (length(at) == 1) x$lines[["line"]][at] else NA,
                                  quantity, x$lines[["unit"]][at[1]], known, amount = amount))
  x$lines$left[at] <- x$lines$left[at] * (1 - share)
  x$lines$left_q[at] <- q * (1 - share)
  x
}

# A line whose amount is not what its own price and quantity come to.
doubt_sums <- function(x, facts) {
  # Checks that need neither prices nor meters.
  x$lines$before <- x$lines$left
  x$lines$before_q <- x$lines$left_q
  of <- x$lines
  said <- !is.na(of[["price"]]) & of$left_q > 0 & of[["kind"]] == "usage"
  more <- ifelse(said, of$left - of$left_q * of$paid, 0)
  for (k in which(is_worth_finding(more, facts))) {
    x <- note_doubt(x, line_finding("sum", of[["line"]][k], of$left_q[k], of[["unit"]][k],
                                    of$left_q[k] * of$paid[k], of$paid[k], amount = more[k]))
    x$lines$left[k] <- of$left[k] - more[k]
  }
  x
}

# Prices that are not the card's: one finding for all lines of one price. The price of another tier
# or class is named as such.
doubt_prices <- function(x, facts) {
  of <- x$lines
  x$lines$known_price <- NA_real_
  for (k in which(of$matched)) {
    known <- facts$prices[["price"]][facts$prices[["unit"]] == of[["unit"]][k]]
    x$lines$known_price[k] <- known[which.min(abs(known - of$paid[k]))]
  }
  more <- ifelse(of$matched, (of$paid - x$lines$known_price) * of$left_q, 0)
  # A price that is worked out of a rounded amount is only as good as that is.
  dearer <- more > ifelse(is.na(of[["price"]]), 1.5 / 10^facts$digits, 1e-9 + 1e-6 * of$left)
  said <- paste(of[["unit"]], signif(of$paid, 6), x$lines$known_price)
  for (at in split(which(dearer), said[dearer])) {
    if (!is_worth_finding(sum(more[at]), facts)) next
    k <- at[1]
    other <- facts$others[facts$others[["unit"]] == of[["unit"]][k] &
                            abs(facts$others[["price"]] / of$paid[k] - 1) < 0.002, "name"]
    x <- note_doubt(x, line_finding(if (length(other)) "tier" else "price", of[["line"]][k],
                                    sum(of$left_q[at]), of[["unit"]][k], price = of$paid[k],
                                    known_price = x$lines$known_price[k], amount = sum(more[at]),
                                    detail = or_else(other[1], NA), lines = length(at)))
    x$lines$left[at] <- of$left[at] - more[at]
    x$lines$other_tier[at] <- length(other) > 0
  }
  x
}

# Node time beyond the meter, of each node that lines name or of all nodes. Rounding up to the
# card's steps is correct, however long the runs were.
doubt_windows <- function(x, facts) {
  timed <- x$lines$matched & x$lines[["unit"]] %in% names(facts$parts) & x$lines$left_q > 0
  for (unit in unique(x$lines[["unit"]][timed])) {
    at <- which(timed & x$lines[["unit"]] == unit)
    hours <- facts$parts[[unit]]
    by_node <- length(facts$windows) && all(x$lines[["node"]][at] %in% facts$windows[["node"]])
    groups <- if (by_node) split(at, x$lines[["node"]][at]) else list(at)
    most <- if (by_node) node_windows(names(groups), facts) / hours else facts$node_hours / hours
    asked <- vapply(groups, function(group) sum(x$lines$left_q[group]), 0)
    above <- pmax(0, asked - most)
    metered <- facts$meter[["quantity"]][facts$meter[["unit"]] == unit]
    room <- if (length(metered)) max(0, sum(asked) - sum(metered)) else Inf
    above <- above * min(1, room / max(sum(above), 1e-12))
    for (k in which(is_worth_finding(above * x$lines$known_price[at[1]], facts))) {
      x <- take_quantity(x, groups[[k]], above[k], "beyond", asked[k] - above[k])
      if (by_node) x$findings[[length(x$findings)]]$detail <- names(groups)[k]
    }
  }
  x
}

# Hours in which each node can have worked, in the card's steps.
node_windows <- function(nodes, facts) {
  seconds <- tapply(facts$windows[["to"]] - facts$windows[["from"]], facts$windows[["node"]],
                    sum)[nodes]
  ceiling(seconds / facts$step_s) * facts$step_s / 3600
}

# More than the card meters of what is known, where all is known.
doubt_meter <- function(x, facts) {
  for (unit in unique(facts$meter[["unit"]])) {
    at <- which(x$lines$matched & x$lines[["unit"]] == unit & x$lines$left_q > 0)
    if (!length(at)) next
    known <- sum(facts$meter[["quantity"]][facts$meter[["unit"]] == unit])
    above <- sum(x$lines$left_q[at]) - known
    if (above > 0.002 * known && is_worth_finding(above * x$lines$known_price[at[1]], facts)) {
      x <- take_quantity(x, at, above, "meter", known)
    }
  }
  x
}

# Time spent on pictures that were delivered unusable, at the card's price.
doubt_unusable <- function(x, facts) {
  at <- which(x$lines$matched & x$lines[["unit"]] %in% names(facts$parts) & x$lines$left_q > 0)
  if (is.null(facts$spoilt) || !length(at)) return(x)
  unit <- x$lines[["unit"]][at[1]]
  at <- at[x$lines[["unit"]][at] == unit]
  quantity <- min(facts$spoilt$hours / facts$parts[[unit]], sum(x$lines$left_q[at]))
  if (!is_worth_finding(quantity * x$lines$known_price[at[1]], facts)) return(x)
  x <- take_quantity(x, at, quantity, "spoilt", NA_real_)
  x$findings[[length(x$findings)]]$detail <- facts$spoilt$frames
  x
}

# Lines of use that nothing on the card stands for: to be explained.
unknown_lines <- function(lines) {
  at <- which(lines[["kind"]] == "usage" & !lines$matched & lines$left > 0)
  line_finding(rep("unknown", length(at)), lines[["line"]][at], lines[["quantity"]][at],
               lines[["unit"]][at], price = lines$paid[at], amount = lines$left[at],
               detail = lines[["item"]][at])
}

# Tax, discounts and stated totals that differ from the card. `priced`: sums of the card's own bill
# by kind; `left`: the part of the lines that is not in doubt.
bill_doubt_sums <- function(lines, priced, facts, totals = numeric(), tax_rate = NA_real_) {
  sum_of <- function(kinds, column = "amount") sum(lines[[column]][lines[["kind"]] %in% kinds])
  undoubted <- sum_of(c("usage", "minimum"), "left")
  found <- list()
  off <- -priced[["discount"]] / max(priced[["usage"]], 1e-9)
  lacking <- off * sum_of("usage", "left") + sum_of("discount")
  if (off > 0 && is_worth_finding(lacking, facts)) {
    found <- c(found, list(line_finding("discount", known = off * sum_of("usage", "left"),
                                        quantity = -sum_of("discount"), amount = lacking)))
  } else lacking <- 0
  net <- undoubted + sum_of("discount") - lacking
  # A deduction from the use can fall to the minimum instead.
  taken <- sum_of(c("usage", "minimum")) - undoubted + lacking
  short <- min(facts$minimum - net, taken)
  over <- sum_of("minimum") - max(0, facts$minimum - (net - sum_of("minimum"))) - facts$node_minimum
  # Of several orders each has its own, as the card's bill of what was metered has them.
  if (length(facts$own_minimum)) {
    over <- sum_of("minimum") - facts$own_minimum
    short <- min(-over, taken)
  }
  if (taken > 0 && is_worth_finding(short, facts)) {
    found <- c(found, list(line_finding("minimum", known = facts$minimum, quantity = net,
                                        amount = -short)))
    net <- net + short
  } else if (facts$minimum >= 0 && is_worth_finding(over, facts)) {
    found <- c(found, list(line_finding("minimum", known = facts$minimum,
                                        quantity = sum_of("minimum"), amount = over)))
    net <- net - over
  }
  found <- c(found, list(doubt_tax(sum_of("tax"), tax_rate, net, facts)),
             lapply(totals, doubt_total, sum(lines[["amount"]]), facts))
  or_else(bind_tables(Filter(length, found)), line_finding(character()))
}

# Tax beyond the card's rate on the net amount; NULL where it is right, or no rate is known.
doubt_tax <- function(tax, rate, net, facts) {
  if (is.na(rate) || !is_worth_finding(tax - rate * net, facts)) return(NULL)
  line_finding("tax", known = rate * net, quantity = tax, amount = tax - rate * net, price = rate)
}

# A stated total that is not the sum of the lines.
doubt_total <- function(total, sum, facts) {
  if (!is_worth_finding(abs(total - sum), facts)) return(NULL)
  line_finding("total", quantity = total, known = sum, amount = total - sum)
}
