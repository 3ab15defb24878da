# The choice: which options fit, and the one to take.

choice_rules <- c("cheapest", "fastest", "best")

# What a choice is asked, as judge_options() takes it.
question_fields <- c("deadline_s", "budget", "confidence", "rule", "together")

#' Choose an option
#'
#' An option fits when the chance to finish by the deadline and stay within the budget, both in one draw, reaches the
#' confidence asked (or each of the two chances alone does, where `together` is `FALSE`), counted over the draws. Of
#' those that fit, the pick is the cheapest by median cost, the one that finishes first by median, or the best by the
#' noise of its pictures (equal ones: the cheapest). An option that does not fit comes with its distance: how much later
#' the deadline, or larger the budget, would let it in. A draw that a cap ended never finishes, so that money spent on
#' part of the frames does not count as having done them.
#'
#' @param forecast From [forecast_job()].
#' @param deadline As [parse_deadline()] reads it: `"fri 18:00"`, `"30 h"`, a number of seconds from now; `NULL` for
#'   none. Clock times are in the job's time zone.
#' @param budget Amount, such as `"250 EUR"` (in another currency with a known rate, it is converted), or a number in
#'   the forecast's currency; `NULL` for none.
#' @param confidence Chance asked for, above 0 and below 1.
#' @param together `TRUE`: the confidence is asked of deadline and budget kept together; `FALSE`: of each alone, so that
#'   both together may be kept less often.
#' @param rule `"cheapest"`, `"fastest"` or `"best"`.
#' @return An object of class `choice`: `options`, a tibble with the forecast's summary and `limit`, `noise`,
#'   `p_deadline`, `p_budget`, `p_both` and their simulation errors (`_se`), `fits`, `both_miss` (neither limit is kept
#'   alone), `close` (the chance lies within two
#'   simulation errors of what was asked), `late_s` and `over` (how much more time or money would let it in; 0 when it
#'   keeps it), `cost_per_usable` (mean cost over mean usable frames), `cost_whole` (mean cost of all frames usable:
#'   where draws end early, the rest at the cost of a usable one), `non_dominated` (no other option is as early, as
#'   cheap and as clean, and better in one), `pick`; and `pick`, the name of the option to take, or `NA` when none fits;
#'   `stale`, sites whose rate card's file has changed since the forecast. [explain()]
#'   says it in sentences, [break_even()] what would change it, [worth_tests()] what else could be done,
#'   [record_choice()] writes it down.
#' @section Conditions: `clockpigeon_error_deadline` for a deadline that has passed, has no zone, or is no one moment;
#'   `clockpigeon_error_rates` for a budget in a currency without a rate; `clockpigeon_error_duration` for an ambiguous
#'   deadline; `clockpigeon_error_type` for a confidence outside 0 to 1.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(job, plan_options(job, project$sites), draws = 200)
#' choose_option(forecast, deadline = "30 h", budget = "400 EUR")
#' @export
choose_option <- function(forecast, deadline = NULL, budget = NULL, confidence = 0.9, rule = choice_rules,
                          together = TRUE) {
  check_class(forecast, argument("forecast"), "forecast", "forecast_job()")
  asked <- list(
    deadline_s = read_deadline(deadline, forecast), budget = read_budget(budget, forecast$job),
    confidence = check_number(confidence, argument("confidence"), above = 0, most = 0.9999),
    rule = check_choice(rule[1], argument("rule"), choice_rules), together = check_flag(together, argument("together"))
  )
  table <- judge_options(option_facts(forecast), asked)
  structure(c(list(options = as_table(table[setdiff(names(table), "rank")]),
                   pick = table[["option"]][table[["pick"]]][1]),
              asked, list(forecast = forecast, stale = changed_cards(forecast))), class = "choice")
}

# Sites whose rate card's file is not as it was when the forecast was made.
changed_cards <- function(forecast) {
  sites <- attr(forecast$options, "sites")
  old <- forecast$hashes[names(sites)]
  names(sites)[vapply(seq_along(sites), function(i) {
    length(old[[i]]) > 0 && !identical(old[[i]], card_hash(sites[[i]]))
  }, NA)]
}

# One row an option: the summary, and what its draws say for each question: quantiles are asked of them later.
option_facts <- function(forecast) {
  table <- as_frame(summary(forecast))
  options <- as_frame(forecast$options)
  table[["limit"]] <- options[["limit"]]
  table[["noise"]] <- options[["noise"]]
  done <- as.vector(by_option(forecast, "frames_done", mean))
  lost <- as.vector(by_option(forecast, "frames_lost", mean))
  cost <- as.vector(by_option(forecast, "cost", mean))
  table[["cost_per_usable"]] <- ifelse(done > 0, cost / done, Inf)
  table[["cost_whole"]] <- ifelse(done > 0, cost / done * (done + lost), Inf)
  rows <- matrix(seq_len(nrow(forecast$draws)), ncol = nrow(options))
  attr(table, "draws") <- lapply(seq_len(nrow(options)), function(i) {
    list(finish_s = forecast$draws[["finish_s"]][rows[, i]], cost = forecast$draws[["cost"]][rows[, i]])
  })
  table
}

