# Bills of many usages at once: the totals of bill(), from compiled code.

#' Bill many usages at once
#'
#' The totals of [bill()] for many usages, exact to the minor unit like it, from compiled code: a
#' month's jobs, or a question asked of many draws.
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
