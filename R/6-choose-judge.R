# The judgement: what a question makes of the facts of each option.

# Question of a choice, as judge_options() takes it.
question_fields <- c("deadline_s", "budget", "confidence", "rule", "together")

has_curves <- function(scenario) length(main_job(scenario)$curves) > 0

deadline_seconds <- function(x, scenario) {
  if (is.null(x)) return(Inf)
  moment <- parse_deadline(x, scenario$now, scenario$time_zone, argument("deadline"))
  as.numeric(moment) - as.numeric(scenario$now)
}

budget_amount <- function(x, job) {
  if (is.null(x)) return(Inf)
  if (is.list(x) && all(c("amount", "currency") %in% names(x))) x <- paste(x$amount, x$currency)
  if (is.numeric(x))
    return(whole_budget(check_number(x, argument("budget"), least = 0), job$currency))
  money <- parse_money(x, argument("budget"))
  rate <- exchange_rate(job$rates, money$currency, job$currency)
  if (is.null(rate)) {
    stop_input("rates", paste("got", money$currency, "and no exchange rate to", job$currency),
               argument("budget"),
               paste0("Write the budget in ", job$currency, ", or add a rate under rates/."))
  }
  from_minor(to_minor(money$amount * rate$rate, job$currency), job$currency)
}

# A budget in whole minor units, since nothing else can be spent; the browser's wholeBudget() is the
# same.
whole_budget <- function(budget, currency) {
  if (!is.finite(budget)) return(budget)
  digits <- minor_digits(currency)
  from_minor(floor(budget * 10^digits + 1e-6), currency)
}

# The options that a figure of a few shows: the pick (or what misses by least), then what nothing
# beats, the cheapest first.
leading_options <- function(choice, most = 5) {
  table <- as_frame(choice$options)
  first <- if (is.na(choice$pick)) nearest_option(table) else choice$pick
  order <- order(table[["option"]] != first, !(table[["fits"]] & table[["non_dominated"]]),
                 !table[["non_dominated"]], table[["cost_mean"]])
  utils::head(order, most)
}

# The option that misses by least: first those late only, then those dear only.
nearest_option <- function(table) {
  table[["option"]][order(table[["both_miss"]], table[["over"]], table[["late_s"]])][1]
}

# Facts of each option before any question: `table`, one row per option, and `draws`, finish and
# cost of each, for later quantiles.
option_facts <- function(forecast) {
  table <- as_frame(summary(forecast))
  options <- as_frame(forecast$scenario$options)
  table[["limit"]] <- options[["limit"]]
  table[["noise"]] <- options[["noise"]]
  done <- as.vector(by_option(forecast, "frames_done", mean))
  lost <- as.vector(by_option(forecast, "frames_lost", mean))
  cost <- as.vector(by_option(forecast, "cost", mean))
  table[["cost_mean"]] <- cost
  table[["cost_mean_se"]] <- as.vector(by_option(forecast, "cost", stats::sd)) / sqrt(forecast$n)
  table[["own"]] <- options[["site"]] %in% own_sites(forecast$scenario)
  table[["cost_per_usable"]] <- ifelse(done > 0, cost / done, Inf)
  table[["cost_whole"]] <- ifelse(done > 0, cost / done * (done + lost), Inf)
  rows <- matrix(seq_len(nrow(forecast$draws)), ncol = nrow(options))
  list(table = table, draws = lapply(seq_len(nrow(options)), function(i) {
    list(finish_s = forecast$draws[["finish_s"]][rows[, i]],
         cost = forecast$draws[["cost"]][rows[, i]])
  }))
}

# The facts with other draws of one option.
with_draws <- function(facts, i, draws) {
  facts$draws[[i]] <- draws
  facts$table[["finish_p50"]][i] <- quantile_of(draws$finish_s, 0.5)
  facts$table[["cost_p50"]][i] <- quantile_of(draws$cost, 0.5)
  facts$table[["cost_mean"]][i] <- mean(draws$cost)
  facts
}

