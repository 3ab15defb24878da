# Plans: settings crossed into trials, in shuffled blocks.

#' Options of a benchmark plan
#'
#' @param probes Frames spread evenly over each shot, when no frames are named.
#' @param cross What else is crossed, a list with any of `sizes`, a list of `c(width, height)` in
#'   pixels (each shot's own when absent); `features`, a named list of values such as
#'   `list(denoise = c("on", "off"))`, of those that an engine's profile knows; `devices`, `"all"`
#'   of a node's devices, what is `"shared"` as its file says, or sets such as `"gpu"`, `"gpu 0"`,
#'   `"gpu 0+1"` and `"cpu 0"` (the engine decides when absent); `nodes`, names of nodes, each to
#'   run every setting (this machine alone when absent); `seeds` of the engine's random numbers,
#'   each of them for every setting, on pictures of linear light where the engine writes them, which
#'   is what noise is measured on (the seed 1 and the engine's usual picture when absent); `rows`,
#'   the first and last row of a band to render, from 1, for engines that render bands (whole frames
#'   when absent).
#' @param on_loss What becomes of the trials of a node that vanishes: `"wait"` keeps them until the
#'   run is resumed, `"move"` gives them to the nodes that are left.
#' @param study The factor studied, one of those of [compare_timings()], or `NULL`.
#' @param warmups Trials of the first setting of each engine version that run before the first
#'   block, are recorded as repeat 0 and stay out of summaries.
#' @param time_limit Seconds after which a trial is ended.
#' @param seed Seed of the order of trials; it is kept in the plan's record.
#' @param name Name of the plan.
#' @return `bench_options()`: a list for [plan_bench()].
#' @section Conditions: `clockpigeon_error_type` for an option that cannot be read.
#' @examples
#' bench_options(probes = 5, warmups = 0)$probes
#' @export
bench_options <- function(probes = 3, cross = NULL, on_loss = "wait", study = NULL, warmups = 1,
                          time_limit = 600, seed = 1, name = "plan") {
  cross <- option_object(cross, "cross", factor_grid, "cp_crossing")
  c(list(probes = check_count(probes, argument("probes"))), unclass(cross),
    list(on_loss = check_choice(on_loss, argument("on_loss"), c("move", "wait")),
         study = if (length(study)) check_choice(study, argument("study"), names(compare_factors)),
         warmups = check_count(warmups, argument("warmups"), least = 0),
         time_limit = check_number(time_limit, argument("time_limit"), above = 0),
         seed = check_count(seed, argument("seed"), least = 0, most = 2^31 - 2),
         name = check_text(name, argument("name"))))
}

new_crossing <- record_type("cp_crossing", sizes = maybe(is.list), features = anything,
                            devices = anything, nodes = anything, rows = maybe(is.numeric),
                            seeds = maybe(is.numeric))

# Factors of a plan in addition to engines, versions, frames and limits, checked.
factor_grid <- function(sizes = NULL, features = NULL, devices = NULL, nodes = NULL, rows = NULL,
                        seeds = NULL) {
  for (use in devices) parse_devices(use, argument("devices"))
  new_crossing(list(sizes = sizes,
                    features = if (length(features)) check_features(features, argument("features")),
                    devices = devices, nodes = nodes,
                    rows = if (length(rows)) check_band(rows, argument("rows")),
                    seeds = if (length(seeds)) check_counts(seeds, argument("seeds"), least = 0)))
}

check_band <- function(rows, where) {
  rows <- check_counts(rows, where)
  if (length(rows) != 2 || rows[1] > rows[2]) {
    stop_input("region", paste("got", show_value(rows)), where,
               "Write the first and the last row, such as 65-128.")
  }
  rows
}

