# The forecast: a job on each option, many times over.

#' Forecast duration and cost of a job
#'
#' Simulates the job on each option with [simulate_job()]: draws of every frame's time (from the shots' curves and the
#' spread from run to run), of the site's speed and link, of packing, waiting and starting; the frames by list
#' scheduling; what goes wrong there; hours; the way home; and the rate card's meter. Frame times are common to all
#' options, so that options differ only by what they are; every site and tier has its own streams, so that adding one
#' changes no other.
#'
#' @param job From [render_job()], or the list of jobs that `options` were planned for.
#' @param options From [plan_options()]; rows may be left out.
#' @param draws Number of draws.
#' @param seed Same seed, same forecast.
#' @param progress `TRUE` says on standard error how far it is, when it takes long.
#' @return An object of class `forecast`: `draws`, a tibble with `option`, `draw`, `finish_s` (from now), `cost` (in
#'   the job's currency; what a prepaid balance pays is cost, a gift is not), the stages that [simulate_job()] tells
#'   apart (from `held_s` to `encode_s`), `node_hours`, `log_speed` (of the site, as drawn), `frames_done`,
#'   `frames_lost`, `capped`, `lost_money`;
#'   `options`, `left_out`, and `exchange` (the rates used). `summary()` gives 10 %, 50 % and 90 % points;
#'   [choose_option()] chooses.
#' @section Conditions: `clockpigeon_error_type` for arguments of the wrong kind; `clockpigeon_error_option` when the
#'   options were planned for another job.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' summary(forecast_job(job, plan_options(job, project$sites), draws = 200))
#' @export
forecast_job <- function(job, options, draws = 2000, seed = 1, progress = FALSE) {
  jobs <- as_jobs(job)
  check_class(options, argument("options"), "job_options", "plan_options()")
  draws <- check_count(draws, argument("draws"), least = 10)
  seed <- check_count(seed, argument("seed"), least = 0, most = 2^31 - 2)
  keys <- paste(options[["engine"]], options[["version"]], options[["limit"]], sep = "|")
  if (!all(keys %in% names(jobs))) {
    stop_input("option", "were planned for another engine, version or limit", argument("options"),
               "Plan them for this job.")
  }
  attr(options, "jobs") <- jobs
  structure(list(job = jobs[[keys[1]]], jobs = jobs[unique(keys)], options = options,
                 draws = option_draws(options, draws, seed, progress), left_out = attr(options, "left_out"),
                 all_sites = attr(options, "all_sites"), hashes = attr(options, "hashes"),
                 exchange = used_rates(jobs[[1]], attr(options, "sites")[unique(options[["site"]])]), n = draws,
                 seed = seed, made_at = attr(options, "now")), class = "forecast")
}

# Frames of at most so many numbers are held at once: 40 MB. Larger jobs go block by block of draws.
most_cells <- 5e6

# All draws, unless their frames are too many to be held at once: then the first of them.
kept_draws <- function(job, n) {
  frames <- sum(vapply(job$shots, function(shot) length(shot$frames), 0L))
  max(16, min(n, most_cells %/% frames))
}

# The draws of all options, option by option. Frame times are made once for each engine, version and limit.
option_draws <- function(options, draws, seed, progress = FALSE) {
  jobs <- attr(options, "jobs")
  frames <- vapply(jobs, function(job) sum(vapply(job$shots, function(shot) length(shot$frames), 0L)), 0)
  size <- min(draws, max(16, floor(most_cells / max(frames) / 8) * 8))
  began <- Sys.time()
  key <- paste(options[["engine"]], options[["version"]], options[["limit"]], sep = "|")
  blocks <- lapply(seq(0, draws - 1, by = size), function(before) {
    here <- min(size, draws - before)
    parts <- vector("list", nrow(options))
    for (name in unique(key)) {
      # Times of one engine and version differ by limit only in the speed that the options carry.
      seconds <- frame_draws(jobs[[name]], here, seed, before)
      for (i in which(key == name)) {
        option <- as.list(as_frame(options)[i, , drop = FALSE])
        site <- attr(options, "sites")[[option$site]]
        parts[[i]] <- simulate_option(jobs[[name]], option, site, seconds, seed, attr(options, "now"), before)
        if (progress) tell_progress(began, (before + here * i / nrow(options)) / draws)
      }
    }
    parts
  })
  # Column by column: binding thousands of tables row by row would take longer than making them.
  parts <- unlist(lapply(seq_len(nrow(options)), function(i) lapply(blocks, `[[`, i)), recursive = FALSE)
  as_table(lapply(stats::setNames(nm = names(parts[[1]])), function(name) unlist(lapply(parts, `[[`, name))))
}

