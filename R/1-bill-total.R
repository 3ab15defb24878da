# The bill: what a site charges for what was used. Whole numbers inside, one rounding a line.

#' The bill of a job at a site
#'
#' Prices a usage by a rate card, line by line, exactly: inside stand whole numbers (milliseconds,
#' bytes, minor units of money), and each line is rounded once, a half up. In this order: what each
#' charge of the card comes to (list price), the minimum of a node, discounts off the list price,
#' the minimum of the job and of the month, tax, and balances used.
#'
#' @param usage A data frame, one row for each stretch of use, or what `read_usage()` returns.
#'   Columns, each of which may be absent: `node`; `activity` (`render` when absent; also `prepass`,
#'   `load`, `start`, `upload`, `download`, `storage`, `idle`, ...); `status` of its frames (`ok`);
#'   `seconds`; `frames`; `megapixels` of a frame; `devices`, `cores`, `score` and `watts` of the
#'   node (the card's when absent); `gb` moved or stored, and `days` of storage; `began`, the local
#'   time (`2026-11-03 22:00`), where the card charges by the hour of the day; `own`, true for
#'   frames that a member's own machines rendered.
#' @param rate_card A site as [read_site()] returns it.
#' @param tier,hire Tier and hire class of the site; the first when `NULL`.
#' @param engine Engine, for discounts on one.
#' @param on Date of the bill, or a moment (the day in the site's time zone counts), for discounts
#'   and balances that end; no date, no end.
#' @param this_month What this month has seen before: `list(quantity = , amount = )`, in the unit
#'   and currency of the card's price; volume brackets and the minimum of a month go on from there.
#' @param to Currency to show the amounts in as well: a list of `currency`, its ISO 4217 code, and
#'   `rates`, exchange rates as in `read_project()$rates`; or the code alone, which does for a
#'   site's own unit of stated worth.
#' @return A tibble of class `cp_bill`, one row a line: `part` (`list`, `minimum`, `discount`,
#'   `tax`, `credit`), `item`, `rule` (of the card), `quantity`, `unit`, `price` (of a unit),
#'   `amount`, `currency`; with `to` also `converted`, `converted_currency`, `rate`, `rate_date`.
#'   The sum of `amount` is exactly the amount left to pay. `summary()` gives `list`, `minimum`,
#'   `discount`, `tax`, `credit` and `to_pay`. `site` and `doubts` say whose card it is and what is
#'   doubtful about it (`NA` for nothing).
#' @section Conditions: `clockpigeon_error_columns`, `clockpigeon_error_type` or
#'   `clockpigeon_error_choice` for a usage that cannot be read, or of which something is not known
#'   (`NA`) that the card charges for, `clockpigeon_error_rates` when an exchange rate is missing.
#' @examples
#' site <- read_site(demo_file("sites/quayside.yaml"))
#' bill(data.frame(node = c("a", "b"), seconds = c(4000, 3700)), site)
#' @export
bill <- function(usage, rate_card, tier = NULL, hire = NULL, engine = NA_character_, on = NULL,
                 this_month = NULL, to = NULL) {
  if (is.character(to)) to <- list(currency = to)
  if (length(to)) to <- option_object(to, "to", in_currency, "cp_in_currency")
  check_class(rate_card, argument("rate_card"), "cp_site", "read_site()")
  if (inherits(usage, "cp_usage")) {
    tier <- first_of(tier, usage$tier)
    hire <- first_of(hire, usage$hire)
    engine <- first_of(if (!is.na(engine)) engine, usage$engine, NA_character_)
    on <- first_of(on, usage$on)
    this_month <- first_of(this_month, usage$this_month)
    if (length(usage$month_currency) && usage$month_currency != rate_card$currency) {
      stop_input("currency", paste0("is in ", usage$month_currency, ", the card in ",
                                    rate_card$currency),
                 "field `this_month` of the usage", paste0("Write it in ", rate_card$currency, "."))
    }
    usage <- usage$rows
  }
  check_columns(usage, argument("usage"), character())
  odd <- setdiff(names(usage), c(usage_columns, "usage"))
  if (length(odd) || !length(intersect(names(usage), c("seconds", "frames", "gb")))) {
    stop_input("columns", if (length(odd)) paste("has a column",
                                                 show_value(odd[1])) else
               "has neither seconds, frames nor gb",
               argument("usage"), paste0("Columns are ", toString(usage_columns), "."))
  }
  if (length(tier)) check_choice(tier, argument("tier"), vapply(rate_card$tiers, `[[`, "", "tier"))
  if (length(hire)) check_choice(hire, argument("hire"), vapply(rate_card$hires, `[[`, "", "hire"))
  tariff <- tariff_of(rate_card, tier, hire, engine, on)
  u <- whole_usage(usage, tariff$defaults, tariff$zone)
  lines <- bill_lines(u, tariff, billed_statuses(rate_card), month_before(this_month, tariff))
  finish_bill(lines, tariff, rate_card, on, to)
}

new_in_currency <- record_type("cp_in_currency", currency = is.character,
                               rates = maybe(is.data.frame))

