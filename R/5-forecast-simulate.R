# One option of a scenario, simulated: as it is, or with something changed.

new_what_if <- record_type(
  "cp_what_if", price = is.numeric, speed = is.numeric, waiting = is.numeric,
  frames = maybe(is.numeric), nodes = maybe(is.integer), spread = maybe(is.character),
  at_once = is.logical, halt_s = maybe(is.numeric), left = anything
)

#' A changed scenario
#'
#' A change of a scenario, for [simulate_option()].
#'
#' @param price All prices of the option's site, times this; balances and caps stay.
#' @param speed The speed of its nodes, times this.
#' @param waiting Seconds that it waits longer before it begins.
#' @param frames Which of the job's frames are left, as places in the order of its shots; `NULL` for
#'   all.
#' @param nodes,spread Another number of nodes, another spread; `NULL` for the option's own.
#' @param at_once `TRUE` begins it now, whenever the option would begin.
#' @param halt_s When its nodes stop taking frames, in seconds from now; `NULL` for never.
#' @param left Which of the frames are its to render, a matrix of draws x frames; `NULL` for all.
#' @return A list of class `cp_what_if`.
#' @section Conditions: `clockpigeon_error_type` for a factor that is not above 0, a waiting below
#'   0, or no frame.
#' @examples
#' what_if(price = 1.2)
#' @export
what_if <- function(price = 1, speed = 1, waiting = 0, frames = NULL, nodes = NULL, spread = NULL,
                    at_once = FALSE, halt_s = NULL, left = NULL) {
  new_what_if(list(
    price = check_number(price, argument("price"), above = 0),
    speed = check_number(speed, argument("speed"), above = 0),
    waiting = check_number(waiting, argument("waiting"), least = 0),
    frames = if (!is.null(frames)) check_places(frames, argument("frames")),
    nodes = if (!is.null(nodes)) check_count(nodes, argument("nodes"), most = 4096),
    spread = if (!is.null(spread)) check_choice(spread, argument("spread"), spread_kinds),
    at_once = check_flag(at_once, argument("at_once")),
    halt_s = if (!is.null(halt_s)) check_number(halt_s, argument("halt_s"), least = 0), left = left
  ))
}

# Places in a list, all checked at once: there may be thousands.
check_places <- function(x, where) {
  if (!is.numeric(x) || !length(x) || anyNA(x) || min(x) < 1 || any(x != round(x))) {
    stop_input("type", paste("got", show_value(utils::head(x, 3))), where,
               "Write whole numbers of at least 1.")
  }
  as.integer(x)
}

#' Simulate one option of a scenario
#'
#' [forecast_job()] does this for all options of a scenario; here one is simulated, as it is or with
#' a change. The draws are those of the forecast with the same seed: a change shows its effect
#' alone, and no luck.
#'
#' @param scenario From [plan_options()].
#' @param option The name of an option, or its row.
#' @param change From [what_if()].
#' @param draws,seed As for [forecast_job()].
#' @param keep `TRUE` keeps when each frame is at home, and what each charge comes to.
#' @return A list: `draws`, a tibble as in [forecast_job()]; with `keep` also `run`, what
#'   [simulate_job()] returns.
#' @section Conditions: `clockpigeon_error_option` for an option that is not there.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' scenario <- plan_options(job, project$sites, only = "saltmill")
#' dearer <- simulate_option(scenario, 1, what_if(price = 1.5), draws = 100)$draws
#' stats::median(dearer$cost)
#' @export
simulate_option <- function(scenario, option, change = what_if(), draws = 2000, seed = 1,
                            keep = FALSE) {
  check_class(scenario, argument("scenario"), "cp_scenario", "plan_options()")
  check_class(change, argument("change"), "cp_what_if", "what_if()")
  draws <- check_count(draws, argument("draws"))
  known <- scenario$options[["option"]]
  if (!isTRUE(option %in% if (is.character(option)) known else seq_along(known))) {
    stop_input("option", paste("got", show_value(option)), argument("option"),
               paste0("Options here are ", toString(utils::head(known, 5)),
                      if (length(known) > 5) ", ...", "."))
  }
  out <- simulated(scenario, option, common_frames(scenario, draws, seed), change, keep)
  out$draws <- as_table(out$draws)
  out
}

# Frame times that all options of a scenario share, made once for each of its jobs: draws x frames,
# by the job's key.
common_frames <- function(scenario, n, seed) {
  made <- list()
  n <- min(n, vapply(scenario$jobs, kept_draws, 0, n = n))
  list(seed = seed, before = 0, of = function(key) {
    if (is.null(made[[key]])) made[[key]] <<- frame_draws(scenario$jobs[[key]], n, seed)
    made[[key]]
  })
}

# Largest number of frame times held at once: 40 MB. Larger jobs go block by block of draws.
most_cells <- 5e6

# All draws, unless their frames are too many to be held at once: then the first of them.
kept_draws <- function(job, n) max(16, min(n, most_cells %/% job_frames(job)))

