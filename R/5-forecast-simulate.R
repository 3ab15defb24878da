# The forecast: a job on each option, many times over.

#' Forecast duration and cost of a job
#'
#' Simulates the job on each option: draws of every frame's time (from the shots' curves and the spread from run to
#' run), of the site's speed, waiting and start times; sends the upload, waits, starts the nodes, gives each next frame
#' to the node that is free first (Graham 1966), brings the frames home behind the rendering, and runs the rate card's
#' meter. Frame times are common to all options, so that options differ only by what they are; every site and tier has
#' its own stream, so that adding one changes no other.
#'
#' Not in it yet: failures and repeats of frames, spend caps, working hours, pre-pass and merging.
#'
#' @param job From [render_job()].
#' @param options From [plan_options()]; rows may be left out.
#' @param draws Number of draws.
#' @param seed Same seed, same forecast.
#' @return An object of class `forecast`: `draws`, a tibble with `option`, `draw`, `finish_s` (from now), `cost` (in
#'   the job's currency), `upload_s`, `wait_s`, `start_s`, `render_s`, `download_s` (after the last frame); `options`,
#'   `left_out`, and `exchange` (the rates used). `summary()` gives 10 %, 50 % and 90 % points; [choose_option()]
#'   chooses.
#' @section Conditions: `clockpigeon_error_type` for arguments of the wrong kind.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' summary(forecast_job(job, plan_options(job, project$sites), draws = 200))
#' @export
forecast_job <- function(job, options, draws = 2000, seed = 1) {
  check_class(job, argument("job"), "job", "render_job()")
  check_class(options, argument("options"), "job_options", "plan_options()")
  draws <- check_count(draws, argument("draws"), least = 10)
  seed <- check_count(seed, argument("seed"), least = 0, most = 2^31 - 2)
  sites <- attr(options, "sites")
  seconds <- frame_draws(job, draws, seed)
  parts <- lapply(seq_len(nrow(options)), function(i) {
    option <- as.list(as_frame(options)[i, , drop = FALSE])
    simulate_option(job, option, sites[[option$site]], site_speed(job, sites[[option$site]]), seconds, seed)
  })
  structure(list(job = job, options = options, draws = bind_tables(parts), left_out = attr(options, "left_out"),
                 exchange = used_rates(job, sites[unique(options[["site"]])]), n = draws, seed = seed,
                 made_at = Sys.time()), class = "forecast")
}

# Seconds of every frame of the job on the reference node, as one run will take it: draws x frames.
frame_draws <- function(job, draws, seed) {
  parts <- Map(function(curve, shot) curve_draws(curve, draws, stream_seed(seed, paste("frames", shot$shot))),
               job$curves, job$shots)
  do.call(cbind, parts)
}

# One option: `speed` is what site_speed() says of the site, `seconds` the draws of all frames on the reference node.
simulate_option <- function(job, option, site, speed, seconds, seed) {
  draws <- nrow(seconds)
  stream <- function(label) stream_seed(seed, paste(site$site, label))
  tier <- site$tiers[[match(option$tier, vapply(site$tiers, `[[`, "", "tier"))]]
  off <- with_seed(stream("speed"), if (is.finite(speed$df)) stats::rt(draws, speed$df) else stats::rnorm(draws))
  factor <- exp(speed$log_factor + speed$se * off)
  upload <- transfer_s(vapply(job$shots, `[[`, 0, "upload"), site)
  wait <- spread_draws(tier$wait, draws, stream(paste("wait", tier$tier)))
  # Filled node by node: the first nodes of a larger count start as those of a smaller one.
  start <- matrix(spread_draws(site$start, draws * option$nodes, stream("start")), draws)
  ready <- upload + wait + start
  schedule <- list_schedule(seconds / factor, ready)
  first <- apply(ready, 1, min)
  last_frame <- transfer_s(max(vapply(job$shots, `[[`, 0, "frame_size")), site)
  all_frames <- transfer_s(vapply(job$shots, function(shot) shot$frame_size * length(shot$frames), 0), site)
  finish <- pmax(schedule$end + last_frame, first + all_frames)
  metered <- schedule$free - if (site$meter == "rendering") ready else upload + wait
  cost <- option_cost(job, site, tier$tier, metered, if (site$meter == "rendering") ready else upload + wait)
  data.frame(option = option$option, draw = seq_len(draws), finish_s = finish, cost = cost, upload_s = upload,
             wait_s = wait, start_s = first - upload - wait, render_s = schedule$end - first,
             download_s = finish - schedule$end)
}

