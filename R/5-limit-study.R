# The limit of a shot: what its probes say of samples, time, noise and money.

new_study <- record_type("cp_study", probes = is.list, targets = is.numeric,
                         confidence = is.numeric, frames = is.data.frame, fits = is.list,
                         tile_fits = is.list, hourly = anything)

#' Limit study of a shot's probes
#'
#' Pictures of linear light have no floor of their own: one is fitted only where a frame shows it at
#' 98 %.
#'
#' Fits each frame's curve, and that of its worst tile: the tile whose noise, as the eye sees it and
#' brought to one sample, is largest over all counts. The worst tile governs, and the worst frame.
#'
#' @param probes From [probe_limit()].
#' @param noise Noise target of the frame (`sd / brightness`).
#' @param tile_noise Target for the worst tile (`seen` of [noise_map()]); `NULL` for twice the
#'   frame's.
#' @param confidence Chance asked for that the count meets the target.
#' @param hourly Price of an hour of rendering on the machine that was probed; `NA` when unknown.
#' @return A list of class `cp_study`: `probes`, `targets`, `confidence`, `frames` (a tibble, one
#'   row a frame and setting: `frame`, `features`, `width`, `height`, `samples_frame` and
#'   `samples_tile` that meet the targets (`NA`: they cannot be promised, and `why` says it),
#'   `samples` (the larger), `seconds` with `_lower` and `_upper` at it, `cost`, the worst tile's
#'   `row`, `column`, `top`, `bottom`, `left`, `right`, `governs`: whether this is the worst frame),
#'   `fits` and `tile_fits` (a [fit_limit()] for each of its rows), `hourly`.
#' @section Conditions: `clockpigeon_error_type` for targets out of range; those of [fit_limit()].
#' @examplesIf nzchar(system.file("bin", "pebble", package = "clockpigeon"))
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' ledger <- open_ledger(":memory:")
#' probes <- probe_limit(shot, pebble, ledger, c(2, 8), frames = 1,
#'                       running = running(progress = FALSE))
#' study_limit(probes, noise = 0.2)
#' close_ledger(ledger)
#' @export
study_limit <- function(probes, noise, tile_noise = NULL, confidence = 0.9, hourly = NA_real_) {
  check_class(probes, argument("probes"), "cp_probes", "probe_limit()")
  noise <- check_number(noise, argument("noise"), above = 0)
  tile_noise <- if (is.null(tile_noise)) 2 * noise else
    check_number(tile_noise, argument("tile_noise"), above = 0)
  confidence <- check_number(confidence, argument("confidence"), least = 0.5, most = 0.9999)
  pairs <- as_frame(probes$pairs)
  setting <- row_key(pairs, c("frame", "width", "height", "features"))
  groups <- split(seq_len(nrow(pairs)), factor(setting, unique(setting)))
  fits <- lapply(groups, function(at) fit_pairs(pairs[at, , drop = FALSE], floor = TRUE))
  floor <- !identical(probes$light, "linear") || any(vapply(fits, has_floor, NA))
  if (!floor) fits <- lapply(groups, function(at)
                             fit_pairs(pairs[at, , drop = FALSE], floor = FALSE))
  worst <- lapply(groups, function(at)
                  worst_tile(probes$maps[at], pairs[at, , drop = FALSE], floor))
  rows <- Map(study_row, groups, fits, worst,
              MoreArgs = list(pairs = pairs, noise = noise, tile_noise = tile_noise,
                              confidence = confidence, engine = probes$engine))
  frames <- do.call(rbind, c(rows, make.row.names = FALSE))
  frames$cost <- frames$seconds / 3600 * hourly
  frames$governs <- seq_len(nrow(frames)) == worst_frame(frames, fits)
  new_study(list(probes = probes, targets = c(noise = noise, tile_noise = tile_noise),
                 confidence = confidence, frames = as_table(frames), fits = unname(fits),
                 tile_fits = unname(lapply(worst, `[[`, "fit")), hourly = hourly))
}

# Is a curve's floor beyond doubt?
has_floor <- function(fit) {
  x <- as_frame(confint.cp_limit_fit(fit, "floor", level = 0.98))
  x[["lower"]] > 0
}

