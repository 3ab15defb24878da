# Trial frames: what they cost, and whether they could overturn the pick.

#' Is a trial worth it?
#'
#' For each leading site whose speed is not well known: the cost of a few trial frames there, the
#' chance that their result overturns the pick, and the value of that. The value of a trial is
#' computed beforehand (value of sample information; Raiffa & Schlaifer 1961, *Applied Statistical
#' Decision Theory*): for results spread over what the trial could say, the draws of the site's
#' options are weighted by how well their speed agrees with it, and the choice is made again. Sites
#' excluded only because their speed is unknown are considered too, with the speeds of the others
#' and a wide spread (a log sd of 0.6) as possible results.
#'
#' @param choice From [choose_option()].
#' @param frames Frames of the trial.
#' @param sites How many sites are looked at, those of the best options; those of unknown speed come
#'   on top.
#' @return A tibble, one row a site, the most valuable trial first: `site`, `evidence` (of its speed
#'   now), `frames`, `price` (of the trial, in the job's currency), `takes_s`, `overturns` (chance
#'   that the plan becomes another), `saves` (on average, in money, misses counted as
#'   [next_measures()] does), `worth` (`TRUE` when it saves more than its price), `wins` (the plan
#'   it most likely leads to), `says`.
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
  keep_with(choice, paste("trials", frames, sites), function() trials_of(choice, frames, sites))
}

# Trials at sites whose speed is unknown, claimed or assumed, with price and value.
trials_of <- function(choice, frames, sites) {
  forecast <- with_unknown_sites(choice$forecast)
  options <- as_frame(forecast$scenario$options)
  stake <- worth_stake(choice, forecast)
  judged <- judge_options(if (identical(forecast, choice$forecast)) choice$facts else
                          option_facts(forecast),
                          stake$asked)
  open <- open_speed(options[["speed_se"]], main_job(forecast$scenario)) > 0.02
  order <- order(!judged[["fits"]], judged[["rank"]])
  leading <- unique(options[["site"]][order][open[order]])
  unknown <- unique(options[["site"]][options[["evidence"]] == "unknown"])
  rows <- lapply(unique(c(unknown, utils::head(setdiff(leading, unknown), sites))), function(site) {
    mine <- which(options[["site"]] == site)
    found <- one_trial(stake, mine[which.min(judged[["rank"]][mine])], frames)
    row <- measure_row(stake, "trial", site, frames, found$takes, found$price, found$results, "")
    names(row)[match(c("about", "changes"), names(row))] <- c("site", "overturns")
    cbind(row[setdiff(names(row), c("what", "command"))], evidence = options[["evidence"]][mine[1]])
  })
  out <- do.call(rbind, rows)
  if (is.null(out)) return(as_table(data.frame(site = character(), says = character())))
  out <- out[c("site", "evidence", "frames", "price", "takes_s", "overturns", "saves", "worth",
               "wins")]
  out[["says"]] <- trial_sentences(out, forecast$scenario$currency, trial_results)
  as_table(out[order(!out[["worth"]], -out[["overturns"]], out[["price"]]), , drop = FALSE])
}

# The forecast with sites whose only fault is that their speed is unknown, as options of a wide
# assumed speed.
with_unknown_sites <- function(forecast) {
  scenario <- forecast$scenario
  job <- main_job(scenario)
  unknown <- scenario$left_out[["site"]][scenario$left_out[["code"]] == "unknown_speed"]
  if (!length(unknown)) return(forecast)
  known <- unique(as_frame(scenario$options)[c("site", "log_speed")])
  guess <- stats::median(known[["log_speed"]])
  guessed <- lapply(scenario$sites[unknown], function(site) {
    site$speeds <- list(list(engine = job$engine, relative_to = job$node, factor = exp(guess),
                             basis = "assumed"))
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

# A trial of a number of frames by the option `i`: its price, duration, and possible results.
one_trial <- function(stake, i, frames) {
  options <- as_frame(stake$forecast$scenario$options)
  job <- option_of(stake$forecast$scenario, i)$job_of
  open <- open_speed(options[["speed_se"]][i], job)
  error <- max(job$run_sd, 0.02) * sqrt(2 / frames)
  theta <- matrix(stake$forecast$draws[["log_speed"]], ncol = nrow(options))[, i]
  price <- trial_price(stake$forecast, i, frames)
  list(price = price$cost, takes = price$takes,
       results = results_of(stake, theta, options[["log_speed"]][i], options[["speed_se"]][i],
                            open^2 / sqrt(open^2 + error^2),
                            states_of_sites(stake, options[["site"]][i])))
}

# Price of a trial's frames at one node of the option's site and tier, including fees and minimums.
trial_price <- function(forecast, i, frames) {
  scenario <- forecast$scenario
  few <- unique(round(seq(1, job_frames(option_of(scenario, i)$job_of), length.out = frames)))
  d <- simulated(scenario, i, common_frames(scenario, 101, forecast$seed),
                 what_if(frames = few, nodes = 1, spread = "frames", at_once = TRUE))$draws
  list(cost = stats::median(d[["cost"]]), takes = stats::median(d[["finish_s"]]))
}