# The table with what deadline, budget, confidence and rule make of it; without `distances` only
# which options fit, by counting draws, which is a tenth of the work.
judge_options <- function(facts, asked, distances = TRUE) {
  table <- facts$table
  draws <- facts$draws
  n <- length(draws[[1]]$cost)
  over_draws <- function(f) vapply(draws, f, 0)
  chances <- list(p_deadline = over_draws(function(d) mean(d$finish_s <= asked$deadline_s)),
                  p_budget = over_draws(function(d) mean(d$cost <= asked$budget)),
                  p_both = joint_chance(draws, asked))
  # Without a deadline a draw is in time if it finishes.
  if (is.infinite(asked$deadline_s))
    chances$p_deadline <- over_draws(function(d) mean(is.finite(d$finish_s)))
  for (name in names(chances)) {
    table[[name]] <- chances[[name]]
    table[[paste0(name, "_se")]] <- chance_error(chances[[name]], n)
  }
  if (distances) table <- with_distances(table, draws, asked) else {
    enough <- function(chance) round(chance * n) >= kept_draws_of(asked$confidence, n)
    table[["fits"]] <- if (asked$together) enough(table[["p_both"]])
                       else enough(table[["p_deadline"]]) & enough(table[["p_budget"]])
  }
  near <- function(name) abs(table[[name]] - asked$confidence) <= 2 * table[[paste0(name, "_se")]]
  table[["close"]] <- if (asked$together) {
    near("p_both") & (is.finite(asked$deadline_s) | is.finite(asked$budget))
  } else near("p_deadline") & is.finite(asked$deadline_s) |
    near("p_budget") & is.finite(asked$budget)
  noise <- ifelse(is.na(table[["noise"]]), Inf, table[["noise"]])
  table[["non_dominated"]] <- pareto_front(table[["finish_p50"]], table[["cost_p50"]], noise)
  # Rare but expensive cases then count by their mean; at equal cost, own nodes come first.
  cost <- table[["cost_mean"]]
  other <- !table[["own"]]
  by <- switch(asked$rule, cheapest = list(cost, other, table[["finish_p50"]], noise),
               fastest = list(table[["finish_p50"]], cost, other, noise),
               best = list(noise, cost, other, table[["finish_p50"]]))
  rank <- do.call(order, c(by, list(table[["option"]])))
  table[["rank"]] <- order(rank)
  table[["pick"]] <- seq_len(nrow(table)) %in%
    first_pick(table, rank[table[["fits"]][rank]], asked$rule)
  table
}

# The first of what fits; of those that cost the same, to half a per cent or half a cent, one's own,
# then the earliest.
first_pick <- function(table, fitting, rule) {
  if (rule != "cheapest" || !length(fitting)) return(fitting[1])
  same <- fitting[same_cost(table[["cost_mean"]][fitting], table[["cost_mean"]][fitting[1]])]
  same[order(!table[["own"]][same], table[["finish_p50"]][same])[1]]
}

same_cost <- function(cost, least) cost <= least * 1.005 + 0.005

# The chance of each option to keep deadline and budget in one draw; a draw that never ends keeps no
# deadline.
joint_chance <- function(draws, asked) {
  deadline <- min(asked$deadline_s, .Machine$double.xmax)
  vapply(draws, function(d) mean(d$finish_s <= deadline & d$cost <= asked$budget), 0)
}

# Extension of the deadline, or of the budget, that would let each option fit: with the other limit
# unchanged if that is enough, otherwise (`both_miss`) both at once. An option may keep each limit
# alone and still miss both together: then either change is enough.
with_distances <- function(table, draws, asked) {
  of <- function(f) vapply(draws, f, 0)
  late <- of(function(d) limit_at_share(d$finish_s, asked$confidence)) - asked$deadline_s
  late <- pmax(0, ifelse(is.nan(late), Inf, late))
  over <- pmax(0, of(function(d) limit_at_share(d$cost, asked$confidence)) - asked$budget)
  table[["both_miss"]] <- late > 0 & over > 0
  if (asked$together) {
    deadline <- min(asked$deadline_s, .Machine$double.xmax)
    joint_late <- of(function(d) joint_limit_at_share(d$finish_s, d$cost, asked$budget,
                                                      asked$confidence)) -
      asked$deadline_s
    joint_over <- of(function(d) joint_limit_at_share(d$cost, d$finish_s, deadline,
                                                      asked$confidence)) -
      asked$budget
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