fit_pairs <- function(pairs, floor) {
  again <- !is.na(pairs[["seconds_2"]])
  fit_limit(c(pairs[["samples"]], pairs[["samples"]][again]),
            c(pairs[["seconds"]], pairs[["seconds_2"]][again]),
            c(pairs[["noise"]], rep(NA, sum(again))),
            list(noise = c(pairs[["error"]], rep(NA, sum(again)))), floor)
}

# The tile whose noise at one sample, averaged over the counts, is largest; its place and its curve.
worst_tile <- function(maps, pairs, floor) {
  variance <- vapply(maps, function(map) map[["seen"]]^2, numeric(nrow(maps[[1]])))
  variance <- matrix(variance, ncol = length(maps))
  at <- which.max(rowMeans(variance * rep(pairs[["samples"]], each = nrow(variance))))
  seen <- sqrt(variance[at, ])
  error <- vapply(maps, noise_error_of, 0, at = at)
  place <- as_frame(maps[[1]])[at, c("row", "column", "top", "bottom", "left", "right"),
                               drop = FALSE]
  fit <- fit_limit(pairs[["samples"]], noise = seen, error = list(noise = error), floor = floor)
  list(place = place, at = at, seen = seen, fit = fit)
}

# One row of a limit study: samples that a frame and its worst tile need, with their time.
study_row <- function(at, fit, worst, pairs, noise, tile_noise, confidence, engine) {
  ask <- function(fit, target)
    tryCatch(list(n = samples_for(fit, target, confidence), why = NA_character_),
             clockpigeon_error_limit = function(e) list(n = NA_real_, why = e$what))
  frame <- ask(fit, noise)
  tile <- ask(worst$fit, tile_noise)
  # An engine with certain counts only gets the next of them.
  n <- possible_count(engine, max(frame$n, tile$n))
  time <- as_frame(predict.cp_limit_fit(fit, if (is.na(n)) 1 else n))
  data.frame(pairs[at[1], c("frame", "features", "width", "height"), drop = FALSE],
             samples_frame = frame$n,
             samples_tile = tile$n, samples = n, seconds = if (is.na(n)) NA else time$seconds,
             seconds_lower = if (is.na(n)) NA else time$seconds_lower,
             seconds_upper = if (is.na(n)) NA else time$seconds_upper, worst$place,
             why = paste(stats::na.omit(c(frame$why, if (!is.na(tile$why))
                                          paste("the worst tile:", tile$why))),
                         collapse = "; "), row.names = NULL)
}

# The frame that needs most samples; if a count cannot be promised, the noisiest at one sample.
worst_frame <- function(frames, fits) {
  if (!anyNA(frames[["samples"]])) return(which.max(frames[["samples"]]))
  which.max(vapply(fits, function(fit) fit$curve$estimate[["per_sample"]], 0))
}

#' The three limits on one page
#'
#' Results of a samples limit, a noise limit and a time limit on the probed frames: under the first,
#' time and noise differ between frames; under the second time does; under the third noise does. All
#' together, the first reached ends a frame.
#'
#' The time under a noise limit is that of an engine which stops each pixel separately, computed by
#' `noise_limit_samples()` from all its pairs, with more weight on the larger counts (few samples
#' miss the rare bright paths of a hard frame). Hard pixels cost more a sample than easy ones: the
#' factor is known if [probe_limit()] ran a coarse noise limit too.
#'
#' @param study From [study_limit()].
#' @param samples Samples limit; the count the study found when `NULL` (of the worst frame).
#' @param noise Noise limit: standard error of a pixel over brightness; the study's target when
#'   `NULL`.
#' @param time Seconds of computing; the mean of what the samples limit takes when `NULL`.
#' @return A tibble, one row a frame and limit: `limit` (samples, noise, time, all three), `frame`,
#'   `samples` (mean), `seconds`, `noise`, `ended_by`.
#' @section Conditions: `clockpigeon_error_limit` when no samples limit is given and the study found
#'   none.
#' @noRd
three_limits <- function(study, samples = NULL, noise = NULL, time = NULL) {
  check_class(study, argument("study"), "cp_study", "study_limit()")
  frames <- as_frame(study$frames)
  if (is.null(samples)) samples <- frames[["samples"]][frames[["governs"]]]
  if (is.na(samples)) {
    stop_input("limit", "no count of samples meets the target", argument("samples"),
               "Give the samples limit.")
  }
  samples <- check_number(samples, argument("samples"), above = 0)
  noise <- if (is.null(noise)) study$targets[["noise"]] else
    check_number(noise, argument("noise"), above = 0)
  at <- lapply(study$fits, function(fit) as_frame(predict.cp_limit_fit(fit, samples)))
  if (is.null(time)) time <- mean(vapply(at, `[[`, 0, "seconds"))
  time <- check_number(time, argument("time"), above = 0)
  as_table(do.call(rbind, lapply(seq_along(study$fits), function(i) {
    limits_of_frame(study, i, frames[["frame"]][i], samples, noise, time)
  })))
}

