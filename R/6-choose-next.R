# What to measure next: everything worth measuring for this question, best first.

#' What to measure next
#'
#' For each thing that could be measured before deciding: what that takes and costs, how likely its
#' result is to change the plan, and what it saves on average. The value is computed beforehand
#' (value of sample information; Raiffa & Schlaifer 1961, *Applied Statistical Decision Theory*):
#' for results spread over what the measurement could say, the draws of the plans and of every
#' option are weighed by how well they agree with each, and the best is picked again. The draws
#' carry the uncertainty of the parameters (of a shot's curve, of a site's speed), and so does what
#' a probe is expected to tell ([next_probe()]). Best is what costs least on average, a missed
#' deadline or budget counted at the least price at which the plan is the best to begin with: what
#' the confidence asked says a miss is worth. Plans are not searched again for each result, so that
#' the value is a little too low.
#'
#' @param choice From [choose_option()].
#' @param most How many rows at most.
#' @return A tibble, one row a measurement: `what` (`probe`, frames of a shot; `cheap`, a pass over
#'   all its frames at an eighth of the size; `trial`, frames at a site; `repeat`, the same frames
#'   on another day; `pack`; `ask`, what a rate card does not say; `version`, a requested engine or
#'   version that was never measured; `samples`, whether half of them are enough: never counted as
#'   worth it, since it is another picture), `about` (the shot, site or version), `frames`,
#'   `takes_s`, `price` (money, fees with it; of own nodes what an hour of theirs costs), `changes`
#'   (chance that the plan becomes another), `saves` (on average, in money, misses counted as
#'   above), `worth` (it saves more than its price, and more than 1 % of what the plan costs),
#'   `wins` (the plan it most likely leads to), `command` (that does it, or what to ask), `says`. No
#'   row worth it: no measurement is worth it.
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites), draws = 200)
#' choice <- choose_option(forecast, deadline = "5 h", budget = "60 EUR")
#' next_measures(choice)[c("what", "about", "worth")]
#' @export
next_measures <- function(choice, most = 12) {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  most <- check_count(most, argument("most"))
  out <- keep_with(choice, "next", function() measures_of(choice))
  utils::head(out, most)
}

# Measurements that could change the plan, the most valuable first.
measures_of <- function(choice, frames = NULL) {
  stake <- worth_stake(choice)
  rows <- if (has_curves(choice$forecast$scenario)) {
    c(shot_measures(stake, frames), site_measures(stake), pack_measures(stake), ask_measures(stake),
      version_measures(stake), sample_measures(stake))
  }
  empty <- data.frame(what = character(), about = character(), frames = integer(),
                      takes_s = numeric(), price = numeric(), changes = numeric(),
                      saves = numeric(), worth = logical(), wins = character(),
                      command = character())
  out <- do.call(rbind, c(list(empty), rows))
  out <- out[order(!out[["worth"]], -(out[["saves"]] - out[["price"]]), out[["takes_s"]]), ,
             drop = FALSE]
  out[["says"]] <- measure_sentences(out, choice)
  as_table(out)
}