# The table with what deadline, budget, confidence and rule make of it.
judge_options <- function(table, asked) {
  draws <- attr(table, "draws")
  n <- length(draws[[1]]$cost)
  over_draws <- function(f) vapply(draws, f, 0)
  chances <- list(p_deadline = over_draws(function(d) mean(d$finish_s <= asked$deadline_s)),
                  p_budget = over_draws(function(d) mean(d$cost <= asked$budget)),
                  p_both = over_draws(function(d) mean(d$finish_s <= asked$deadline_s & d$cost <= asked$budget)))
  # A deadline of none is kept by what ends at all.
  if (is.infinite(asked$deadline_s)) chances$p_deadline <- over_draws(function(d) mean(is.finite(d$finish_s)))
  for (name in names(chances)) {
    table[[name]] <- chances[[name]]
    table[[paste0(name, "_se")]] <- chance_error(chances[[name]], n)
  }
  table <- with_distances(table, draws, asked)
  near <- function(name) abs(table[[name]] - asked$confidence) <= 2 * table[[paste0(name, "_se")]]
  table[["close"]] <- if (asked$together) {
    near("p_both") & (is.finite(asked$deadline_s) | is.finite(asked$budget))
  } else near("p_deadline") & is.finite(asked$deadline_s) | near("p_budget") & is.finite(asked$budget)
  noise <- ifelse(is.na(table[["noise"]]), Inf, table[["noise"]])
  table[["non_dominated"]] <- non_dominated(table[["finish_p50"]], table[["cost_p50"]], noise)
  by <- switch(asked$rule, cheapest = list(table[["cost_p50"]], table[["finish_p50"]], noise),
               fastest = list(table[["finish_p50"]], table[["cost_p50"]], noise),
               best = list(noise, table[["cost_p50"]], table[["finish_p50"]]))
  rank <- do.call(order, c(by, list(table[["option"]])))
  table[["rank"]] <- order(rank)
  table[["pick"]] <- seq_len(nrow(table)) %in% rank[table[["fits"]][rank]][1]
  table
}

# How much later the deadline, or larger the budget, would let each option in: with the other limit as it is where that
# is enough, otherwise (`both_miss`) both at once. Asked together, an option may keep each alone and miss all the same:
# then either change is enough.
with_distances <- function(table, draws, asked) {
  of <- function(f) vapply(draws, f, 0)
  late <- of(function(d) kept_by(d$finish_s, asked$confidence)) - asked$deadline_s
  late <- pmax(0, ifelse(is.nan(late), Inf, late))
  over <- pmax(0, of(function(d) kept_by(d$cost, asked$confidence)) - asked$budget)
  table[["both_miss"]] <- late > 0 & over > 0
  if (asked$together) {
    # Without a deadline a draw is in time if it finishes.
    deadline <- min(asked$deadline_s, .Machine$double.xmax)
    joint_late <- of(function(d) kept_within(d$finish_s, d$cost, asked$budget, asked$confidence)) - asked$deadline_s
    joint_over <- of(function(d) kept_within(d$cost, d$finish_s, deadline, asked$confidence)) - asked$budget
    none <- function(x) pmax(0, ifelse(is.nan(x), Inf, x))
    alone <- list(late = late, over = over)
    late <- ifelse(alone$over > 0, alone$late, none(joint_late))
    over <- ifelse(alone$late > 0, alone$over, none(joint_over))
  }
  table[["late_s"]] <- late
  table[["over"]] <- over
  table[["fits"]] <- late == 0 & over == 0
  table
}

# Standard error of a share of n draws; of none or all it is that of one draw more or less.
chance_error <- function(p, n) sqrt(pmax(p * (1 - p), (1 / n) * (1 - 1 / n)) / n)

read_deadline <- function(x, forecast) {
  if (is.null(x)) return(Inf)
  moment <- parse_deadline(x, forecast$made_at, forecast$job$time_zone, argument("deadline"))
  as.numeric(moment) - as.numeric(forecast$made_at)
}

read_budget <- function(x, job) {
  if (is.null(x)) return(Inf)
  if (is.list(x) && all(c("amount", "currency") %in% names(x))) x <- paste(x$amount, x$currency)
  if (is.numeric(x)) return(check_number(x, argument("budget"), least = 0))
  money <- parse_money(x, argument("budget"))
  rate <- exchange_rate(job$rates, money$currency, job$currency)
  if (is.null(rate)) {
    stop_input("rates", paste("got", money$currency, "and no exchange rate to", job$currency), argument("budget"),
               paste0("Write the budget in ", job$currency, ", or add a rate under rates/."))
  }
  from_minor(to_minor(money$amount * rate$rate, job$currency), job$currency)
}
