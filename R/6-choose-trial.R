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
#' forecast <- forecast_job(job, plan_options(job, project$sites), draws = 200)
#' trial_value(choose_option(forecast, deadline = "3 h", budget = "60 EUR"), sites = 2)["says"]
#' @export
trial_value <- function(choice, frames = 3, sites = 4) {
  check_class(choice, argument("choice"), "choice", "choose_option()")
  frames <- check_count(frames, argument("frames"), most = 1000)
  sites <- check_count(sites, argument("sites"))
  choice <- with_unknown_sites(choice)
  options <- as_frame(choice$forecast$options)
  state <- list(table = option_facts(choice$forecast), asked = choice[question_fields])
  judged <- judge_options(state$table, state$asked)
  open <- open_speed(options[["speed_se"]], choice$forecast$job) > 0.02
  order <- order(!judged[["fits"]], judged[["rank"]])
  leading <- unique(options[["site"]][order][open[order]])
  unknown <- unique(options[["site"]][options[["evidence"]] == "unknown"])
  rows <- lapply(unique(c(unknown, utils::head(setdiff(leading, unknown), sites))), one_trial, choice = choice,
                 state = state, judged = judged, frames = frames)
  out <- do.call(rbind, rows)
  if (is.null(out)) return(as_table(data.frame(site = character(), says = character())))
  as_table(out[order(!out[["worth"]], -out[["overturns"]], out[["price"]]), , drop = FALSE])
}

# Sites whose only fault is that their speed is unknown, added as options of a wide assumed speed.
with_unknown_sites <- function(choice) {
  forecast <- choice$forecast
  job <- forecast$job
  out <- forecast$left_out
  unknown <- out[["site"]][grepl("^unknown speed", out[["reason"]])]
  all <- forecast$all_sites[unknown]
  if (!length(all)) return(choice)
  known <- unique(as_frame(forecast$options)[c("site", "log_speed")])
  guess <- stats::median(known[["log_speed"]])
  all <- lapply(all, function(site) {
    site$speeds <- list(list(engine = job$engine, relative_to = job$node, factor = exp(guess), basis = "assumed"))
    site
  })
  fit <- Filter(function(site) !nzchar(why_not(site, job)), all)
  if (!length(fit)) return(choice)
  more <- plan_options(job, unname(fit), now = forecast$made_at)
  more[["speed_se"]] <- 0.6
  more[["evidence"]] <- "unknown"
  extra <- forecast_job(job, more, forecast$n, forecast$seed)
  joined <- forecast
  joined$options <- as_table(rbind(as_frame(forecast$options), as_frame(more)), class = "job_options")
  for (name in c("jobs", "left_out", "doubts", "pruned", "now")) {
    attr(joined$options, name) <- attr(forecast$options, name)
  }
  attr(joined$options, "sites") <- c(attr(forecast$options, "sites"), attr(more, "sites"))
  joined$draws <- as_table(rbind(as_frame(forecast$draws), as_frame(extra$draws)))
  choice$forecast <- joined
  choice
}

# What of a speed's spread a trial can take away: how the machine drifts from day to day stays.
open_speed <- function(se, job) sqrt(pmax(0, se^2 - session_drift(job)^2 - first_of(job$busy$sd, 0)^2))

# One site's trial. What it could find is cut into equally likely results.
one_trial <- function(site, choice, state, judged, frames, results = 128) {
  forecast <- choice$forecast
  options <- as_frame(forecast$options)
  mine <- which(options[["site"]] == site)
  i <- mine[which.min(judged[["rank"]][mine])]
  job <- option_job(forecast$options, i)
  price <- trial_price(choice, i, job, frames)
  mean <- options[["log_speed"]][i]
  se <- options[["speed_se"]][i]
  error <- max(job$run_sd, 0.02) * sqrt(2 / frames)
  told <- open_speed(se, job)
  told <- told^2 / sqrt(told^2 + error^2)
  after <- sqrt(se^2 - told^2)
  centres <- mean + stats::qnorm((seq_len(results) - 0.5) / results) * told
  speed <- matrix(forecast$draws[["log_speed"]], ncol = nrow(options))
  found <- lapply(centres, function(centre) {
    reweighed <- state$table
    for (k in mine) {
      weight <- stats::dnorm(speed[, k], centre, after) / stats::dnorm(speed[, k], mean, se)
      reweighed <- weigh_option(reweighed, k, weight)
    }
    now <- judge_options(reweighed, state$asked)
    data.frame(wins = now[["option"]][now[["pick"]]][1], old_fits = now[["fits"]][match(choice$pick, now[["option"]])],
               old_cost = now[["cost_p50"]][match(choice$pick, now[["option"]])],
               new_cost = now[["cost_p50"]][now[["pick"]]][1])
  })
  found <- do.call(rbind, found)
  trial_row(site, choice, options, i, frames, price, found)
}