# The currency that amounts are shown in as well, checked.
in_currency <- function(currency, rates = NULL) {
  new_in_currency(list(currency = check_currency(currency, argument("to")), rates = rates))
}

# The month's earlier use, in counted units of the first charge and in minor units.
month_before <- function(this_month, tariff) {
  if (is.null(this_month)) return(list(counted = 0, minor = 0))
  list(counted = round(first_of(this_month$quantity, 0) * tariff$charges[[1]]$scale),
       minor = round(first_of(this_month$amount, 0) * 10^minor_digits(tariff$currency)))
}

bill_line <- function(part, item, minor, rule = NA_character_, quantity = NA_real_,
                      unit = NA_character_, price = NA_real_) {
  list(part = part, item = item, rule = rule, quantity = quantity, unit = unit, price = price,
       minor = minor)
}

minor_sum <- function(lines) sum(vapply(lines, `[[`, 0, "minor"))

# All lines of a bill, as a list, in the order in which they follow from each other.
bill_lines <- function(u, tariff, statuses, before) {
  values <- lapply(tariff$charges,
                   function(charge) charged_values(u, charge, statuses, tariff$zone))
  priced <- Map(function(charge, value, i)
                charge_rows(u, charge, value, if (i == 1) before$counted else 0),
                tariff$charges, values, seq_along(values))
  list_minor <- vapply(priced, minor_sum, 0)
  lines <- unlist(priced, recursive = FALSE)
  add <- function(...) lines[[length(lines) + 1]] <<- bill_line(...)
  node_top <- node_minimum(u, tariff, values[[1]])
  if (node_top > 0) add("minimum", "up to the minimum of each node", node_top, "minimum_node")
  taken <- 0
  for (d in tariff$discounts) {
    # All discounts together never exceed the list price.
    off <- min(scale_exactly(sum(list_minor[d$on]), d$ratio[1], d$ratio[2]),
               sum(list_minor) - taken)
    taken <- taken + off
    if (off > 0) add("discount", d$item, -off, paste0(d$percent, " % off the list price"))
  }
  net <- minor_sum(lines)
  top <- max(0, tariff$minimum - net)
  if (top > 0) add("minimum", "up to the minimum of a job", top, "minimum")
  top_month <- max(0, tariff$minimum_month - before$minor - net - top)
  if (top_month > 0) add("minimum", "up to the minimum of a month", top_month, "minimum_month")
  net <- net + top + top_month
  tax <- tax_on(net, tariff$tax)
  if (tax > 0) add("tax", tariff$tax$item, tax, paste0(tariff$tax$percent, " % on the net amount"))
  left <- net + tax
  for (b in tariff$balances) {
    used <- min(left, b$amount)
    left <- left - used
    if (used > 0) add("credit", b$item, -used, paste0(b$kind, " balance"))
  }
  lines
}

# Counted things of one charge, after rounding each run, node or the job to steps, times the
# weights.
charge_quantity <- function(u, charge, value) {
  weight <- if (is.null(charge$weight)) 1 else u[[charge$weight]]
  if (charge$once == "job") return(1)
  if (charge$once == "node") return(length(unique(u$node[value > 0])))
  steps <- function(x) to_steps(x, charge$step, charge$rounding)
  switch(charge$rounded,
         run = sum(steps(value) * weight),
         node = {
           by_node <- tapply(value, u$node, sum)
           one_of <- match(as.integer(names(by_node)), u$node)
           sum(steps(as.vector(by_node)) * if (is.null(charge$weight)) 1 else weight[one_of])
         },
         job = to_steps(sum(value * weight), charge$job_step, charge$rounding))
}

# The lines of one charge: one, or one for each volume bracket it reaches.
charge_rows <- function(u, charge, value, before) {
  quantity <- charge_quantity(u, charge, value)
  upper <- c(charge$from[-1], Inf)
  parts <- if (length(charge$from) == 1) quantity
           else if (charge$marginal)
             pmax(0, pmin(before + quantity, upper) - pmax(before, charge$from))
           else quantity * (before + quantity >= charge$from & before + quantity < upper)
  shown <- if (length(parts) == 1) 1 else which(parts > 0)
  rows <- lapply(shown, function(k) {
    rule <- if (length(parts) == 1) NA else
      paste0("bracket from ", format(charge$from[k] / charge$scale), " ",
             charge$per)
    bill_line("list", charge$item,
              scale_exactly(parts[k], charge$prices[k, 1], charge$prices[k, 2]), rule,
              parts[k] / charge$scale, charge$per, charge$amounts[k])
  })
  if (length(rows)) rows else
    list(bill_line("list", charge$item, 0, NA, 0, charge$per, charge$amounts[1]))
}