# After a few seconds, and then every few: how much is done, and how long the rest will take.
tell_progress <- function(began, share) {
  passed <- as.numeric(Sys.time() - began, units = "secs")
  if (passed > 3 && share < 1) {
    cat(sprintf("\rforecast: %s done, %s left   ", percent(share), format_duration(passed * (1 - share) / share)),
        file = stderr())
  }
  if (passed > 3 && share >= 1) cat("\r", strrep(" ", 60), "\r", sep = "", file = stderr())
}

# Seconds of every frame of the job on the reference node, as one run will take it: draws x frames, those that follow
# the first `before`.
frame_draws <- function(job, draws, seed, before = 0) {
  parts <- Map(function(curve, shot) {
    curve_draws(curve, draws, stream_seed(seed, paste("frames", shot$shot)), before)
  }, job$curves, job$shots)
  if (length(parts) == 1) parts[[1]] else do.call(cbind, parts)
}

# One option: `seconds` are the draws of all frames on the reference node.
simulate_option <- function(job, option, site, seconds, seed, now, before = 0, keep = FALSE, rate_card = site) {
  run <- simulate_way(job, option, site, option_way(job, option, site, now), seconds, seed, now, before, keep,
                      rate_card)
  d <- as_frame(run$draws)
  rate <- rate_to(site, job$currency, job$rates)$rate
  there <- function(amount) {
    from_minor(to_minor(amount * rate, job$currency), job$currency)
  }
  out <- data.frame(option = option$option, draw = before + d[["draw"]], finish_s = d[["finish_s"]],
                    cost = there(d[["to_pay"]] + d[["prepaid"]]), d[stage_columns],
                    d[c("node_hours", "log_speed", "frames_done", "frames_lost", "capped")],
                    lost_money = there(d[["lost_money"]]))
  if (keep) attr(out, "run") <- run
  out
}

stage_columns <- c("held_s", "prepare_s", "upload_s", "wait_s", "start_s", "prepass_s", "render_s", "closed_s",
                   "download_s", "encode_s")

simulate_way <- function(job, option, site, way, seconds, seed, now, before, keep, rate_card) {
  way$speed <- c(option$log_speed, option$speed_se, option$speed_df)
  shots <- vapply(job$shots, `[[`, "", "shot")
  frames <- vapply(job$shots, function(shot) length(shot$frames), 0L)
  pixels <- vapply(job$shots, function(shot) prod(shot$size) / 1e6, 0)
  simulate_job(seconds, way, seed = seed, rate_card = rate_card, tier = option$tier,
               hire = if (!is.na(option$hire)) option$hire, engine = job$engine, on = now + option$begin_s, now = now,
               megapixels = sum(pixels * frames) / sum(frames), keep = keep, before = before,
               labels = c(job = paste(shots, collapse = " "), site = site$site, tier = option$tier))
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
#' @return `summary()`: a tibble, one row an option: `option`, `site`, `tier`, `nodes`, `evidence`, then `finish_p10`,
#'   ... (seconds from now) and `cost_p10`, ... for each of `probs`, `cost_se` (what the draws leave unsure of the
#'   median cost), `currency`, `usable` (frames usable, the mean of draws, as a share of all), and `note` (whether the
#'   evidence is sample data).
#' @export
summary.forecast <- function(object, probs = c(0.1, 0.5, 0.9), ...) {
  points <- function(column, name) {
    out <- by_option(object, column, function(x) stats::quantile(x, probs, names = FALSE, type = 1), length(probs))
    colnames(out) <- paste0(name, "_p", format(100 * probs, trim = TRUE))
    out
  }
  done <- by_option(object, "frames_done", mean)
  lost <- by_option(object, "frames_lost", mean)
  as_table(data.frame(as_frame(object$options)[c("option", "site", "tier", "nodes", "evidence")],
                      points("finish_s", "finish"), points("cost", "cost"),
                      cost_se = as.vector(by_option(object, "cost", median_error)),
                      currency = object$job$currency,
                      usable = as.vector(done / (done + lost)),
                      note = if (any(is_sample(object$job$evidence))) sample_mark else "", row.names = NULL))
}

# Standard error of the median of draws: half the way between the order statistics one standard error of their rank
# below and above it.
median_error <- function(x) {
  n <- length(x)
  at <- n * 0.5 + c(-1, 1) * sqrt(n) / 2
  diff(sort(x)[pmin(pmax(c(floor(at[1]), ceiling(at[2])), 1), n)]) / 2
}

# A figure of one column of the draws for each option, in the order of the options.
by_option <- function(forecast, column, f, length = 1) {
  x <- matrix(forecast$draws[[column]], ncol = nrow(forecast$options))
  out <- apply(x, 2, f)
  if (length == 1) matrix(out, ncol = 1) else t(out)
}