#' Plan a benchmark
#'
#' Crosses shots, frames, engines, versions, limits, sizes, features, threads, devices and repeats
#' into trials. Each repeat is a block that holds every setting once, in random order, so that drift
#' of the machine hits all settings alike.
#'
#' @param shots A shot from [read_shot()] or a list of them.
#' @param engines An engine from [read_engine()] or a list of them.
#' @param versions Named list of versions by engine; all of a profile's `versions` when `NULL`.
#' @param frames Frames of each shot (a frame set or numbers); `NULL` for `options$probes` spread
#'   over the shot.
#' @param limits List of limits such as `list(samples = 64)`; `NULL` for each shot's own.
#' @param threads Whole numbers; `NA` leaves it to the engine.
#' @param repeats Number of blocks; or a list of any of `target`, `least`, `most` and `budget`:
#'   every setting runs `least` (3) times, and those whose mean log time is not known to `target`
#'   (0.03: the 95 % interval is 3 % to each side) run on, block by block, up to `most` (20) times,
#'   or until the `budget` (`"20 min"`, or seconds) is used. The interval is one that holds although
#'   it was looked at after every run.
#' @param options From [bench_options()].
#' @return A list of class `cp_bench_plan`: `trials`, a tibble, one row a trial in the order they
#'   run: `run_order`, `repeat`, `shot`, `scene`, `frame`, `engine`, `version`, `width`, `height`,
#'   `samples`, `noise`, `time_s`, `threads`, `devices`, `features` (JSON), `node` (`NA` for this
#'   machine); `engines`, `options`, `until`. [run_bench()] runs it.
#' @section Conditions: `clockpigeon_error_plan` when frames lie outside a shot, or the factor
#'   studied has one level; `clockpigeon_error_type` and `clockpigeon_error_choice` for arguments
#'   that cannot be read.
#' @examples
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' plan_bench(shot, pebble, frames = c(1, 360), repeats = 2)
#' @export
plan_bench <- function(shots, engines, versions = NULL, frames = NULL, limits = NULL, threads = NA,
                       repeats = 2, options = bench_options()) {
  shots <- as_list_of(shots, "cp_shot", argument("shots"), "read_shot()")
  engines <- as_list_of(engines, "cp_engine", argument("engines"), "read_engine()")
  until <- if (inherits(repeats, "cp_repeat_until")) repeats else if (is.list(repeats))
    parse_repeat_rule(repeats)
  repeats <- if (length(until)) until$least else check_count(repeats, argument("repeats"))
  if (!all(is.na(threads))) threads <- check_counts(threads, argument("threads"))
  limits <- if (length(limits)) lapply(limits, check_limit, where = argument("limits"))
  apart <- any(vapply(shots, function(shot) length(shot$scenes) > 0, NA))
  settings <- lapply(shots, shot_settings, engines, versions, frames, limits, threads, options,
                     apart)
  settings <- do.call(rbind, settings)
  check_study(settings, options$study)
  bench_plan(order_trials(settings, repeats, options), engines, options, until)
}

new_bench_plan <- record_type("cp_bench_plan", trials = is.data.frame, engines = is.list,
                              options = is.list, until = maybe(is.list))

bench_plan <- function(trials, engines, options, until) {
  new_bench_plan(list(trials = as_table(trials),
                      engines = stats::setNames(engines, vapply(engines, `[[`, "", "engine")),
                      options = options, until = until))
}

# The columns of a trial that tell the levels of a factor, where the plan itself knows them.
study_columns <- list(engine_version = "version", engine = c("engine", "version"),
                      limit = c("samples", "noise", "time_s"), size = c("width", "height"),
                      features = "features", threads = "threads",
                      capacity = c("threads", "devices"), device = c("devices", "node"),
                      device_count = c("devices", "node"), node = "node")

check_study <- function(settings, study) {
  columns <- if (length(study)) study_columns[[study]]
  if (length(columns) && nrow(unique(settings[columns])) < 2) {
    stop_input("plan", paste0("studies ", factor_label(study), ", and has one level of it"),
               "field `study`", "Give at least two levels, or study something else.")
  }
}

# Every setting of a shot once: engines x versions x limits x sizes x frames x threads.
shot_settings <- function(shot, engines, versions, frames, limits, threads, options, apart) {
  runs <- do.call(rbind, lapply(engines, function(engine) {
    data.frame(engine = engine$engine, version = versions_of(engine, versions))
  }))
  limits <- if (length(limits)) limits else list(shot$limit)
  sizes <- if (length(options$sizes)) options$sizes else list(shot$size)
  features <- feature_sets(options$features)
  devices <- if (length(options$devices)) options$devices else NA_character_
  nodes <- if (length(options$nodes)) options$nodes else NA_character_
  seeds <- if (length(options$seeds)) options$seeds else NA_integer_
  at <- expand.grid(seed = seeds, frame = shot_frames(shot, frames, options$probes),
                    threads = as.integer(threads), devices = devices, features = features,
                    node = nodes, size = seq_along(sizes), limit = seq_along(limits),
                    run = seq_len(nrow(runs)), stringsAsFactors = FALSE)
  limit <- function(kind) vapply(limits, function(l) or_na(l[[kind]]), 0)[at$limit]
  size <- function(k) vapply(sizes, function(s) as.integer(s[[k]]), 0L)[at$size]
  settings <- data.frame(
    shot = shot$shot, scene = shot$scene, frame = at$frame, runs[at$run, , drop = FALSE],
    width = size(1), height = size(2), samples = limit("samples"), noise = limit("noise"),
    time_s = limit("time"), threads = at$threads, devices = at$devices, features = at$features,
    node = at$node, row.names = NULL
  )
  if (apart) settings$scene_file <- vapply(settings$engine, scene_for, "", shot = shot,
                                           USE.NAMES = FALSE)
  if (length(options$rows)) settings <- in_band(settings, options$rows, engines)
  if (!length(options$seeds)) return(settings)
  linear <- vapply(engines, function(engine) or_else(engine$linear, engine$output), "")
  names(linear) <- vapply(engines, `[[`, "", "engine")
  cbind(settings, seed = at$seed, picture = unname(linear[settings$engine]))
}