# Alternatives for one frame: a samples, a noise and a time limit, each with its time and noise.
limits_of_frame <- function(study, i, frame, samples, noise, time) {
  fit <- study$fits[[i]]
  pairs <- pairs_of_setting(study$probes, i)
  adaptive <- as_frame(noise_limit_samples(lapply(pairs$picture, read_picture),
                                           lapply(pairs$picture_2, read_picture),
                                           pairs$samples, noise))
  line <- fit$time$estimate
  seconds <- function(n) line[["start"]] + line[["each"]] * n
  took <- c(seconds(samples), adaptive_seconds(study$probes, i, line, adaptive$samples), time)
  noise_at <- function(n)
    sqrt(fit$curve$estimate[["floor"]] + fit$curve$estimate[["per_sample"]] / n)
  by_time <- max((time - line[["start"]]) / line[["each"]], 1)
  n <- c(samples, adaptive$samples, by_time)
  first <- which.min(took)
  data.frame(
    limit = c("samples", "noise", "time", "all three"), frame = frame, samples = c(n, n[first]),
    seconds = took[c(1:3, first)],
    noise = c(noise_at(samples), adaptive$noise_reached, noise_at(by_time),
              c(noise_at(samples), adaptive$noise_reached, noise_at(by_time))[first]),
    ended_by = c("samples", "noise", "time", c("samples", "noise", "time")[first])
  )
}

pairs_of_setting <- function(probes, i) {
  pairs <- as_frame(probes$pairs)
  setting <- row_key(pairs, c("frame", "width", "height", "features"))
  pairs[setting == unique(setting)[i], , drop = FALSE]
}

# Seconds of this number of samples per pixel under a noise limit: the first `least` everywhere at
# the average cost of a sample, the rest at their cost in the run under a coarse noise limit. Hard
# pixels are expensive: without such a run the time is underestimated.
adaptive_seconds <- function(probes, i, line, samples, least = 8) {
  own <- pairs_of_setting(probes, i)[1, , drop = FALSE]
  even <- function(n) line[["start"]] + line[["each"]] * n
  ran <- probes$adaptive
  if (is.null(ran)) return(even(samples))
  columns <- c("frame", "width", "height", "features")
  ran <- ran[row_key(ran, columns) == row_key(own, columns) & ran$samples > 1.2 * least, ,
             drop = FALSE]
  if (!nrow(ran)) return(even(samples))
  more <- ran$samples - least
  dear <- sum(pmax(ran$seconds - even(least), 0)) / sum(more)
  # A coarse run that hardly went on says little of what going on costs.
  if (mean(more) < 4) dear <- max(dear, line[["each"]])
  even(least) + dear * max(samples - least, 0)
}