# Frames of each shot, and a cheap pass over them where none was made: both tell of the shot's
# total, and so of every option.
shot_measures <- function(stake, frames) {
  scenario <- stake$forecast$scenario
  job <- main_job(scenario)
  n <- stake$forecast$n
  if (kept_draws(job, n) < n) return(NULL)
  seconds <- if (is.null(frames)) frame_draws(job, n, stake$forecast$seed) else
    frames$of(job_key(job))
  of_shot <- rep(seq_along(job$shots), frames_by_shot(job))
  price <- function(takes) takes / 3600 * stake$own_hour
  measures_of_shot <- function(k) {
    curve <- job$curves[[k]]
    name <- job$shots[[k]]$shot
    total <- log(rowSums(seconds[, of_shot == k, drop = FALSE]))
    se <- stats::sd(total)
    open <- !all(curve$frames %in% curve$frame)
    if (!open || se < 0.005) return(NULL)
    found <- probes_ahead(curve, 500, closely = 40)
    narrows <- min(1, max(found[["narrows"]][1], 0))
    try <- function(told) results_of(stake, total, mean(total), se, told, seq_along(stake$names))
    probes <- lapply(c(1, 3, 8), function(n) {
      takes <- n * found[["seconds"]][1]
      measure_row(stake, "probe", name, n, takes, price(takes), try(se * sqrt(1 - (1 - narrows)^n)),
                  sprintf("clockpigeon probe %s --budget %s", name, plain_span(takes)))
    })
    net <- vapply(probes, function(p) p$saves - p$price, 0)
    cheap <- if (!length(curve$cheap)) {
      takes <- sum(exp(mean(total))) / 64 + length(curve$frames) * mean_load(job)
      # Remaining variance after cheap times, if no data show how closely they follow: a correlation
      # of 0.9.
      list(measure_row(stake, "cheap", name, length(curve$frames), takes, price(takes),
                       try(se * 0.9), sprintf("clockpigeon probe %s --cheap yes", name)))
    }
    c(probes[which.max(net)], cheap)
  }
  unlist(lapply(seq_along(job$shots), measures_of_shot), recursive = FALSE)
}

mean_load <- function(job) {
  loads <- job$evidence[["load_s"]]
  if (all(is.na(loads))) 0 else mean(loads, na.rm = TRUE)
}

# A span as an option takes it: whole minutes, or seconds under two.
plain_span <- function(seconds) {
  if (seconds < 120) paste0(max(1, ceiling(seconds)), "s") else paste0(ceiling(seconds / 60), "min")
}

# Trial frames at each site whose speed is not well known, and the same frames on another day, where
# what differs from day to day was measured once.
site_measures <- function(stake) {
  options <- as_frame(stake$forecast$scenario$options)
  job <- main_job(stake$forecast$scenario)
  drift <- first_of(job$drift_sd, 0)
  measures_of_site <- function(site) {
    mine <- which(options[["site"]] == site)
    i <- mine[which.min(colMeans(stake$cost)[mine])]
    theta <- matrix(stake$forecast$draws[["log_speed"]], ncol = nrow(options))[, i]
    open <- open_speed(options[["speed_se"]][i], job)
    columns <- states_of_sites(stake, site)
    try <- function(told) {
      results_of(stake, theta, options[["log_speed"]][i], options[["speed_se"]][i], told, columns)
    }
    trial <- if (open > 0.02) {
      found <- one_trial(stake, i, 3)
      list(measure_row(stake, "trial", site, 3, found$takes, found$price, found$results,
                       paste("clockpigeon import TIMES.csv --site", site)))
    }
    own <- site %in% own_sites(stake$forecast$scenario)
    again <- if (own && drift > 0.02) {
      takes <- 3 * exp(mean(log(job$evidence[["wall_s"]])))
      list(measure_row(stake, "repeat", site, 3, takes, takes / 3600 * stake$own_hour,
                       try(drift / sqrt(2)), "clockpigeon bench"))
    }
    c(trial, again)
  }
  unlist(lapply(unique(options[["site"]]), measures_of_site), recursive = FALSE)
}

# Packing, if unmeasured.
pack_measures <- function(stake) {
  scenario <- stake$forecast$scenario
  job <- main_job(scenario)
  options <- as_frame(scenario$options)
  sent <- vapply(scenario$sites[options[["site"]]], function(s) length(s$link) > 0, NA)
  stage <- pack_stage(job)
  if (!any(sent) || stage$basis != "assumed" || stage$time$median_s <= 0) return(NULL)
  i <- which(sent)[1]
  theta <- log(pmax(matrix(stake$forecast$draws[["prepare_s"]], ncol = nrow(options))[, i], 1e-3))
  se <- stats::sd(theta)
  if (!isTRUE(se > 0.01)) return(NULL)
  sites <- unique(options[["site"]][sent])
  list(measure_row(stake, "pack", job$shots[[1]]$shot, 0, stage$time$median_s, 0,
                   results_of(stake, theta, mean(theta), se, 0.95 * se,
                              states_of_sites(stake, sites)),
                   paste("clockpigeon pack", job$shots[[1]]$shot)))
}