# Every combination of features, each as JSON; NA for none.
feature_sets <- function(features) {
  if (!length(features)) return(NA_character_)
  sets <- expand.grid(features, stringsAsFactors = FALSE)
  vapply(seq_len(nrow(sets)), function(i) to_json(as.list(sets[i, , drop = FALSE])), "")
}

# The settings with the rows of a band, which must lie in every frame.
in_band <- function(settings, rows, engines) {
  able <- vapply(engines, function(engine) isTRUE(engine$bands), NA)
  if (!all(able)) {
    stop_input("region", paste(engines[[which(!able)[1]]]$engine, "renders no bands"),
               argument("rows"), "Leave it out.")
  }
  if (rows[2] > min(settings$height)) {
    stop_input("region", paste0("rows ", rows[1], "-", rows[2],
                                " lie outside the frame, which has rows 1-", min(settings$height)),
               argument("rows"), "Write rows within it.")
  }
  cbind(settings, band_first = rows[1], band_last = rows[2])
}

or_na <- function(x) if (length(x)) as.numeric(x) else NA_real_

as_list_of <- function(x, class, where, made_by) {
  if (inherits(x, class)) x <- list(x)
  if (!is.list(x) || !length(x)) {
    stop_input("type", paste("got", show_value(x)), where,
               paste0("Give what ", made_by, " returns, or a list of it."))
  }
  lapply(x, check_class, where = where, class = class, made_by = made_by)
}

versions_of <- function(engine, versions) {
  asked <- versions[[engine$engine]]
  if (is.null(asked)) return(if (length(engine$versions)) engine$versions else NA_character_)
  if (!length(engine$versions)) {
    stop_input("plan", paste0("the engine ", engine$engine, " has one version, the one installed"),
               argument("versions"), "Leave it out.")
  }
  for (version in asked)
    check_choice(version, paste0("version of ", engine$engine), engine$versions)
  asked
}

shot_frames <- function(shot, frames, probes = 1) {
  if (is.null(frames)) return(first_probes(shot$frames, probes))
  frames <- parse_frames(frames, argument("frames"))
  outside <- setdiff(frames, shot$frames)
  if (length(outside)) {
    stop_input("plan", paste0("frame ", outside[1], " is not in shot ", shot$shot),
               argument("frames"), paste0("It has frames ", format_frames(shot$frames), "."))
  }
  frames
}

order_trials <- function(settings, repeats, options) {
  with_seed(options$seed, {
    blocks <- lapply(seq_len(repeats),
                     function(k) settings_in(settings, sample.int(nrow(settings)), k))
    first <- !duplicated(row_key(settings, c("engine", "version", "node")))
    warm <- if (options$warmups > 0) settings_in(settings, rep(which(first), options$warmups), 0L)
    trials <- do.call(rbind, c(list(warm), blocks))
  })
  data.frame(run_order = seq_len(nrow(trials)), trials, check.names = FALSE, row.names = NULL)
}

settings_in <- function(settings, order, block) {
  data.frame("repeat" = rep(block, length(order)), settings[order, , drop = FALSE],
             check.names = FALSE)
}

# The trials of a project's plan, as plan_bench() returns them. `name`: of one of its plans; the
# project's default, or else the first, when NULL.
project_plan <- function(project, name = NULL) {
  check_class(project, argument("project"), "cp_project", "read_project()")
  if (is.null(name)) name <- if (length(project$defaults$plan)) project$defaults$plan else
    names(project$plans)[1]
  file <- project_entry(project$plans, name, "plan")
  file$engines <- merged_engines(file$engines)
  where <- function(what) paste0(short_path(attr(file, "path")), ": ", what)
  plan_bench(
    shots = lapply(file$shots, project_entry, entries = project$shots, what = where("shot")),
    engines = lapply(names(file$engines), project_entry, entries = project$engines,
                     what = where("engine")),
    versions = Filter(length, lapply(file$engines, `[[`, "versions")),
    frames = file$frames, limits = file$limits, threads = file$threads, repeats = file$repeats,
    options = bench_options(probes = first_of(file$probes, 3),
                            cross = factor_grid(file$sizes, file$features, file$devices,
                                                file$nodes),
                            on_loss = file$on_loss, study = file$study, warmups = file$warmups,
                            time_limit = file$time_limit, seed = file$seed, name = file$plan)
  )
}

# Engines by name. One that is named twice, as in `pebble 1.0, pebble 1.1`, has the versions of
# both.
merged_engines <- function(engines) {
  names <- vapply(engines, `[[`, "", "engine")
  lapply(stats::setNames(nm = unique(names)), function(name) {
    own <- lapply(engines[names == name], `[[`, "versions")
    list(engine = name, versions = if (all(lengths(own) > 0)) unique(unlist(own)))
  })
}

parse_repeat_rule <- function(x) {
  known <- names(formals(repeat_rule))
  odd <- setdiff(names(x), known)
  if (length(odd) || is.null(names(x))) {
    stop_input("field", paste("got", show_value(c(odd, "values without names")[1])),
               argument("repeats"), paste0("It is a number, or a list of ", toString(known), "."))
  }
  do.call(repeat_rule, x)
}
