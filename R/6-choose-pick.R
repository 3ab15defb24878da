# The choice: which options fit, and the one to take.

#' Choose an option
#'
#' An option fits when the chance to finish by the deadline and the chance to stay within the budget both reach the
#' confidence asked. Of those that fit, the pick is the cheapest by median cost (or the one that finishes first). An
#' option that does not fit comes with its distance: how much later the deadline, or larger the budget, would let it in.
#'
#' @param forecast From [forecast_job()].
#' @param deadline Time from now: a duration such as `"8 min"`, or seconds; `NULL` for none.
#' @param budget Amount in the forecast's currency, such as `"3 EUR"` or 3; `NULL` for none.
#' @param confidence Chance asked for, above 0 and below 1.
#' @param prefer `"cheapest"` or `"fastest"`.
#' @return An object of class `choice`: `options`, a tibble with the forecast's summary and `p_deadline`, `p_budget`,
#'   `fits`, `late_s` and `over` (how much more time or money would let it in; 0 when it keeps it), `non_dominated`,
#'   `pick`; and `pick`, the name of the option to take, or `NA` when none fits. [explain()] says it in sentences.
#' @section Conditions: `clockpigeon_error_currency` for a budget in another currency; `clockpigeon_error_duration`
#'   for an ambiguous deadline; `clockpigeon_error_type` for a confidence outside 0 to 1.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(job, plan_options(job, project$sites), draws = 200)
#' choose_option(forecast, deadline = "30 h", budget = "400 EUR")
#' @export
choose_option <- function(forecast, deadline = NULL, budget = NULL, confidence = 0.9,
                          prefer = c("cheapest", "fastest")) {
  check_class(forecast, argument("forecast"), "forecast", "forecast_job()")
  deadline <- read_deadline(deadline)
  budget <- read_budget(budget, forecast$job$currency)
  confidence <- check_number(confidence, argument("confidence"), above = 0, most = 0.9999)
  prefer <- check_choice(prefer[1], argument("prefer"), c("cheapest", "fastest"))
  table <- as_frame(summary(forecast))
  draws <- split(as_frame(forecast$draws), factor(forecast$draws[["option"]], levels = table[["option"]]))
  over_draws <- function(f) vapply(draws, f, 0, USE.NAMES = FALSE)
  table[["p_deadline"]] <- over_draws(function(d) mean(d[["finish_s"]] <= deadline))
  table[["p_budget"]] <- over_draws(function(d) mean(d[["cost"]] <= budget))
  table[["late_s"]] <- pmax(0, over_draws(function(d) kept_by(d[["finish_s"]], confidence)) - deadline)
  table[["over"]] <- pmax(0, over_draws(function(d) kept_by(d[["cost"]], confidence)) - budget)
  table[["fits"]] <- table[["late_s"]] == 0 & table[["over"]] == 0
  table[["non_dominated"]] <- non_dominated(table[["finish_p50"]], table[["cost_p50"]])
  by <- if (prefer == "cheapest") c("cost_p50", "finish_p50") else c("finish_p50", "cost_p50")
  rank <- do.call(order, table[c(by, "option")])
  pick <- rank[table[["fits"]][rank]][1]
  table[["pick"]] <- seq_len(nrow(table)) %in% pick
  structure(list(options = as_table(table), pick = table[["option"]][pick], deadline_s = deadline, budget = budget,
                 confidence = confidence, prefer = prefer, forecast = forecast), class = "choice")
}

read_deadline <- function(x) {
  if (is.null(x)) return(Inf)
  if (is.character(x)) x <- parse_duration(check_text(x, argument("deadline")), argument("deadline"))
  check_number(x, argument("deadline"), above = 0)
}

read_budget <- function(x, currency) {
  if (is.null(x)) return(Inf)
  if (is.list(x) && all(c("amount", "currency") %in% names(x))) x <- paste(x$amount, x$currency)
  if (is.numeric(x)) return(check_number(x, argument("budget"), least = 0))
  money <- parse_money(x, argument("budget"))
  if (money$currency != currency) {
    stop_input("currency", paste("got", money$currency, "for a forecast in", currency), argument("budget"),
               paste0("Write the budget in ", currency, "."))
  }
  money$amount
}