# Spreads of the log speed of what was never measured: another version, another engine.
unseen_sd <- c(version = 0.2, engine = 0.5)

# A requested version or engine that was never measured: assumed as likely faster as slower than the
# present one. Its average saving is then E max(0, 1 - exp(-z)) of the cost, z normal with that
# spread.
version_measures <- function(stake) {
  scenario <- stake$forecast$scenario
  out <- as_frame(scenario$left_out)
  job <- main_job(scenario)
  takes <- 3 * exp(mean(log(job$evidence[["wall_s"]])))
  cost <- mean(stake$cost[, stake$now])
  lapply(which(out[["code"]] == "unmeasured"), function(k) {
    name <- out[["site"]][k]
    s <- unseen_sd[[if (startsWith(name, paste0(job$engine, " "))) "version" else "engine"]]
    saves <- if (stake$fits) cost * (0.5 - exp(s^2 / 2) * stats::pnorm(-s)) else 0
    price <- takes / 3600 * stake$own_hour
    data.frame(what = "version", about = name, frames = 3L, takes_s = takes, price = price,
               changes = 0.5, saves = saves,
               worth = if (stake$fits) saves > max(price, 0.01 * cost) else TRUE, wins = name,
               command = sprintf("clockpigeon bench --engines '%s' --shots %s", name,
                                 job$shots[[1]]$shot))
  })
}

# Would half the samples be clean enough? Assumed 50 % likely if fewer than three counts were tried.
# Two frames of each shot are rendered twice at a quarter and at a half. It is another picture,
# which the user may not want: never counted as worth it.
sample_measures <- function(stake) {
  scenario <- stake$forecast$scenario
  job <- main_job(scenario)
  tried <- as_frame(job$sample_rows)
  counts <- tapply(tried[["limit_value"]], tried[["scene"]], function(x) length(unique(x)))
  countable <- vapply(job$shots, function(shot) isTRUE(shot$limit$samples > 3), NA)
  if (!all(countable) || any(counts >= 3) || !stake$fits) return(NULL)
  i <- leading_options(stake$choice, 1)
  few <- common_frames(scenario, min(stake$forecast$n, 200), stake$forecast$seed)
  cost <- function(...) mean(simulated(scenario, i, few, what_if(...))$draws[["cost"]])
  share <- cost(speed = exp(-with_share(job, 0.5)$time_share[["log"]])) / cost()
  takes <- 2 * 2 * (0.25 + 0.5) * length(job$shots) * exp(mean(log(job$evidence[["wall_s"]])))
  price <- takes / 3600 * stake$own_hour
  saves <- if (is.finite(share)) 0.5 * max(0, 1 - share) * mean(stake$cost[, stake$now]) else 0
  list(data.frame(what = "samples", about = job$shots[[1]]$shot, frames = 2L, takes_s = takes,
                  price = price, changes = 0.5, saves = saves, worth = FALSE, wins = NA_character_,
                  command = paste("clockpigeon limit", job$shots[[1]]$shot)))
}

