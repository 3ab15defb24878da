# The choice: which options fit, and the one to take.

choice_rules <- c("cheapest", "fastest", "best")

#' Choose an option
#'
#' An option fits when the chance to finish by the deadline and stay within the budget, both in one
#' draw, reaches the confidence asked (or each of the two chances alone does, where `together` is
#' `FALSE`), counted over the draws. Of those that fit, the pick is the cheapest by mean cost (at
#' equal cost the one on own nodes), the one that finishes first by median, or the best by the noise
#' of its pictures (equal ones: the cheapest). An option that does not fit comes with its distance:
#' how much later the deadline, or larger the budget, would let it in. A draw that a cap ended never
#' finishes, so that money spent on part of the frames does not count as having done them.
#'
#' @param forecast From [forecast_job()].
#' @param deadline As `parse_deadline()` reads it: `"fri 18:00"`, `"30 h"`, a number of seconds from
#'   now; `NULL` for none. Clock times are in the job's time zone.
#' @param budget Amount, such as `"250 EUR"` (in another currency with a known rate, it is
#'   converted), or a number in the forecast's currency; `NULL` for none.
#' @param confidence Chance asked for, above 0 and below 1.
#' @param together `TRUE`: the confidence applies to deadline and budget kept together; `FALSE`: of
#'   each alone, so that both together may be kept less often.
#' @param plans `TRUE` considers, in addition to single options, several side by side and a start
#'   with a fallback: see `plan` below. By the rule `"cheapest"` with a deadline; by `"fastest"`
#'   several side by side only. Or a plan of your own to compare with the best one, as the path of a
#'   YAML or JSON file: `parts`, each with an `option` (its name) and its `frames` (as
#'   `gears 1-300; basin 1-20`; all of them where there is one part), and for a fallback `look`
#'   (`at`, a moment as `deadline`, and `fewer`) and `rescue` (an `option`). A decision record is
#'   such a file.
#' @param rule `"cheapest"`, `"fastest"` or `"best"`.
#' @return A decision, a list of class `cp_choice`: `options`, a tibble with the forecast's summary
#'   and `limit`, `noise`, `p_deadline`, `p_budget`, `p_both` and their simulation errors (`_se`),
#'   `fits`, `both_miss` (neither limit is kept alone), `close` (the chance lies within two
#'   simulation errors of the confidence), `late_s` and `over` (how much more time or money would
#'   let it in; 0 when it keeps it), `cost_per_usable` (mean cost over mean usable frames),
#'   `cost_whole` (mean cost of all frames usable: where draws end early, the rest at the cost of a
#'   usable one), `non_dominated` (no other option is as early, as cheap and as clean, and better in
#'   one), `pick`; `pick`, the name of the single option to take, or `NA` when none fits; `plan`,
#'   what to do with all frames, a list: `kind` (`one`, `sides`: several options side by side,
#'   `fallback`: a start, and at a moment a look), `parts`, a tibble with one row a part (`option`,
#'   `site`, `frames`, `count`, `share` of the work, `finish_p50`, `cost_mean`), `look` (`at_s`,
#'   from now: with `fewer` frames done `of` all, those not started go to the `rescue`, a list of
#'   `option` and `site`), `needed` (chance of that), `cost_needed` (mean cost then), `draws` (of
#'   `finish_s`, `cost` and `needed`), its mean cost (`mean`), `p_deadline`, `p_budget`, `p_both`,
#'   `fits`, and `rivals`, the plans that it was compared with (of those within 1 % the simplest is
#'   taken); never more expensive than the pick; `reasons`, a tibble with one row for each thing to
#'   be said of an option: `option`, `code` (`pick`, `fits`, `late`, `unfinished`, `dear`,
#'   `not_both`), `share` (of draws that keep it), `seconds` and `money` (what would let it in);
#'   `warnings`, a tibble of `code` (`stale_card`, `claimed_speed`, `assumed_speed`) and `about`;
#'   `stale`, sites whose rate card's file has changed since the forecast; the question; `forecast`.
#'   [explain()] says it in sentences, [break_even()] what would change it, [worth_tests()] what
#'   else could be done, [trial_value()] what to find out first: each is computed once and kept.
#'   [record_choice()] writes it down.
#' @section Conditions: `clockpigeon_error_deadline` for a deadline that has passed, has no zone, or
#'   is no one moment; `clockpigeon_error_rates` for a budget in a currency without a rate;
#'   `clockpigeon_error_duration` for an ambiguous deadline; `clockpigeon_error_plan`, `_option`,
#'   `_frames` for a plan that cannot be carried out; `clockpigeon_error_type` for a confidence
#'   outside 0 to 1.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites), draws = 200)
#' choose_option(forecast, deadline = "30 h", budget = "400 EUR")
#' @export
choose_option <- function(forecast, deadline = NULL, budget = NULL, confidence = 0.9,
                          rule = choice_rules, together = TRUE, plans = TRUE) {
  check_class(forecast, argument("forecast"), "cp_forecast", "forecast_job()")
  asked <- question_of(forecast, deadline, budget, confidence, rule[1], together)
  if (is.character(plans)) plans <- read_stated_plan(plans)
  if (!is.list(plans)) check_flag(plans, argument("plans"))
  make_decision(forecast, asked, plans)
}