trial_row <- function(site, choice, options, i, frames, price, found) {
  other <- !is.na(found$wins) & !found$wins %in% choice$pick
  old_fits <- found$old_fits %in% TRUE
  overturns <- mean(other)
  saves <- mean(ifelse(other & old_fits, pmax(0, found$old_cost - found$new_cost), 0))
  rescues <- mean(other & !old_fits)
  # Results after which nothing fits change the plan too: better known before the money is spent.
  nothing <- mean(is.na(found$wins)) * !is.na(choice$pick)
  wins <- if (any(other)) names(which.max(table(found$wins[other]))) else NA_character_
  worth <- saves > price$cost || rescues >= 0.05 || nothing >= 0.05
  currency <- choice$forecast$job$currency
  says <- paste0(
    frames, if (frames == 1) " frame" else " frames", " at ", site, " (speed ", options[["evidence"]][i], ") cost ",
    format_money(price$cost, currency), " and take ", format_duration(price$takes), ". ",
    if (overturns == 0 && nothing == 0) {
      paste0("No result of theirs would change the pick (below ", percent(1 / nrow(found)), "): not worth it.")
    } else paste0(if (overturns > 0) paste0("With a chance of ", percent(overturns),
                                            " they change the pick, most likely to ", wins, "; "),
                  if (rescues > 0) paste0("in ", percent(rescues), " because the pick would not have fitted; "),
                  if (nothing > 0) paste0("in ", percent(nothing), " they show that nothing fits; "),
                  "on average they save ", format_money(saves, currency), ": ",
                  if (worth) "worth it." else "not worth it.")
  )
  data.frame(site = site, evidence = options[["evidence"]][i], frames = frames, price = price$cost,
             takes_s = price$takes, overturns = overturns, saves = saves, rescues = rescues, nothing = nothing,
             worth = worth, wins = wins, says = says)
}

# What the frames of a trial cost at one node of the option's site and tier, fees and minimums with it.
trial_price <- function(choice, i, job, frames) {
  forecast <- choice$forecast
  option <- utils::modifyList(as.list(as_frame(forecast$options)[i, , drop = FALSE]),
                              list(nodes = 1L, begin_s = 0, spread = "frames"))
  site <- attr(forecast$options, "sites")[[option$site]]
  seconds <- frame_draws(job, 101, forecast$seed)
  few <- seconds[, unique(round(seq(1, ncol(seconds), length.out = frames))), drop = FALSE]
  d <- simulate_option(job, option, site, few, forecast$seed, forecast$made_at)
  list(cost = stats::median(d[["cost"]]), takes = stats::median(d[["finish_s"]]))
}

# The table with one option's draws weighted: sampled again in proportion, always alike (systematic resampling, Kitagawa
# 1996, J. Comput. Graph. Stat. 5, 1).
weigh_option <- function(table, k, weight) {
  draws <- attr(table, "draws")
  n <- length(weight)
  weight[!is.finite(weight)] <- 0
  if (sum(weight) <= 0) return(table)
  at <- findInterval((seq_len(n) - 0.5) / n, cumsum(weight) / sum(weight)) + 1
  at <- pmin(at, n)
  draws[[k]] <- lapply(draws[[k]], `[`, at)
  table[["finish_p50"]][k] <- stats::quantile(draws[[k]]$finish_s, 0.5, names = FALSE, type = 1)
  table[["cost_p50"]][k] <- stats::quantile(draws[[k]]$cost, 0.5, names = FALSE, type = 1)
  attr(table, "draws") <- draws
  table
}
