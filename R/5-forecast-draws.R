# The forecast: all options of a scenario, many times over.

new_forecast <- record_type("cp_forecast", scenario = is.list, draws = is.data.frame,
                            exchange = maybe(is.data.frame), n = is.numeric, seed = is.numeric,
                            kept = is.environment)

#' Forecast duration and cost of a job
#'
#' Simulates each option of a scenario with [simulate_job()]: draws of every frame's time (from the
#' shots' curves and the spread from run to run), of the site's speed and link, of packing, waiting
#' and starting; the frames by list scheduling; what goes wrong there; hours; the way home; and the
#' rate card's meter. Frame times are common to all options, so that options differ only by what
#' they are; every site and tier has its own streams, so that adding one changes no other.
#'
#' @param scenario From [plan_options()]; rows of its `options` may be left out.
#' @param draws Number of draws.
#' @param seed Same seed, same forecast.
#' @param progress `TRUE` says on standard error how far it is, when it takes long.
#' @return A list of class `cp_forecast`: `scenario`; `draws`, a tibble with `option`, `draw`,
#'   `finish_s` (from now), `cost` (in the scenario's currency; what a prepaid balance pays is cost,
#'   a gift is not), the stages that [simulate_job()] tells apart (from `held_s` to `encode_s`),
#'   `node_hours`, `log_speed` (of the site, as drawn), `frames_done`, `frames_lost`, `capped`,
#'   `lost_money`; `exchange`, the rates used; `n` and `seed`. `summary()` gives 10 %, 50 % and 90 %
#'   points; [choose_option()] chooses.
#' @section Conditions: `clockpigeon_error_type` for arguments of the wrong kind;
#'   `clockpigeon_error_option` when the scenario has no option, or one of a site or job that it
#'   does not hold.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' summary(forecast_job(plan_options(job, project$sites), draws = 200))
#' @export
forecast_job <- function(scenario, draws = 2000, seed = 1, progress = FALSE) {
  check_class(scenario, argument("scenario"), "cp_scenario", "plan_options()")
  draws <- check_count(draws, argument("draws"), least = 10)
  seed <- check_count(seed, argument("seed"), least = 0, most = 2^31 - 2)
  rows <- as_frame(scenario$options)
  if (!nrow(rows) || !all(job_key(rows) %in% names(scenario$jobs)) ||
      !all(rows[["site"]] %in% names(scenario$sites))) {
    stop_input("option", if (nrow(rows))
               "holds an option of a job or site that it does not know" else "has no option",
               argument("scenario"), "Plan the options again with plan_options().")
  }
  new_forecast(list(scenario = scenario, draws = option_draws(scenario, draws, seed, progress),
                    exchange = used_rates(main_job(scenario), option_sites(scenario)), n = draws,
                    seed = seed, kept = new.env(parent = emptyenv())))
}

# The draws of all options, option by option. Frame times are made once for each engine, version and
# limit.
option_draws <- function(scenario, draws, seed, progress = FALSE) {
  frames <- vapply(scenario$jobs, job_frames, 0)
  size <- min(draws, max(16, floor(most_cells / max(frames) / 8) * 8))
  began <- Sys.time()
  key <- job_key(as_frame(scenario$options))
  blocks <- lapply(seq(0, draws - 1, by = size), function(before) {
    here <- min(size, draws - before)
    parts <- vector("list", length(key))
    for (name in unique(key)) {
      # Times of one engine and version differ by limit only in the speed that the options carry.
      seconds <- frame_draws(scenario$jobs[[name]], here, seed, before)
      common <- list(seed = seed, before = before, of = function(key) seconds)
      for (i in which(key == name)) {
        parts[[i]] <- simulated(scenario, i, common)$draws
        if (progress) tell_progress(began, (before + here * i / length(key)) / draws)
      }
    }
    parts
  })
  # Column by column: binding thousands of tables row by row would take longer than making them.
  parts <- unlist(lapply(seq_along(key), function(i) lapply(blocks, `[[`, i)), recursive = FALSE)
  as_table(lapply(stats::setNames(nm = names(parts[[1]])),
                  function(name) unlist(lapply(parts, `[[`, name))))
}

