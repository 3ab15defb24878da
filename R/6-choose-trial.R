# Trial frames: what they cost, and whether they could overturn the pick.

#' Is a trial worth it?
#'
#' For each leading site whose speed is not well known: what a few trial frames there would cost, how likely their
#' result is to overturn the pick, and what that is worth. The value of a trial is reckoned beforehand (value of sample
#' information; Raiffa & Schlaifer 1961, *Applied Statistical Decision Theory*): for results spread over what the trial
#' could say, the draws of the site's options are weighted by how well their speed agrees with it, and the choice is
#' made again. Sites left out only because nothing is known of their speed are tried on too, with the speeds of the
#' others and a wide spread (a log sd of 0.6) as what could be.
#'
#' @param choice From [choose_option()].
#' @param frames Frames of the trial.
#' @param sites How many sites are looked at, those of the best options; those of unknown speed come on top.
#' @return A tibble, one row a site, the most valuable trial first: `site`, `evidence` (of its speed now), `frames`,
#'   `price` (of the trial, in the job's currency), `takes_s`, `overturns` (chance that the pick becomes another),
#'   `saves` (expected saving, in money, where both picks fit), `rescues` (chance that the pick turns out not to fit and
#'   another one does), `nothing` (chance that after it nothing fits), `worth` (`TRUE` when it saves more than its
#'   price, or rescues or shows that nothing fits in one case of twenty), `wins` (the pick it most likely leads to),
#'   `says`.
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites), draws = 200)
#' trial_value(choose_option(forecast, deadline = "3 h", budget = "60 EUR"), sites = 2)["says"]
#' @export
trial_value <- function(choice, frames = 3, sites = 4) {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  frames <- check_count(frames, argument("frames"), most = 1000)
  sites <- check_count(sites, argument("sites"))
  kept_with(choice, paste("trials", frames, sites), function() trials_of(choice, frames, sites))
}

# In how many equally likely results what a trial could find is cut.
trial_results <- 128

trials_of <- function(choice, frames, sites) {
  forecast <- with_unknown_sites(choice$forecast)
  options <- as_frame(forecast$scenario$options)
  state <- list(facts = if (identical(forecast, choice$forecast)) choice$facts else option_facts(forecast),
                asked = choice[question_fields], forecast = forecast, pick = choice$pick)
  state$judged <- judge_options(state$facts, state$asked)
  open <- open_speed(options[["speed_se"]], main_job(forecast$scenario)) > 0.02
  order <- order(!state$judged[["fits"]], state$judged[["rank"]])
  leading <- unique(options[["site"]][order][open[order]])
  unknown <- unique(options[["site"]][options[["evidence"]] == "unknown"])
  rows <- lapply(unique(c(unknown, utils::head(setdiff(leading, unknown), sites))), one_trial, state = state,
                 frames = frames)
  out <- do.call(rbind, rows)
  if (is.null(out)) return(as_table(data.frame(site = character(), says = character())))
  out[["says"]] <- trial_sentences(out, forecast$scenario$currency, trial_results)
  as_table(out[order(!out[["worth"]], -out[["overturns"]], out[["price"]]), , drop = FALSE])
}

# The forecast with sites whose only fault is that their speed is unknown, as options of a wide assumed speed.
with_unknown_sites <- function(forecast) {
  scenario <- forecast$scenario
  job <- main_job(scenario)
  unknown <- scenario$left_out[["site"]][scenario$left_out[["code"]] == "unknown_speed"]
  if (!length(unknown)) return(forecast)
  known <- unique(as_frame(scenario$options)[c("site", "log_speed")])
  guess <- stats::median(known[["log_speed"]])
  guessed <- lapply(scenario$sites[unknown], function(site) {
    site$speeds <- list(list(engine = job$engine, relative_to = job$node, factor = exp(guess), basis = "assumed"))
    site
  })
  able <- Filter(function(site) is.null(why_not(site, job)), guessed)
  if (!length(able)) return(forecast)
  more <- plan_options(job, unname(able), now = scenario$now)
  more$options[["speed_se"]] <- 0.6
  more$options[["evidence"]] <- "unknown"
  extra <- forecast_job(more, forecast$n, forecast$seed)
  forecast$draws <- bind_tables(list(forecast$draws, extra$draws))
  forecast$scenario$options <- bind_tables(list(scenario$options, more$options))
  forecast$scenario$sites[names(able)] <- able
  forecast
}

