# What would change the pick.

#' What would change the pick
#'
#' The nearest deadline, budget, price, speed and waiting at which another option wins, or none. Deadline and budget are
#' read off the draws; price, speed and waiting are found by bisection, the job simulated and charged again at each
#' step with the same random numbers (the first 500 draws of them, where those lead to the same pick).
#'
#' @param choice From [choose_option()].
#' @param rivals How many options beside the pick are looked at, the next by the rule.
#' @return A tibble, one row a change: `what` (`deadline`, `budget`, `price`, `speed`, `waiting`), `of` (the site
#'   that changes; empty for deadline and budget), `direction` (`less` or `more`), `factor` (of price and speed),
#'   `at` (seconds from now, money, or seconds of waiting more), `wins` (the option that is picked then, or `NA` when
#'   none fits), `says` (a sentence). No row for what never changes the pick (prices and speeds within a factor of 20,
#'   waiting within 30 days).
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(job, plan_options(job, project$sites), draws = 100)
#' break_even(choose_option(forecast, deadline = "30 h"), rivals = 1)["says"]
#' @export
break_even <- function(choice, rivals = 2) {
  check_class(choice, argument("choice"), "choice", "choose_option()")
  rivals <- check_count(rivals, argument("rivals"), least = 0)
  state <- list(table = option_facts(choice$forecast), asked = choice[question_fields], choice = choice)
  rows <- c(limit_changes(state, "deadline"), limit_changes(state, "budget"))
  if (!is.na(choice$pick)) {
    judged <- judge_options(state$table, state$asked)
    # One rival a site: its best option that fits, or would be best.
    order <- order(!judged[["fits"]], judged[["rank"]])
    sites <- judged[["site"]][order]
    others <- judged[["option"]][order][!duplicated(sites) & sites != judged[["site"]][judged[["pick"]]]]
    others <- utils::head(others, rivals)
    state <- fewer_draws(state)
    state$seconds <- frame_memory(choice$forecast, state$n)
    rows <- c(rows, input_change(state, choice$pick, "price", TRUE), input_change(state, choice$pick, "speed", FALSE),
              input_change(state, choice$pick, "waiting", TRUE))
    for (other in others) {
      rows <- c(rows, input_change(state, other, "price", FALSE), input_change(state, other, "speed", TRUE))
    }
  }
  empty <- data.frame(what = character(), of = character(), direction = character(), factor = numeric(), at = numeric(),
                      wins = character(), says = character())
  as_table(do.call(rbind, c(list(empty), rows)))
}

# The pick under another deadline, budget or table.
pick_of <- function(table, asked) {
  judged <- judge_options(table, asked)
  judged[["option"]][judged[["pick"]]][1]
}

# Nearest deadlines or budgets, one smaller and one larger, at which the pick is another. The pick can only change where
# an option comes to fit or ceases to.
limit_changes <- function(state, what) {
  name <- if (what == "deadline") "deadline_s" else "budget"
  now <- state$asked[[name]]
  column <- if (what == "deadline") "finish_s" else "cost"
  other <- if (what == "deadline") "cost" else "finish_s"
  limit <- if (!state$asked$together) Inf
           else if (what == "deadline") state$asked$budget else min(state$asked$deadline_s, .Machine$double.xmax)
  edges <- sort(unique(vapply(attr(state$table, "draws"), function(d) {
    kept_within(d[[column]], d[[other]], limit, state$asked$confidence)
  }, 0)))
  edges <- edges[is.finite(edges)]
  picked <- function(at) pick_of(state$table, utils::modifyList(state$asked, stats::setNames(list(at), name)))
  present <- state$choice$pick
  step <- if (what == "deadline") 1e-3 else 10^-minor_digits(state$choice$forecast$job$currency)
  below <- edges[edges <= now]
  less <- Find(function(edge) !identical(picked(edge - step), present), rev(below))
  more <- if (is.finite(now)) Find(function(edge) !identical(picked(edge), present), edges[edges > now])
  one <- function(edge, direction, wins) {
    currency <- state$choice$forecast$job$currency
    shown <- if (what == "deadline") paste0("a deadline ", if (direction == "less") "before " else "from ",
                                            format_duration(edge), " from now", if (direction == "more") " on")
             else paste0("a budget ", if (direction == "less") "below " else "from ", format_money(edge, currency),
                         if (direction == "more") " on")
    data.frame(what = what, of = "", direction = direction, factor = NA_real_, at = edge, wins = wins,
               says = paste0("With ", shown, " ", if (is.na(wins)) "no option fits" else paste("the pick is", wins),
                             "."))
  }
  c(if (length(less)) list(one(less, "less", picked(less - step))),
    if (length(more)) list(one(more, "more", picked(more))))
}

# The first draws alone, where they lead to the same pick: enough for a break-even, which is told to two digits.
fewer_draws <- function(state, n = 500) {
  all <- state$choice$forecast$n
  if (n >= all) return(c(state, n = all))
  few <- state
  draws <- lapply(attr(state$table, "draws"), function(d) lapply(d, utils::head, n))
  few$table[["finish_p50"]] <- vapply(draws, function(d) stats::quantile(d$finish_s, 0.5, names = FALSE, type = 1), 0)
  few$table[["cost_p50"]] <- vapply(draws, function(d) stats::quantile(d$cost, 0.5, names = FALSE, type = 1), 0)
  attr(few$table, "draws") <- draws
  if (identical(pick_of(few$table, few$asked), state$choice$pick)) c(few, n = n) else c(state, n = all)
}