# Gaps of a rate card: the site's possible saving, assuming that the answer is the needed one in 50
# % of cases.
ask_measures <- function(stake) {
  scenario <- stake$forecast$scenario
  out <- as_frame(scenario$left_out)
  lapply(which(out[["code"]] == "unknown_fit"), function(k) {
    site <- scenario$sites[[out[["site"]][k]]]
    more <- tryCatch(open_site_draws(stake, site, main_job(scenario)),
                     clockpigeon_error = function(e) list())
    loss <- vapply(more, function(d) {
      kept <- d[["finish_s"]] <= min(stake$asked$deadline_s, .Machine$double.xmax) &
        d[["cost"]] <= stake$asked$budget
      mean(d[["cost"]] + stake$miss * !kept)
    }, 0)
    now <- mean(stake$cost[, stake$now] + stake$miss * (1 - stake$kept[, stake$now]))
    saves <- 0.5 * max(0, now - min(Inf, loss))
    if (!stake$fits) {
      judged <- lapply(more, function(d)
                       judged_draws(d[["finish_s"]], d[["cost"]], stake$asked)$fits)
      saves <- 0
      now <- if (any(unlist(judged))) -1 else Inf
    }
    helps <- saves > 0.01 * now
    data.frame(what = "ask", about = site$site, frames = 0L, takes_s = 0, price = 0,
               changes = 0.5 * (helps || saves > 0),
               saves = saves, worth = helps, wins = if (helps) site$site else NA_character_,
               command = sub("^unknown: ", "", out[["reason"]][k]))
  })
}

# Draws of a few ways to use a site that its card leaves open.
open_site_draws <- function(stake, site, job) {
  scenario <- stake$forecast$scenario
  # its cost is unknown
  if (is.null(rate_to(site, job$currency, job$rates))) return(list())
  if (is.null(site_speed(job, site))) {
    known <- unique(as_frame(scenario$options)[c("site", "log_speed")])
    site$speeds <- list(list(engine = job$engine, relative_to = job$node,
                             factor = exp(stats::median(known[["log_speed"]])), basis = "assumed"))
  }
  rows <- site_options(site, job, NULL, scenario$now)$rows
  rows <- rows[rows[["begin_s"]] == 0, , drop = FALSE]
  rows <- rows[unique(round(seq(1, nrow(rows), length.out = 3))), , drop = FALSE]
  rows[["option"]] <- option_names(rows)
  scenario$options <- as_table(rows[option_columns])
  scenario$sites[[site$site]] <- site
  frames <- common_frames(scenario, min(stake$forecast$n, 200), stake$forecast$seed)
  lapply(seq_len(nrow(rows)), function(i) simulated(scenario, i, frames)$draws)
}

# One sentence a row.
measure_sentences <- function(rows, choice) {
  currency <- choice$forecast$scenario$currency
  vapply(seq_len(nrow(rows)), function(k) {
    x <- rows[k, ]
    takes <- if (x$what != "ask") paste0(": ", format_duration(x$takes_s))
    price <- if (x$what != "ask" && x$price > 0) paste0(" and ", format_money(x$price, currency))
    gains <- measure_gains(x, currency, choice$plan$fits)
    paste0(measure_words(x), takes, price, "; ", paste(gains, collapse = ", "),
           if (!x$worth && x$what != "samples") " (not worth it)", ".")
  }, "")
}

measure_words <- function(x) {
  switch(x$what,
         probe = paste0(x$frames, if (x$frames == 1) " frame of " else " frames of ", x$about),
         cheap = paste("a cheap pass over", x$about),
         trial = paste(x$frames, "trial frames at", x$about),
         "repeat" = paste("the same frames for", x$about, "on another day"),
         pack = paste("packing", x$about),
         ask = paste0("ask ", x$about, ": ", missing_card_words(x$command)),
         version = paste0(x$frames, " frames with ", x$about,
                          ", never measured (assumed as likely faster as slower)"),
         samples = "would half the samples be clean enough? (assumed 50 % likely)")
}

# Gap of a card, without the sentence around it.
missing_card_words <- function(text) {
  gsub(": ask about ([^;]+)", " (\\1)", gsub("its card does not say ", "", text))
}

# Value of a measurement. `fits`: does the present plan?
measure_gains <- function(x, currency, fits) {
  saves <- paste("saves", format_about(x$saves, x$saves / 10, currency), "on average")
  if (x$what == "samples") return(saves)
  if (x$changes <= 0) return("would change nothing")
  if (!fits) return(paste("a plan fits in", format_percent(x$changes), "of results"))
  paste0("worth ", format_about(x$saves, x$saves / 10, currency), " on average (",
         format_percent(x$changes), " chance that it changes the plan)")
}
