# Probes of the limit: pairs of renders at a few counts of samples, their noise measured.

new_probes <- record_type(
  "cp_probes", shot = is.list, engine = is.list, version = is.character, against = is.character,
  light = is.character, pairs = is.data.frame, maps = is.list, adaptive = maybe(is.data.frame),
  rows = is.data.frame
)

#' Probe the limit of a shot
#'
#' Renders each frame twice, with two seeds, at a few counts of samples, and measures noise and
#' time. The times go to the ledger as any trials do. Without a seed in the engine's arguments two
#' renders are the same picture: such an engine is measured against a `reference` of many samples,
#' and its noise is then the error against that.
#'
#' @param shot A shot from [read_shot()].
#' @param engine An engine from [read_engine()] that knows a samples limit; with `linear` in its
#'   profile noise is measured on float pictures, otherwise on what it writes.
#' @param ledger A ledger from [open_ledger()].
#' @param samples Counts of samples, two at least.
#' @param frames Frames of the shot; two spread over it when `NULL`.
#' @param options From [bench_options()]: sizes, features, time limit and more are taken from it.
#' @param beside Renders in addition to the pairs, a list with any of `reference` (samples of the
#'   reference, for an engine without seeds) and `noise` (a coarse noise limit to run each frame at
#'   once as well, for engines that know one: what a sample costs where such an engine spends them).
#' @param running From [running()]; pictures are kept in a temporary folder where it names none.
#' @return A list of class `cp_probes`: `shot`, `engine`, `version`, `against`, `light` (of the
#'   pictures), `pairs` (a tibble, one row a frame, setting and count: `frame`, `samples`, `width`,
#'   `height`, `features`, `seconds` of the first render, `seconds_2` of the second, what
#'   [noise_between()] gives, `picture`, `picture_2`), `maps` (a [noise_map()] for each of its
#'   rows), `adaptive` (of the runs under a noise limit: `frame`, setting, `noise_limit`, mean
#'   `samples`, `seconds`), `rows` (the timings).
#' @section Conditions: `clockpigeon_error_limit` if the engine has no samples limit, or has no seed
#'   and no reference is given, or fewer than two counts are given, or a render failed; those of
#'   [run_bench()] and [noise_between()].
#' @examplesIf nzchar(system.file("bin", "pebble", package = "clockpigeon"))
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' ledger <- open_ledger(":memory:")
#' probes <- probe_limit(shot, pebble, ledger, c(1, 4), frames = 1,
#'                       running = running(progress = FALSE))
#' probes$pairs[c("frame", "samples", "noise")]
#' close_ledger(ledger)
#' @export
probe_limit <- function(shot, engine, ledger, samples = c(4, 16, 64), frames = NULL,
                        options = bench_options(probes = 2), beside = NULL, running = NULL) {
  beside <- option_object(beside, "beside", probe_extras)
  how <- option_object(running, "running", running_of)
  check_class(shot, argument("shot"), "cp_shot", "read_shot()")
  check_class(engine, argument("engine"), "cp_engine", "read_engine()")
  samples <- sort(unique(check_counts(samples, argument("samples"))))
  reference <- beside$reference
  check_probes(engine, samples, reference)
  options$seeds <- if (is.null(reference)) 1:2 else 1L
  options$name <- paste("limit of", shot$shot)
  versions <- if (length(engine$versions)) {
    stats::setNames(list(first_of(how$version, utils::tail(order_levels(engine$versions), 1))),
                    engine$engine)
  }
  limits <- lapply(c(samples, reference), function(n) list(samples = n))
  if (length(beside$noise)) limits <- c(limits, list(list(noise = beside$noise)))
  plan <- plan_bench(shot, engine, versions, frames, limits, repeats = 1, options = options)
  keep <- first_of(how$keep, tempfile("clockpigeon-probes-"))
  rows <- run_bench(plan, ledger, how$node, how$folder, keep, how$progress)
  rows_of <- joined_rows(as_frame(rows), as_frame(plan$trials), shot)
  pairs <- pair_rows(rows_of, samples, reference)
  against <- if (is.null(reference)) "render" else "reference"
  light <- attr(read_picture(pairs$picture[1]), "light")
  maps <- lapply(seq_len(nrow(pairs)), function(i) {
    noise_map(read_picture(pairs$picture[i]), read_picture(pairs$picture_2[i]), against = against)
  })
  noise <- do.call(rbind, lapply(maps, function(map) as_frame(noise_of_map(map, against))))
  new_probes(list(shot = shot, engine = engine, version = rows[["engine_version"]][1],
                  against = against, light = light, pairs = as_table(cbind(pairs, noise)),
                  maps = maps, adaptive = adaptive_rows(rows_of), rows = rows))
}

