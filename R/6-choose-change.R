# Changes that would move the pick.

#' Changes that would move the pick
#'
#' The nearest deadline, budget, price, speed and waiting at which another option wins, or none.
#' Deadline and budget are read off the draws; price, speed and waiting are found by bisection, the
#' job simulated and charged again at each step with the same random numbers (the first 500 draws of
#' them, where those lead to the same pick).
#'
#' @param choice From [choose_option()].
#' @param rivals Number of options compared with the pick, the next best by the rule.
#' @return A tibble, one row a change: `what` (`deadline`, `budget`, `price`, `speed`, `waiting`),
#'   `of` (the site that changes; empty for deadline and budget), `direction` (`less` or `more`),
#'   `factor` (of price and speed), `at` (seconds from now, money, or seconds of waiting more),
#'   `wins` (the option that is picked then, or `NA` when none fits), `says` (a sentence). No row
#'   for what never changes the pick (prices and speeds within a factor of 20, waiting within 30
#'   days).
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites), draws = 100)
#' break_even(choose_option(forecast, deadline = "30 h"), rivals = 1)["says"]
#' @export
break_even <- function(choice, rivals = 2) {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  rivals <- check_count(rivals, argument("rivals"), least = 0)
  keep_with(choice, paste("changes", rivals), function() break_evens(choice, rivals))
}

# Prices, speeds and waits at which the plan would no longer be the best.
break_evens <- function(choice, rivals) {
  query <- list(facts = choice$facts, asked = choice[question_fields], choice = choice)
  rows <- c(bound_changes(query, "deadline"), bound_changes(query, "budget"))
  if (!is.na(choice$pick)) {
    judged <- judge_options(query$facts, query$asked)
    # One rival a site: its best option that fits, or would be best.
    order <- order(!judged[["fits"]], judged[["rank"]])
    sites <- judged[["site"]][order]
    others <- judged[["option"]][order][!duplicated(sites) &
                                        sites != judged[["site"]][judged[["pick"]]]]
    others <- utils::head(others, rivals)
    query <- fewer_draws(query)
    query$frames <- common_frames(choice$forecast$scenario, query$n, choice$forecast$seed)
    rows <- c(rows, input_change(query, choice$pick, "price", TRUE),
              input_change(query, choice$pick, "speed", FALSE),
              input_change(query, choice$pick, "waiting", TRUE))
    for (other in others) {
      rows <- c(rows, input_change(query, other, "price", FALSE),
                input_change(query, other, "speed", TRUE))
    }
  }
  empty <- data.frame(what = character(), of = character(), direction = character(),
                      factor = numeric(), at = numeric(), wins = character())
  out <- do.call(rbind, c(list(empty), rows))
  out[["says"]] <- change_sentences(out, choice$forecast$scenario$currency)
  as_table(out)
}

# The pick under another deadline or budget, or with other facts.
pick_of <- function(facts, asked) {
  judged <- judge_options(facts, asked, distances = FALSE)
  judged[["option"]][judged[["pick"]]][1]
}

# Nearest deadlines or budgets, one smaller and one larger, at which the pick is another. The pick
# can only change where an option comes to fit or ceases to.
bound_changes <- function(query, what) {
  name <- if (what == "deadline") "deadline_s" else "budget"
  now <- query$asked[[name]]
  column <- if (what == "deadline") "finish_s" else "cost"
  other <- if (what == "deadline") "cost" else "finish_s"
  limit <- if (!query$asked$together) Inf
           else if (what == "deadline") query$asked$budget else
             min(query$asked$deadline_s, .Machine$double.xmax)
  edges <- sort(unique(vapply(query$facts$draws, function(d) {
    joint_limit_at_share(d[[column]], d[[other]], limit, query$asked$confidence)
  }, 0)))
  edges <- edges[is.finite(edges)]
  picked <- function(at)
    pick_of(query$facts, utils::modifyList(query$asked, stats::setNames(list(at), name)))
  present <- query$choice$pick
  step <- if (what == "deadline") 1e-3 else
    10^-minor_digits(query$choice$forecast$scenario$currency)
  below <- edges[edges <= now]
  less <- Find(function(edge) !identical(picked(edge - step), present), rev(below))
  more <- if (is.finite(now))
    Find(function(edge) !identical(picked(edge), present), edges[edges > now])
  one <- function(edge, direction, wins) {
    data.frame(what = what, of = "", direction = direction, factor = NA_real_, at = edge,
               wins = wins)
  }
  c(if (length(less)) list(one(less, "less", picked(less - step))),
    if (length(more)) list(one(more, "more", picked(more))))
}