# After a few seconds, and then every few: how much is done, and how long the rest will take.
tell_progress <- function(began, share) {
  passed <- as.numeric(Sys.time() - began, units = "secs")
  if (passed > 3 && share < 1) {
    cat(sprintf("\rforecast: %s done, %s left   ", format_percent(share),
                format_duration(passed * (1 - share) / share)),
        file = stderr())
  }
  if (passed > 3 && share >= 1) cat("\r", strrep(" ", 60), "\r", sep = "", file = stderr())
}

used_rates <- function(job, sites) {
  currencies <- vapply(sites, `[[`, "", "currency")
  bind_tables(lapply(sites[!duplicated(currencies) & currencies != job$currency], function(site) {
    data.frame(from = site$currency, to = job$currency, rate_to(site, job$currency, job$rates))
  }))
}

#' @rdname forecast_job
#' @param object A forecast.
#' @param probs Probabilities of the points.
#' @param ... Not used.
#' @return `summary()`: a tibble, one row an option: `option`, `site`, `tier`, `nodes`, `evidence`,
#'   then `finish_p10`, ... (seconds from now) and `cost_p10`, ... for each of `probs`, `cost_se`
#'   (what the draws leave unsure of the median cost), `currency`, `usable` (frames usable, the mean
#'   of draws, as a share of all), and `note` (whether the evidence is sample data).
#' @export
summary.cp_forecast <- function(object, probs = c(0.1, 0.5, 0.9), ...) {
  points <- function(column, name) {
    out <- by_option(object, column, function(x) quantile_of(x, probs), length(probs))
    colnames(out) <- paste0(name, "_p", format(100 * probs, trim = TRUE))
    out
  }
  done <- by_option(object, "frames_done", mean)
  lost <- by_option(object, "frames_lost", mean)
  scenario <- object$scenario
  as_table(data.frame(as_frame(scenario$options)[c("option", "site", "tier", "nodes", "evidence")],
                      points("finish_s", "finish"), points("cost", "cost"),
                      cost_se = as.vector(by_option(object, "cost", median_error)),
                      currency = scenario$currency,
                      usable = as.vector(done / (done + lost)),
                      note = if (any(is_sample(main_job(scenario)$evidence))) sample_mark else "",
                      row.names = NULL))
}

# Standard error of the median of draws: half the way between the order statistics one standard
# error of their rank below and above it.
median_error <- function(x) {
  n <- length(x)
  at <- n * 0.5 + c(-1, 1) * sqrt(n) / 2
  diff(sort(x)[pmin(pmax(c(floor(at[1]), ceiling(at[2])), 1), n)]) / 2
}

# A figure of one column of the draws for each option, in the order of the options.
by_option <- function(forecast, column, f, length = 1) {
  x <- matrix(forecast$draws[[column]], ncol = nrow(forecast$scenario$options))
  out <- apply(x, 2, f)
  if (length == 1) matrix(out, ncol = 1) else t(out)
}

# The draws of one option.
option_rows <- function(forecast, i) {
  n <- forecast$n
  as_frame(forecast$draws)[(i - 1) * n + seq_len(n), , drop = FALSE]
}

# The forecast with some of its options alone, by their rows.
with_options <- function(forecast, kept) {
  options <- as_frame(forecast$scenario$options)
  if (length(kept) == nrow(options)) return(forecast)
  forecast$scenario$options <- as_table(options[kept, , drop = FALSE])
  forecast$draws <- as_table(bind_tables(lapply(kept, option_rows, forecast = forecast)))
  forecast$kept <- new.env(parent = emptyenv())
  forecast
}