# What of a speed's spread a trial can take away: how the machine drifts from day to day stays.
open_speed <- function(se, job) sqrt(pmax(0, se^2 - session_drift(job)^2 - first_of(job$busy$sd, 0)^2))

# One site's trial. What it could find is cut into equally likely results.
one_trial <- function(site, state, frames) {
  scenario <- state$forecast$scenario
  options <- as_frame(scenario$options)
  mine <- which(options[["site"]] == site)
  i <- mine[which.min(state$judged[["rank"]][mine])]
  job <- option_of(scenario, i)$job_of
  mean <- options[["log_speed"]][i]
  se <- options[["speed_se"]][i]
  error <- max(job$run_sd, 0.02) * sqrt(2 / frames)
  told <- open_speed(se, job)
  told <- told^2 / sqrt(told^2 + error^2)
  after <- sqrt(se^2 - told^2)
  centres <- mean + stats::qnorm((seq_len(trial_results) - 0.5) / trial_results) * told
  speed <- matrix(state$forecast$draws[["log_speed"]], ncol = nrow(options))
  found <- lapply(centres, function(centre) {
    facts <- state$facts
    for (k in mine) {
      weight <- stats::dnorm(speed[, k], centre, after) / stats::dnorm(speed[, k], mean, se)
      facts <- weigh_option(facts, k, weight)
    }
    now <- judge_options(facts, state$asked)
    old <- match(state$pick, now[["option"]])
    data.frame(wins = now[["option"]][now[["pick"]]][1], old_fits = now[["fits"]][old],
               old_cost = now[["cost_p50"]][old], new_cost = now[["cost_p50"]][now[["pick"]]][1])
  })
  price <- trial_price(state$forecast, i, frames)
  data.frame(site = site, evidence = options[["evidence"]][i], frames = frames, price = price$cost,
             takes_s = price$takes, trial_worth(do.call(rbind, found), state$pick, price$cost))
}

# What the results of a trial come to: how often they overturn the pick, what that saves, and whether it is worth the
# price.
trial_worth <- function(found, pick, price) {
  other <- !is.na(found$wins) & !found$wins %in% pick
  old_fits <- found$old_fits %in% TRUE
  saves <- mean(ifelse(other & old_fits, pmax(0, found$old_cost - found$new_cost), 0))
  rescues <- mean(other & !old_fits)
  # Results after which nothing fits change the plan too: better known before the money is spent.
  nothing <- mean(is.na(found$wins)) * !is.na(pick)
  data.frame(overturns = mean(other), saves = saves, rescues = rescues, nothing = nothing,
             worth = saves > price || rescues >= 0.05 || nothing >= 0.05,
             wins = if (any(other)) names(which.max(table(found$wins[other]))) else NA_character_)
}

# What the frames of a trial cost at one node of the option's site and tier, fees and minimums with it.
trial_price <- function(forecast, i, frames) {
  scenario <- forecast$scenario
  few <- unique(round(seq(1, job_frames(option_of(scenario, i)$job_of), length.out = frames)))
  d <- simulated(scenario, i, common_frames(scenario, 101, forecast$seed),
                 what_if(frames = few, nodes = 1, spread = "frames", at_once = TRUE))$draws
  list(cost = stats::median(d[["cost"]]), takes = stats::median(d[["finish_s"]]))
}

# The facts with one option's draws weighted: sampled again in proportion, always alike (systematic resampling, Kitagawa
# 1996, J. Comput. Graph. Stat. 5, 1).
weigh_option <- function(facts, k, weight) {
  n <- length(weight)
  weight[!is.finite(weight)] <- 0
  if (sum(weight) <= 0) return(facts)
  at <- findInterval((seq_len(n) - 0.5) / n, cumsum(weight) / sum(weight)) + 1
  with_draws(facts, k, lapply(facts$draws[[k]], `[`, pmin(at, n)))
}