# Seconds of every frame of the job on the reference node in one run: draws x frames, those that
# follow the first `before`. A question needs the same frames several times, so the last ones made
# are kept: each draw has its own stream, and the first of many draws equal those of a call for
# fewer.
frame_draws <- function(job, draws, seed, before = 0) {
  from <- list(job$curves, vapply(job$shots, `[[`, "", "shot"), seed, before)
  if (!identical(from, last_frames$from) || nrow(last_frames$seconds) < draws) {
    last_frames$from <- from
    last_frames$seconds <- draw_frames(job, draws, seed, before)
  }
  seconds <- last_frames$seconds
  if (nrow(seconds) == draws) seconds else seconds[seq_len(draws), , drop = FALSE]
}
last_frames <- new.env(parent = emptyenv())

draw_frames <- function(job, draws, seed, before) {
  parts <- Map(function(curve, shot) {
    curve_draws(curve, draws, stream_seed(seed, paste("frames", shot$shot)), before)
  }, job$curves, job$shots)
  if (length(parts) == 1) parts[[1]] else do.call(cbind, parts)
}

# The only door to the simulation of an option: its draws as a data frame, and with `keep` its run.
# `frames` is from common_frames(); `job` stands in for the option's own where its evidence is taken
# otherwise.
simulated <- function(scenario, option, frames, change = what_if(), keep = FALSE) {
  it <- option_of(scenario, option)
  job <- it$job_of
  seconds <- frames$of(job_key(it))
  if (length(change$frames)) {
    job <- job_part(job, change$frames)
    seconds <- seconds[, change$frames, drop = FALSE]
  }
  it <- changed_option(it, change)
  corrections <- scenario$corrections
  halted <- length(change$halt_s) > 0
  # The whole job takes longer by this factor, so the halt comes earlier in it.
  if (halted) change$halt_s <- change$halt_s /
    exp(or_else(correction_of(corrections, it, "finish_s")$bias, 0))
  run <- simulate_way(job, it, seconds, scenario, frames, keep, change)
  d <- as_frame(run$draws)
  rate <- rate_to(it$at, job$currency, job$rates)$rate
  there <- function(amount) from_minor(to_minor(amount * rate, job$currency), job$currency)
  out <- data.frame(option = it$option, draw = frames$before + d[["draw"]],
                    finish_s = d[["finish_s"]], cost = there(d[["to_pay"]] + d[["prepaid"]]),
                    d[stage_columns],
                    d[c("node_hours", "log_speed", "frames_done", "frames_lost", "capped")],
                    lost_money = there(d[["lost_money"]]),
                    gifts = there(d[["credit"]] - d[["prepaid"]]))
  if (NROW(corrections)) {
    corrected <- corrected_draws(out, corrections, it, job$currency, halted)
    out <- corrected$draws
    if (length(run$home)) run$home <- sweep(run$home, 2, corrected$ratio, `*`)
  }
  c(list(draws = out), if (keep || halted) list(run = run))
}

# Gross amount that a site charges in each draw. Quotes, meters and caps are gross; a gift reduces
# only the payment. `draws`: as simulated() makes them.
full_price <- function(draws) draws[["cost"]] + or_else(draws[["gifts"]], 0)

# An option as option_of() gives it, with what is changed.
changed_option <- function(it, change) {
  it$log_speed <- it$log_speed + log(change$speed)
  it$nodes <- first_of(change$nodes, it$nodes)
  it$spread <- first_of(change$spread, it$spread)
  it$begin_s <- (if (change$at_once) 0 else it$begin_s) + change$waiting
  it$rate_card <- if (change$price == 1) it$at else scaled_prices(it$at, change$price)
  it
}

simulate_way <- function(job, it, seconds, scenario, frames, keep, change) {
  now <- scenario$now
  way <- correct_setup(option_way(job, it, it$at, now), scenario$corrections, it, now + it$begin_s)
  way$halt <- first_of(change$halt_s, Inf)
  shots <- vapply(job$shots, `[[`, "", "shot")
  pixels <- shot_megapixels(job$shots)
  meter <- check_metering(it$rate_card, it$tier, if (!is.na(it$hire)) it$hire, job$engine,
                          on = now + it$begin_s, now = now,
                          megapixels = sum(pixels * frames_by_shot(job)) / job_frames(job))
  labels <- c(job = paste(shots, collapse = " "), site = it$site, tier = it$tier)
  simulate_job(seconds, way, seed = frames$seed, meter = meter, keep = keep,
               drawing = list(labels = labels, before = frames$before, numbers = frames$numbers),
               state = if (!is.null(change$left)) list(left = change$left))
}

# Megapixels of a frame of each shot, by its name.
shot_megapixels <- function(shots) {
  stats::setNames(vapply(shots, function(shot) prod(shot$size) / 1e6, 0),
                  vapply(shots, `[[`, "", "shot"))
}

# The job with some of its frames; shots that have none left are gone.
job_part <- function(job, columns) {
  of_shot <- rep(seq_along(job$shots), frames_by_shot(job))
  place <- sequence(frames_by_shot(job))
  job$shots <- lapply(seq_along(job$shots), function(k) {
    shot <- job$shots[[k]]
    shot$frames <- shot$frames[place[columns[of_shot[columns] == k]]]
    shot
  })
  job$shots <- Filter(function(shot) length(shot$frames) > 0, job$shots)
  job
}

# A card with all its prices times a factor: charges, brackets, fees, minimums, hire classes.
# Balances stay.
scaled_prices <- function(site, factor) {
  times <- function(x) round(x * factor, 7)
  scaled <- function(charge) {
    for (name in intersect(c("amount", "fixed", "minimum", "minimum_node", "minimum_month"),
                           names(charge))) {
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