#' Result of a time limit on other devices
#'
#' @param study From [study_limit()].
#' @param time Seconds of computing a frame.
#' @param speeds Named numbers: how many times as fast as the machine that was probed each device
#'   is, from `measured_speeds()` or as [compare_timings()] tells it.
#' @return A tibble, one row a device and frame: `device`, `speed`, `frame`, `samples`, `noise`.
#'   Noise is the device's only through the samples: the same count has the same noise everywhere.
#' @section Conditions: `clockpigeon_error_type` for speeds without names or not above 0.
#' @noRd
time_limit_on <- function(study, time, speeds) {
  check_class(study, argument("study"), "cp_study", "study_limit()")
  time <- check_number(time, argument("time"), above = 0)
  if (!is.numeric(speeds) || is.null(names(speeds)) || !all(is.finite(speeds)) ||
      any(speeds <= 0)) {
    stop_input("type", paste("got", show_value(speeds)), argument("speeds"),
               "Write named numbers above 0.")
  }
  rows <- expand.grid(fit = seq_along(study$fits), device = names(speeds), stringsAsFactors = FALSE)
  speed <- unname(speeds[rows$device])
  n <- mapply(function(fit, speed) {
    line <- study$fits[[fit]]$time$estimate
    max((time * speed - line[["start"]]) / line[["each"]], 0)
  }, rows$fit, speed)
  noise <- mapply(function(fit, n) {
    curve <- study$fits[[fit]]$curve$estimate
    if (n > 0) sqrt(curve[["floor"]] + curve[["per_sample"]] / n) else NA_real_
  }, rows$fit, n)
  as_table(list(device = rows$device, speed = speed, frame = study$frames[["frame"]][rows$fit],
                samples = n, noise = noise, time_s = time))
}

#' Speed of a ledger's nodes relative to one of them
#'
#' @param timings Timings, as [timings()] returns them.
#' @param engine Name of the engine.
#' @param node The node that is 1.
#' @return Named numbers: for each node and device that rendered the same frames at the same limit,
#'   size and features, the geometric mean of how many times as fast it was; the node itself first.
#'   Only what was matched is named.
#' @noRd
measured_speeds <- function(timings, engine, node) {
  timings <- filled_timings(timings, argument("timings"))
  rows <- as_frame(timings)
  rows <- rows[is_evidence(rows) & rows[["engine"]] %in% engine & is.na(rows[["site"]]), ,
               drop = FALSE]
  cell <- row_key(rows, c("scene", "frame", "engine_version", "limit_kind", "limit_value", "width",
                          "height", "features"))
  label <- paste0(rows[["node"]],
                  ifelse(is.na(rows[["device"]]), "", paste0(" (", rows[["device"]], ")")))
  means <- function(at) tapply(log(rows[["wall_s"]][at]), cell[at], mean)
  own <- rows[["node"]] %in% node
  here <- means(own)
  others <- vapply(split(which(!own), label[!own]), function(at) {
    there <- means(at)
    both <- intersect(names(here), names(there))
    if (length(both)) exp(mean(here[both] - there[both])) else NA_real_
  }, 0)
  c(stats::setNames(1, node), sort(others[!is.na(others)], decreasing = TRUE))
}

# Price of an hour of rendering as on the own node `node`, at a site: the amount over how much
# faster its machines are. A list: hourly, currency, basis; NULL when the card does not say how fast
# they are, or charges nothing by time.
hourly_price <- function(site, engine, node, tier = NULL) {
  tiers <- vapply(site$tiers, `[[`, "", "tier")
  tier <- if (is.null(tier)) tiers[1] else check_choice(tier, argument("tier"), tiers)
  tariff <- tariff_of(site, tier)
  claim <- Find(function(s) s$engine == engine && s$relative_to == node, site$speeds)
  factor <- if (length(claim)) claim$factor else if (node %in% site$nodes_like) 1
  if (is.null(factor)) return(NULL)
  an_hour <- hour_amount(tariff)
  if (is.na(an_hour)) return(NULL)
  list(hourly = an_hour / factor, currency = site$currency,
       basis = paste0(site$site, ", tier ", tier, ", ",
                      if (length(claim)) paste(claim$basis, format(factor), "times", node)
                      else paste("machines like", node),
                      if (length(card_doubts(site)))
                      paste0(" (doubtful: ", card_doubts(site), ")")))
}

# The samples that each noise target takes on every probed frame and on its worst tile, the tile's
# target as many times the frame's as in the study, at its confidence; NA where no count can be
# promised.
limit_needs <- function(study, noise) {
  ratio <- study$targets[["tile_noise"]] / study$targets[["noise"]]
  least <- function(fit, target) tryCatch(samples_for(fit, target, study$confidence),
                                          clockpigeon_error_limit = function(e) NA_real_)
  needs <- vapply(noise, function(target) {
    max(vapply(study$fits, least, 0, target), vapply(study$tile_fits, least, 0, ratio * target))
  }, 0)
  known <- !is.na(needs)
  needs[known] <- possible_count(study$probes$engine, needs[known])
  needs
}