# The first draws alone, if they lead to the same pick: enough for a break-even, which has two
# digits. Fewer for a long job, whose frames even out.
fewer_draws <- function(query, most = 500) {
  all <- query$choice$forecast$n
  least <- max(250, min(most, 5e5 %/% job_frames(main_job(query$choice$forecast$scenario))))
  for (n in unique(c(least, most))) {
    if (n >= all) break
    few <- query
    for (i in seq_along(few$facts$draws)) {
      few$facts <- with_draws(few$facts, i, lapply(few$facts$draws[[i]], utils::head, n))
    }
    if (identical(pick_of(few$facts, few$asked), query$choice$pick)) return(c(few, n = n))
  }
  c(query, n = all)
}

# The smallest change of one site's prices, speed or waiting at which the pick is another: bisection
# on the log of the factor, or of the seconds. `more`: the input grows.
input_change <- function(query, option, what, more) {
  choice <- query$choice
  options <- as_frame(choice$forecast$scenario$options)
  site <- options[["site"]][options[["option"]] == option]
  # Prices and speed are the site's: all its options change together. Those that another of the site
  # beats in all ways stay beaten, and are left aside.
  here <- options[["site"]] == site
  if (what == "waiting") here <- here &
    options[["tier"]] == options[["tier"]][options[["option"]] == option]
  here <- which(here)
  table <- as_frame(choice$options)[here, ]
  best <- pareto_front(table[["finish_p50"]], table[["cost_p50"]],
                       ifelse(is.na(table[["noise"]]), Inf, table[["noise"]]))
  mine <- here[best | table[["option"]] == option]
  aside <- setdiff(here, mine)
  picked <- function(x)
    pick_of(without_rows(changed_facts(query, mine, what, x), aside), query$asked)
  present <- choice$pick
  wins <- function(x) {
    found <- picked(x)
    if (identical(found, present)) return(NULL)
    if (option != present && !found %in% options[["option"]][mine]) return(NULL)
    found
  }
  far <- if (what == "waiting") log1p(30 * 86400) else log(20) * if (more) 1 else -1
  if (is.null(wins(far))) return(list())
  low <- 0
  high <- far
  for (i in seq_len(if (what == "waiting") 12 else 10)) {
    middle <- (low + high) / 2
    if (is.null(wins(middle))) low <- middle else high <- middle
  }
  list(data.frame(what = what, of = site, direction = if (more) "more" else "less",
                  factor = if (what == "waiting") NA_real_ else exp(high),
                  at = if (what == "waiting") expm1(high) else NA_real_, wins = wins(high)))
}

without_rows <- function(facts, rows) {
  if (!length(rows)) return(facts)
  list(table = facts$table[-rows, , drop = FALSE], draws = facts$draws[-rows])
}

# The facts with the options `mine` simulated again under a change.
changed_facts <- function(query, mine, what, x) {
  scenario <- query$choice$forecast$scenario
  facts <- query$facts
  change <- switch(what, price = what_if(price = exp(x)), speed = what_if(speed = exp(x)),
                   waiting = what_if(waiting = expm1(x)))
  for (i in mine) {
    site <- option_of(scenario, i)$at
    if (what == "waiting" && !length(site$open) && !any_hours(site)) {
      # Waiting longer moves all that follows, unless hours of the day stand in between.
      d <- facts$draws[[i]]
      d$finish_s <- d$finish_s + change$waiting
    } else if (what == "price" && !length(site$balances) && !length(site$cap)) {
      # All amounts of the card grow alike, and nothing else follows from them.
      d <- facts$draws[[i]]
      d$cost <- d$cost * change$price
    } else d <- simulated(scenario, i, query$frames, change)$draws
    facts <- with_draws(facts, i, list(finish_s = d[["finish_s"]], cost = d[["cost"]]))
  }
  facts
}

any_hours <- function(site)
  any(vapply(c(list(site$price), site$charges), function(x) length(x$hours) > 0, NA))