# Frame times of each engine, version and limit, made once.
frame_memory <- function(forecast, n) {
  made <- list()
  n <- min(vapply(forecast$jobs, kept_draws, 0, n = n))
  function(key) {
    if (is.null(made[[key]])) made[[key]] <<- frame_draws(forecast$jobs[[key]], n, forecast$seed)
    made[[key]]
  }
}

# The smallest change of one site's prices, speed or waiting at which the pick is another: bisection on the log of the
# factor, or of the seconds. `more`: the input grows.
input_change <- function(state, option, what, more) {
  choice <- state$choice
  options <- choice$forecast$options
  site <- options[["site"]][options[["option"]] == option]
  # Prices and speed are the site's: all its options change together. Those that another of the site beats in all ways
  # stay beaten, and are left aside.
  here <- options[["site"]] == site
  if (what == "waiting") here <- here & options[["tier"]] == options[["tier"]][options[["option"]] == option]
  here <- which(here)
  table <- as_frame(choice$options)[here, ]
  best <- non_dominated(table[["finish_p50"]], table[["cost_p50"]],
                        ifelse(is.na(table[["noise"]]), Inf, table[["noise"]]))
  mine <- here[best | table[["option"]] == option]
  aside <- setdiff(here, mine)
  picked <- function(x) pick_of(without_rows(changed_table(state, mine, what, x), aside), state$asked)
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
  winner <- wins(high)
  factor <- if (what == "waiting") NA_real_ else exp(high)
  how <- switch(what, price = paste0("at ", factor_text(factor), " times the prices of ", site),
                speed = paste0("at ", factor_text(factor), " times the speed of ", site),
                waiting = paste0("with ", format_duration(expm1(high)), " more of waiting at ", site))
  list(data.frame(what = what, of = site, direction = if (more) "more" else "less", factor = factor,
                  at = if (what == "waiting") expm1(high) else NA_real_, wins = winner,
                  says = paste0("The pick changes ", how, ": then ",
                                if (is.na(winner)) "no option fits" else paste("it is", winner), ".")))
}

without_rows <- function(table, rows) {
  if (!length(rows)) return(table)
  out <- table[-rows, , drop = FALSE]
  attr(out, "draws") <- attr(table, "draws")[-rows]
  out
}

factor_text <- function(x) number_text(x, if (x < 0.1) 3 else 2)

# The table with the options `mine` simulated again under a change.
changed_table <- function(state, mine, what, x) {
  forecast <- state$choice$forecast
  options <- forecast$options
  table <- state$table
  draws <- attr(table, "draws")
  if (what == "waiting") x <- expm1(x)
  for (i in mine) {
    option <- as.list(as_frame(options)[i, , drop = FALSE])
    job <- option_job(options, i)
    site <- attr(options, "sites")[[option$site]]
    if (what == "waiting") {
      # Waiting longer moves all that follows, unless hours of the day stand in between.
      if (!length(site$open) && !any_hours(site)) {
        draws[[i]]$finish_s <- draws[[i]]$finish_s + x
        table[["finish_p50"]][i] <- table[["finish_p50"]][i] + x
        next
      }
      option$begin_s <- option$begin_s + x
    }
    if (what == "speed") option$log_speed <- option$log_speed + x
    card <- if (what == "price") scaled_prices(site, exp(x)) else site
    d <- simulate_option(job, option, site, state$seconds(job_key(job)), forecast$seed, forecast$made_at,
                         rate_card = card)
    draws[[i]] <- list(finish_s = d[["finish_s"]], cost = d[["cost"]])
    table[["finish_p50"]][i] <- stats::quantile(d[["finish_s"]], 0.5, names = FALSE, type = 1)
    table[["cost_p50"]][i] <- stats::quantile(d[["cost"]], 0.5, names = FALSE, type = 1)
  }
  attr(table, "draws") <- draws
  table
}

any_hours <- function(site) any(vapply(c(list(site$price), site$charges), function(x) length(x$hours) > 0, NA))

# A card with all its prices times a factor: charges, brackets, fees, minimums, hire classes. Balances stay.
scaled_prices <- function(site, factor) {
  times <- function(x) round(x * factor, 7)
  scaled <- function(charge) {
    for (name in intersect(c("amount", "fixed", "minimum", "minimum_node", "minimum_month"), names(charge))) {
      if (length(charge[[name]])) charge[[name]] <- times(charge[[name]])
    }
    if (length(charge[["brackets"]])) {
      charge[["brackets"]] <- lapply(charge[["brackets"]], scaled_bracket, times = times)
    }
    charge
  }
  site$price <- scaled(site$price)
  site$charges <- lapply(site$charges, scaled)
  site$hires <- lapply(site$hires, scaled)
  site
}

scaled_bracket <- function(bracket, times) {
  bracket$amount <- times(bracket$amount)
  bracket
}