# Amounts that the nodes' own first charges fall short of the minimum per node.
node_minimum <- function(u, tariff, value) {
  charge <- tariff$charges[[1]]
  if (tariff$minimum_node <= 0) return(0)
  sum(vapply(unique(u$node[value > 0]), function(node) {
    mine <- lapply(u[setdiff(names(u), c("began", "unknown"))], `[`, u$node == node)
    amount <- scale_exactly(charge_quantity(mine, charge, value[u$node == node]),
                            charge$prices[1, 1],
                            charge$prices[1, 2])
    max(0, tariff$minimum_node - amount)
  }, 0))
}

new_bill <- table_type("cp_bill", c("item", "rule", "quantity", "unit", "price", "amount",
                                    "currency", "site"))

# Lines as the user sees them, with a second currency if one was requested.
finish_bill <- function(lines, tariff, site, on, to) {
  lines <- as.data.frame(lapply(stats::setNames(nm = names(lines[[1]])),
                                function(name) sapply(lines, `[[`, name)))
  shown <- lines$minor != 0 | lines$part == "list" & seq_len(nrow(lines)) == 1
  lines <- lines[shown, , drop = FALSE]
  digits <- minor_digits(tariff$currency)
  out <- data.frame(lines[setdiff(names(lines), "minor")], amount = lines$minor / 10^digits,
                    currency = tariff$currency, row.names = NULL)
  if (length(to)) out <- cbind(out, converted_amounts(out$amount, site, to$currency, to$rates, on))
  doubts <- card_doubts(site)
  out[["site"]] <- site$site
  out[["doubts"]] <- if (length(doubts)) paste(doubts, collapse = "; ") else NA_character_
  new_bill(out)
}

# Amounts in another currency: the total is converted and rounded once, and the lines share its
# rounding, so that both columns add up. A site's own unit goes through its stated worth.
converted_amounts <- function(amount, site, to, rates, on) {
  rate <- rate_to(site, to, rates, on)
  if (is.null(rate)) {
    stop_input("rates", paste0("no exchange rate from ", site$currency, " to ", to),
               instead = paste0("Add one under rates/, or ask for ", site$currency, "."))
  }
  running <- to_minor(cumsum(amount) * rate$rate, to)
  data.frame(converted = from_minor(diff(c(0, running)), to), converted_currency = to,
             rate = rate$rate, rate_date = rate$date)
}

#' @rdname bill
#' @param object A bill.
#' @param ... Not used.
#' @export
summary.cp_bill <- function(object, ...) {
  digits <- minor_digits(object[["currency"]][1])
  total <- function(part) round(sum(object[["amount"]][object[["part"]] == part]), digits)
  out <- data.frame(list = total("list"), minimum = total("minimum"), discount = -total("discount"),
                    tax = total("tax"), credit = -total("credit"),
                    to_pay = round(sum(object[["amount"]]), digits),
                    currency = object[["currency"]][1])
  if (!is.null(object[["converted"]])) {
    out <- cbind(out, converted = round(sum(object[["converted"]]),
                                        minor_digits(object[["converted_currency"]][1])),
                 converted_currency = object[["converted_currency"]][1], rate = object[["rate"]][1],
                 rate_date = object[["rate_date"]][1])
  }
  as_table(out)
}

#' Bill many usages at once
#'
#' The totals of [bill()] for many usages, exact to the minor unit like it, from compiled code: a
#' month's jobs, or one question for many draws.
#'
#' @param usage As for [bill()], with a column `usage` that numbers them from 1 on, in order.
#' @param rate_card,tier,hire,engine,on,this_month As for [bill()]; the same for all usages.
#' @return A matrix of whole minor units, one row a usage: `list`, `minimum`, `discount`, `tax`,
#'   `credit`, `to_pay`, and `balance_1`, `balance_2`, ... what each balance of the card gave.
#' @section Conditions: `clockpigeon_error_type` for usages out of order; those of [bill()].
#' @noRd
bill_many <- function(usage, rate_card, tier = NULL, hire = NULL, engine = NA_character_, on = NULL,
                      this_month = NULL) {
  tariff <- tariff_of(rate_card, tier, hire, engine, on)
  group <- as.integer(usage[["usage"]])
  if (is.unsorted(group) || group[1] < 1) {
    stop_input("type", "has usages out of order", "column `usage` of `usage`",
               "Number them from 1 on, in order.")
  }
  u <- whole_usage(usage, tariff$defaults, tariff$zone, group)
  before <- month_before(this_month, tariff)
  statuses <- billed_statuses(rate_card)
  values <- lapply(tariff$charges,
                   function(charge) charged_values(u, charge, statuses, tariff$zone))
  weights <- lapply(tariff$charges, function(charge) if (length(charge$weight)) u[[charge$weight]])
  out <- bill_totals(tariff, values, weights, group, u$node, max(group), max(u$node),
                     before$counted, before$minor)
  colnames(out) <- c("list", "minimum", "discount", "tax", "credit", "to_pay",
                     if (ncol(out) > 6) paste0("balance_", seq_len(ncol(out) - 6)))
  out
}

# Tax that is added to a net amount, in minor units.
tax_on <- function(net, tax) {
  if (!length(tax) || tax$included) return(0)
  scale_exactly(net, tax$ratio[1], tax$ratio[2])
}