# The question, checked.
question_of <- function(forecast, deadline, budget, confidence, rule, together) {
  list(deadline_s = deadline_seconds(deadline, forecast$scenario),
       budget = budget_amount(budget, main_job(forecast$scenario)),
       confidence = check_number(confidence, argument("confidence"), above = 0, most = 0.9999),
       rule = check_choice(rule, argument("rule"), choice_rules),
       together = check_flag(together, argument("together")))
}

new_choice <- record_type(
  "cp_choice", options = is.data.frame, pick = is.character, reasons = is.data.frame,
  # the question
  deadline_s = is.numeric, budget = is.numeric, confidence = is.numeric, rule = is.character,
  together = is.logical,
  forecast = is.list, stale = is.character, facts = is.list, kept = is.environment
)

# The decision; without `details` what only figures, reports and explanations show is left to be
# made on demand.
make_decision <- function(forecast, asked, plans = TRUE, details = TRUE) {
  facts <- option_facts(forecast)
  table <- judge_options(facts, asked)
  stale <- changed_cards(forecast$scenario)
  choice <- new_choice(c(list(options = as_table(table[setdiff(names(table), "own")]),
                              pick = table[["option"]][table[["pick"]]][1],
                              reasons = as_table(reasons_of(table))),
                         asked, list(forecast = forecast, stale = stale, facts = facts,
                                     kept = new.env(parent = emptyenv()))))
  lead <- leading_options(choice, 1)
  planned <- function(plan) {
    choice$plan <- plan
    choice$warnings <- as_table(warnings_of(table, plan, stale))
    choice
  }
  if (!has_curves(forecast$scenario)) return(planned(single_plan(choice, lead)))
  frames <- common_frames(forecast$scenario, forecast$n, forecast$seed)
  key <- job_key(option_of(forecast$scenario, lead))
  stated <- if (is.list(plans)) plans
  look <- !isFALSE(plans)
  choice <- planned(if (look) best_plan(choice, frames$of(key), stated) else
                    single_plan(choice, lead))
  if (look) keep_with(choice, "next", function() measures_of(choice, frames))
  if (details) with_details(choice, frames) else choice
}

# Compute beforehand everything that is shown of a choice: showing it simulates nothing.
with_details <- function(choice, frames = common_frames(choice$forecast$scenario, choice$forecast$n,
                                                        choice$forecast$seed)) {
  forecast <- choice$forecast
  job_totals(forecast, option_of(forecast$scenario, leading_options(choice, 1))$job_of)
  for (i in leading_options(choice)) option_run(forecast, i, frames)
  keep_with(choice, "worth", function() worth_of(choice, frames))
  choice
}

# Sites whose rate card's file is not as it was when the options were planned.
changed_cards <- function(scenario) {
  sites <- option_sites(scenario)
  old <- scenario$hashes[names(sites)]
  names(sites)[vapply(seq_along(sites), function(i) {
    length(old[[i]]) > 0 && !identical(old[[i]], card_hash(sites[[i]]))
  }, NA)]
}

# One row for each reason about an option: `code`, the share of draws that keep the limits, and how
# much more time or money would let it fit.
reasons_of <- function(table) {
  rows <- lapply(seq_len(nrow(table)), function(i) {
    row <- table[i, ]
    code <- reason_codes(row)
    share <- c(pick = NA, fits = NA, late = row[["p_deadline"]], unfinished = row[["p_deadline"]],
               dear = row[["p_budget"]], not_both = row[["p_both"]])
    data.frame(option = row[["option"]], code = code, share = unname(share[code]),
               seconds = ifelse(code %in% c("late", "unfinished", "not_both"), row[["late_s"]],
                                NA_real_),
               money = ifelse(code %in% c("dear", "not_both"), row[["over"]], NA_real_))
  })
  do.call(rbind, rows)
}

reason_codes <- function(row) {
  if (row[["pick"]]) return("pick")
  if (row[["fits"]]) return("fits")
  if (row[["late_s"]] > 0 && row[["over"]] > 0 && !row[["both_miss"]]) return("not_both")
  c(if (is.infinite(row[["late_s"]])) "unfinished" else if (row[["late_s"]] > 0) "late",
    if (row[["over"]] > 0) "dear")
}

# Warnings for a reader before acting on a plan.
warnings_of <- function(table, plan, stale) {
  rows <- table[table[["option"]] %in% plan_options_of(plan), , drop = FALSE]
  risky <- unique(rows[rows[["evidence"]] %in% c("claimed", "assumed"), c("evidence", "site"),
                       drop = FALSE])
  rbind(data.frame(code = rep("stale_card", length(stale)), about = stale),
        data.frame(code = sprintf("%s_speed", risky[["evidence"]]), about = risky[["site"]]))
}