# What each draw costs, in the job's currency: all that the card charges less gifts; what a prepaid balance pays is cost
# like any other money. `metered` is draws x nodes, from `since` seconds after now on.
option_cost <- function(job, site, tier, metered, since) {
  draws <- nrow(metered)
  moved <- vapply(job$shots, function(shot) c(shot$upload, shot$frame_size * length(shot$frames)) / 1e9, numeric(2))
  frames <- lapply(job$shots, function(shot) {
    data.frame(node = 1L, activity = "render", seconds = 0, frames = length(shot$frames),
               megapixels = prod(shot$size) / 1e6, gb = 0)
  })
  rows <- rbind(
    data.frame(node = seq_len(ncol(metered)), activity = "render", seconds = 0, frames = 0, megapixels = 0, gb = 0),
    do.call(rbind, unname(frames)),
    data.frame(node = 1L, activity = c("upload", "download"), seconds = 0, frames = 0, megapixels = 0,
               gb = if (length(moved)) rowSums(moved) else 0)
  )
  usage <- rows[rep(seq_len(nrow(rows)), draws), , drop = FALSE]
  usage$usage <- rep(seq_len(draws), each = nrow(rows))
  nodes <- usage$seconds == 0 & rep(seq_len(nrow(rows)) <= ncol(metered), draws)
  usage$seconds[nodes] <- as.vector(t(metered))
  if (any(vapply(site$charges, function(x) length(x$hours) > 0, NA)) || length(site$price$hours)) {
    began <- rep(0, nrow(usage))
    began[nodes] <- as.vector(t(matrix(since, draws, ncol(metered))))
    usage$began <- Sys.time() + began
  }
  totals <- bill_many(usage, site, tier, engine = job$engine, on = Sys.Date())
  kinds <- vapply(tariff_of(site, tier, engine = job$engine, on = Sys.Date())$balances, `[[`, "", "kind")
  prepaid <- rowSums(totals[, 6 + which(kinds == "prepaid"), drop = FALSE])
  minor <- totals[, "to_pay"] + prepaid
  from_minor(to_minor(from_minor(minor, site$currency) * rate_to(site, job$currency, job$rates)$rate, job$currency),
             job$currency)
}

transfer_s <- function(bytes, site) if (is.null(site$link)) 0 else sum(bytes) / site$link

# Draws of a time known by its median and 90 % point: log-normal.
spread_draws <- function(spread, n, seed) {
  if (spread$median_s <= 0) return(numeric(n))
  spread$median_s * exp(with_seed(seed, stats::rnorm(n)) * log(spread$p90_s / spread$median_s) / stats::qnorm(0.9))
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
#'   ... (seconds from now) and `cost_p10`, ... for each of `probs`, `currency`, and `note`
#'   (whether the evidence is sample data).
#' @export
summary.forecast <- function(object, probs = c(0.1, 0.5, 0.9), ...) {
  rows <- split(as_frame(object$draws), factor(object$draws[["option"]], levels = object$options[["option"]]))
  points <- function(column, name) {
    out <- t(vapply(rows, function(r) stats::quantile(r[[column]], probs, names = FALSE, type = 1),
                    numeric(length(probs))))
    if (length(probs) == 1) out <- t(out)
    colnames(out) <- paste0(name, "_p", format(100 * probs, trim = TRUE))
    out
  }
  as_table(data.frame(as_frame(object$options)[c("option", "site", "tier", "nodes", "evidence")],
                      points("finish_s", "finish"), points("cost", "cost"), currency = object$job$currency,
                      note = if (any(is_sample(object$job$evidence))) sample_mark else "", row.names = NULL))
}