# Renders in addition to the pairs, checked.
probe_extras <- function(reference = NULL, noise = NULL) {
  list(reference = if (length(reference)) check_count(reference, argument("reference")),
       noise = if (length(noise)) check_number(noise, argument("noise"), above = 0))
}

# Check that an engine can probe a noise limit with these counts.
check_probes <- function(engine, samples, reference) {
  if (!"samples" %in% engine$limits) {
    stop_input("limit", paste(engine$engine, "knows no samples limit"), argument("engine"),
               "Its curve cannot be probed by samples.")
  }
  if (length(samples) < 2) {
    stop_input("limit", "one count of samples cannot give a curve", argument("samples"),
               "Give two at least, the larger about four times the smaller.")
  }
  seeded <- "seed" %in% template_names(c(engine$arguments, engine$environment))
  if (!seeded && is.null(reference)) {
    stop_input("limit", paste0(engine$engine,
                               " takes no seed, so that two renders are the same picture"),
               argument("reference"),
               paste0("Give a reference, such as ", 16 * max(samples),
                      " samples: noise is then the error against it; ",
                      "or put {seed} into the arguments of its profile."))
  }
  if (length(reference)) check_count(reference, argument("reference"), least = 4 * max(samples))
}

# The rows past their warm-up with what their trials asked for; an error when one failed.
joined_rows <- function(rows, plan, shot) {
  at <- match(rows[["run_order"]], plan[["run_order"]])
  rows <- cbind(rows, seed = plan[["seed"]][at], samples = plan[["samples"]][at],
                noise_limit = plan[["noise"]][at])
  rows <- rows[rows[["repeat"]] > 0, , drop = FALSE]
  bad <- which(rows[["status"]] != "ok")
  if (length(bad)) {
    stop_input("limit", paste0("frame ", rows$frame[bad[1]], " at ", rows$samples[bad[1]],
                               " samples ", gsub("_", " ", rows$status[bad[1]]), ": ",
                               rows$note[bad[1]]), paste("shot", shot$shot),
               "Mend that first: a probe without its pair says nothing.")
  }
  rows[["seconds"]] <- ifelse(is.na(rows[["compute_s"]]), rows[["wall_s"]], rows[["compute_s"]])
  rows
}

# The runs under a noise limit, seed by seed.
adaptive_rows <- function(rows) {
  rows <- rows[!is.na(rows[["noise_limit"]]), , drop = FALSE]
  if (!nrow(rows)) return(NULL)
  data.frame(rows[c("frame", "width", "height", "features", "noise_limit")],
             samples = rows[["samples_done"]],
             seconds = rows[["seconds"]], row.names = NULL)
}

# One row a pair: the two renders of a setting, or the render and the reference of its frame.
pair_rows <- function(rows, samples, reference) {
  setting <- row_key(rows, c("frame", "width", "height", "features"))
  own <- rows[["samples"]] %in% samples
  first <- which(own & rows[["seed"]] == 1)
  partner <- if (is.null(reference)) {
    match(paste(setting, rows$samples, 2)[first], paste(setting, rows$samples, rows$seed))
  } else match(setting[first], ifelse(own, NA, setting))
  compute <- rows[["seconds"]]
  order <- order(rows$frame[first], setting[first], rows$samples[first])
  first <- first[order]
  partner <- partner[order]
  data.frame(frame = rows$frame[first], samples = rows$samples[first], width = rows$width[first],
             height = rows$height[first], features = rows$features[first], seconds = compute[first],
             seconds_2 = if (is.null(reference)) compute[partner] else NA_real_,
             picture = rows$output[first], picture_2 = rows$output[partner])
}
