# Value of a measurement: draws of plans weighted by its possible results.

# In how many equally likely results what a measurement could find is cut.
trial_results <- 128

# Stake of the measurements: finish and cost of every option and of the plans (a column each, a row
# per draw), the sites of each, the column of the present plan, and the price of a miss.
worth_stake <- function(choice, forecast = choice$forecast) {
  rows <- as_frame(forecast$scenario$options)
  n <- forecast$n
  plans <- Filter(function(p) p$kind != "one",
                  c(if (length(choice$plan)) list(choice$plan), choice$plan$rivals))
  of_plans <- function(name) do.call(cbind, lapply(plans, function(p) p$draws[[name]]))
  stake <- list(
    choice = choice, forecast = forecast, asked = choice[question_fields],
    finish = cbind(matrix(forecast$draws[["finish_s"]], n), of_plans("finish_s")),
    cost = cbind(matrix(forecast$draws[["cost"]], n), of_plans("cost")),
    sites = c(as.list(rows[["site"]]),
              lapply(plans, function(p) c(p$parts[["site"]], p$rescue$site))),
    names = c(rows[["option"]], vapply(plans, plan_name, "")), own_hour = own_hour(forecast)
  )
  single <- !length(choice$plan) || choice$plan$kind == "one"
  stake$now <- if (single) match(rows[["option"]][leading_options(choice, 1)], stake$names) else
    nrow(rows) + 1L
  in_time <- stake$finish <= min(choice$deadline_s, .Machine$double.xmax)
  stake$kept <- matrix(in_time & stake$cost <= choice$budget, n) * 1
  stake$fits <- if (length(choice$plan)) choice$plan$fits else !is.na(choice$pick)
  stake$miss <- price_of_missing(colMeans(stake$cost), colMeans(stake$kept), stake$now)
  stake
}

# Lowest price of a miss for which `now` is the best of options with these costs (`cost`) and shares
# that keep the limits (`kept`).
price_of_missing <- function(cost, kept, now) {
  less <- which(cost < cost[now] & kept < kept[now])
  max(0, (cost[now] - cost[less]) / (kept[now] - kept[less]))
}

# Price of an hour of the cheapest own node; zero without one.
own_hour <- function(forecast) {
  own <- which(forecast$scenario$options[["site"]] %in% own_sites(forecast$scenario))
  if (!length(own)) return(0)
  hours <- by_option(forecast, "node_hours", mean)[own]
  min(by_option(forecast, "cost", mean)[own][hours > 0] / hours[hours > 0])
}

# How results of a measurement would turn out. `theta` (one number a draw) is what it tells of,
# known beforehand as normal with `mean` and `se`; `told` is the sd of what it is expected to take
# away of that. `columns` hang on it.
results_of <- function(stake, theta, mean, se, told, columns) {
  after <- sqrt(max(se^2 - told^2, 1e-12))
  centre <- mean + stats::qnorm((seq_len(trial_results) - 0.5) / trial_results) * told
  weight <- exp(outer(centre, theta, function(c, x) -(x - c)^2 / (2 * after^2)) +
                  rep((theta - mean)^2 / (2 * se^2), each = trial_results))
  weight[!is.finite(weight)] <- 0
  sums <- rowSums(weight)
  weight[sums <= 0, ] <- 1
  weight <- weight / rowSums(weight)
  # Independent columns stay as they are.
  mean_of <- function(x) {
    out <- matrix(colMeans(x), trial_results, ncol(x), byrow = TRUE)
    out[, columns] <- weight %*% x[, columns, drop = FALSE]
    out
  }
  kept <- mean_of(stake$kept)
  if (!stake$fits) {
    # If no plan keeps the limits, count whether one turns out to.
    cost <- ifelse(kept >= stake$asked$confidence - 1e-9, mean_of(stake$cost), Inf)
    pick <- max.col(-cost, ties.method = "first")
    pick[is.infinite(cost[cbind(seq_along(pick), pick)])] <- stake$now
    return(data.frame(wins = pick, saves = 0))
  }
  loss <- mean_of(stake$cost + stake$miss * (1 - stake$kept))
  if (stake$asked$rule == "fastest") loss <- mean_of(pmin(stake$finish, 1e12)) +
    1e12 * (kept < stake$asked$confidence)
  pick <- max.col(-loss, ties.method = "first")
  # At equal cost the present plan stays.
  now <- loss[, stake$now]
  pick[same_cost(now, loss[cbind(seq_along(pick), pick)])] <- stake$now
  data.frame(wins = pick, saves = loss[, stake$now] - loss[cbind(seq_along(pick), pick)])
}

states_of_sites <- function(stake, sites)
  which(vapply(stake$sites, function(s) any(s %in% sites), NA))

# One row of the list: `found` from results_of().
measure_row <- function(stake, what, about, frames, takes, price, found, command) {
  other <- found$wins != stake$now
  saves <- if (stake$asked$rule == "fastest") 0 else mean(found$saves)
  data.frame(what = what, about = about, frames = as.integer(frames), takes_s = takes,
             price = price, changes = mean(other), saves = saves,
             worth = if (stake$fits) saves > max(price, 0.01 * mean(stake$cost[, stake$now]))
                     else mean(other) >= 0.05,
             wins = if (any(other))
             stake$names[as.integer(names(which.max(table(found$wins[other]))))]
                    else NA_character_, command = command)
}

# Part of a speed's spread that a trial can remove: the machine's drift from day to day remains.
open_speed <- function(se, job)
  sqrt(pmax(0, se^2 - session_drift(job)^2 - first_of(job$busy$sd, 0)^2))
