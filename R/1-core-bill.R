# The bill: what a site charges for what was used.

# Metered seconds after rounding: to the card's step, up or to the nearest, for each node or for the job as a whole.
# `seconds` is a matrix, one row a draw and one column a node; the result has one value a row.
metered <- function(seconds, price) {
  if (price$rounded == "job") seconds <- matrix(rowSums(seconds))
  steps <- seconds / price$step_s
  # A duration that is a whole number of steps but for binary rounding is that number.
  steps <- if (price$rounding == "up") ceiling(steps - 1e-9) else round(steps)
  rowSums(steps) * price$step_s
}

# Cost in whole minor units of the card's currency, one value a draw.
cost_minor <- function(seconds, price, devices = 1, watts = 0) {
  hours <- metered(seconds, price) / 3600
  quantity <- switch(price$per, "node-hour" = hours, "device-hour" = hours * devices, "kWh" = hours * watts / 1000)
  minor <- to_minor(quantity * price$amount, price$currency) + to_minor(price$fixed, price$currency)
  pmax(minor, to_minor(price$minimum, price$currency))
}

#' The bill of a job at a site
#'
#' @param usage A data frame, one row a node: `node`, `seconds` (metered time); optionally `devices` (1 when absent)
#'   and `watts`.
#' @param rate_card A site as [read_site()] returns it.
#' @param tier Tier of the site; the first when `NULL`.
#' @return A tibble, one row a line of the bill: `item`, `quantity`, `unit`, `price`, `amount`, `currency`. Amounts
#'   are rounded half up to the minor unit, and their sum is exact.
#' @section Conditions: `clockpigeon_error_columns` or `clockpigeon_error_type` for a usage that cannot be read.
#' @examples
#' site <- read_site(demo_file("sites/quayside.yaml"))
#' bill(data.frame(node = c("a", "b"), seconds = c(4000, 3700)), site)
#' @export
bill <- function(usage, rate_card, tier = NULL) {
  check_columns(usage, argument("usage"), c("node", "seconds"))
  check_class(rate_card, argument("rate_card"), "site", "read_site()")
  tiers <- vapply(rate_card$tiers, `[[`, "", "tier")
  tier <- if (is.null(tier)) tiers[1] else check_choice(tier, argument("tier"), tiers)
  price <- tier_price(rate_card, tier)
  seconds <- usage[["seconds"]]
  if (!is.numeric(seconds) || !all(is.finite(seconds)) || any(seconds < 0)) {
    stop_input("type", paste("got", show_value(seconds)), "column `seconds` of `usage`",
               "Write metered seconds, each at least 0.")
  }
  devices <- if (is.null(usage[["devices"]])) 1 else unique(usage[["devices"]])
  watts <- if (is.null(usage[["watts"]])) rate_card$watts else unique(usage[["watts"]])
  if (length(devices) != 1 || length(watts) != 1) {
    stop_input("type", "has nodes of different kinds", argument("usage"),
               "Give nodes with the same devices and watts; price others apart.")
  }
  hours <- metered(matrix(seconds, 1), price) / 3600
  quantity <- switch(price$per, "node-hour" = hours, "device-hour" = hours * devices, "kWh" = hours * watts / 1000)
  total <- cost_minor(matrix(seconds, 1), price, devices, watts)
  amounts <- c(to_minor(quantity * price$amount, price$currency), to_minor(price$fixed, price$currency))
  amounts <- c(amounts, total - sum(amounts))
  items <- data.frame(item = c(paste0("rendering, tier ", tier), "job fee", "up to the minimum charge"),
                      quantity = c(quantity, 1, 1), unit = c(price$per, "job", "job"),
                      price = c(price$amount, price$fixed, NA),
                      amount = from_minor(amounts, price$currency), currency = price$currency)
  as_table(items[c(TRUE, amounts[-1] != 0), , drop = FALSE])
}

# The price of a tier: the card's, with the tier's factor.
tier_price <- function(site, tier) {
  price <- site$price
  chosen <- site$tiers[[match(tier, vapply(site$tiers, `[[`, "", "tier"))]]
  price$amount <- price$amount * chosen$factor
  price
}
