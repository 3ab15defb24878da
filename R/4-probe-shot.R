# Probing a shot: frames measured one by one until its total is known well enough.

new_shot_probe <- record_type(
  "cp_shot_probe", shot = is.list, engine = is.list, version = maybe(is.character),
  node = is.character, curve = maybe(is.list), total = maybe(is.data.frame),
  steps = maybe(is.data.frame), cheap = anything, ended = is.character, spent_s = is.numeric,
  rows = maybe(is.data.frame), target = is.numeric
)

#' Probe a shot until its total is known
#'
#' Measures spread frames first and then, one by one, the frame that narrows the total most for the
#' seconds it costs ([next_probe()]), until the interval of the total is as narrow as asked, or the
#' time budget is used. Known times of the shot in this setting on this node are used first, and so
#' are frames measured at another limit or size, brought to this one by the limit fit, with the
#' error of that. Complete shots in the ledger teach the prior.
#'
#' After the first frames it is decided whether a cheap pass pays (`cheap_pass_pays()`), by timing
#' one cheap frame; its cost counts.
#'
#' @param shot A shot from [read_shot()].
#' @param engine An engine from [read_engine()].
#' @param ledger A ledger from [open_ledger()].
#' @param probing From `probing()`: when to stop, and how to begin.
#' @param running From [running()].
#' @return A list of class `cp_shot_probe`: `curve` (the [frame_curve()]), `total`, `steps` (a
#'   tibble, one row a probe: `frame`, `seconds`, `spent_s` since the start, `mean`, `lower`,
#'   `upper`, `median`, `half_width` of the total after it), `cheap` (how the cheap pass was decided
#'   and what it took), `ended` (why it stopped: `narrow`, `all_measured` or `budget_used`),
#'   `spent_s`, `rows` (the timings used).
#' @section Conditions: `clockpigeon_error_curve` when a frame cannot be rendered; those of
#'   [run_bench()].
#' @examplesIf nzchar(system.file("bin", "pebble", package = "clockpigeon"))
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' ledger <- open_ledger(":memory:")
#' probe_shot(shot, pebble, ledger, probing(target = 0.3, cheap = FALSE), running(progress = FALSE))
#' close_ledger(ledger)
#' @export
probe_shot <- function(shot, engine, ledger, probing = NULL, running = NULL) {
  asked <- option_object(probing, "probing", probing_of)
  how <- option_object(running, "running", running_of)
  check_class(shot, argument("shot"), "cp_shot", "read_shot()")
  check_class(engine, argument("engine"), "cp_engine", "read_engine()")
  version <- newest_unless(how$version, engine)
  # An engine of one version says which it is: other versions' times are not its own.
  said <- version
  if (is.null(said) && length(engine$version))
    said <- ask_version(engine, engine_program(engine), NA)
  node <- if (is.null(how$node)) this_node() else
    as_list_of(how$node, "cp_node", argument("node"), "read_node()")[[1]]
  setup <- list(shot = shot, engine = engine, ledger = ledger, version = version, said = said,
                node = node, folder = how$folder, keep = how$keep, progress = how$progress,
                level = asked$level, prior = learned_prior(timings_near(ledger, shot$scene)))
  if (is_away(node)) {
    # The frames of a cheap pass come from one process, which is started here.
    asked[c("cheap", "why")] <- list(FALSE, "one is run on this machine, and the frames on another")
    found <- holding_node(node, function() run_probing(setup, asked),
                          if (how$progress) function(why) message(node$node, " ", why))
  } else found <- run_probing(setup, asked)
  new_shot_probe(c(list(shot = shot, engine = engine, version = said, node = node$node), found,
                   list(target = asked$target)))
}

new_probing <- record_type("cp_probing", target = is.numeric, level = is.numeric,
                           first = is.integer, budget = is.numeric, cheap = is.logical)

#' @rdname probe_shot
#' @param target Half-width of the interval of the total, as a share of it.
#' @param level Level of that interval.
#' @param first Frames measured before any is chosen.
#' @param budget Seconds of probing after which no further frame starts.
#' @param cheap `TRUE`, `FALSE`, or `NA` to decide by what it gains.
#' @export
probing <- function(target = 0.1, level = 0.8, first = 3, budget = Inf, cheap = NA) {
  if (!identical(budget, Inf)) budget <- check_number(budget, argument("budget"), above = 0)
  if (!is.na(cheap)) check_flag(cheap, argument("cheap"))
  new_probing(list(target = check_number(target, argument("target"), above = 0),
                   level = check_number(level, argument("level"), above = 0, most = 0.9999),
                   first = check_count(first, argument("first")), budget = budget, cheap = cheap))
}
probing_of <- probing

# Measure frame by frame; returns what was found, and why it ended.
run_probing <- function(probing, asked) {
  level <- asked$level
  shot <- probing$shot
  began <- steady_clock()
  spent <- function() steady_clock() - began
  decided <- first_cheap_decision(probing, asked)
  seen <- known_rows(probing)
  steps <- list()
  for (frame in setdiff(first_probes(shot$frames, asked$first, decided$rows), seen[["frame"]])) {
    if (has_first_probes(seen, asked, spent())) break
    seen <- rbind(seen, probe_frame(probing, frame))
    if (nrow(seen) > 1)
      steps <- c(steps, list(probe_step(curve_of(probing, seen, decided), seen, level, spent())))
  }
  curve <- curve_of(probing, seen, decided)
  if (is.na(asked$cheap)) {
    decided <- decide_cheap(probing, curve, asked$target)
    if (decided$used) curve <- curve_of(probing, seen, decided)
  }
  repeat {
    now <- probe_step(curve, seen, level, spent())
    if (!length(steps)) steps <- list(now)
    if (probing$progress) report_probing(curve, now)
    ended <- end_of_probing(now, asked, setdiff(shot$frames, curve$frame), spent())
    if (length(ended)) break
    frame <- next_probe(curve)[["frame"]]
    seen <- rbind(seen, probe_frame(probing, frame))
    curve <- curve_of(probing, seen, decided)
    steps <- c(steps, list(probe_step(curve, seen, level, spent())))
  }
  list(curve = curve, total = total_time(curve, level), steps = bind_tables(steps), cheap = decided,
       ended = ended, spent_s = spent(), rows = seen)
}

# The cheap pass as requested, run if it is wanted; undecided until the first probes are there.
first_cheap_decision <- function(probing, asked) {
  cheap <- asked$cheap
  wish <- if (is.na(cheap)) "not decided" else if (cheap) "asked for" else "not wanted"
  decided <- list(used = FALSE, why = or_else(asked$why, wish))
  if (isTRUE(cheap)) run_cheap(probing, decided) else decided
}

has_first_probes <- function(seen, asked, spent_s) {
  nrow(seen) >= asked$first || nrow(seen) > 0 && spent_s > asked$budget
}

# Reason to stop probing, or NULL. `open`: the frames that are not measured.
end_of_probing <- function(now, asked, open, spent_s) {
  if (now$half_width <= asked$target) return("narrow")
  if (!length(open)) return("all_measured")
  if (spent_s > asked$budget) "budget_used"
}

report_probing <- function(curve, now) {
  message(measured_frames(curve), if (measured_frames(curve) == 1) " frame" else " frames",
          " measured: total ", format_duration(now$median), " within ",
          format_percent(now$half_width))
}

# One frame, measured: its row, as known_rows() gives it.
probe_frame <- function(probing, frame) {
  plan <- plan_bench(probing$shot, probing$engine, probing_versions(probing), frame, repeats = 1,
                     options = bench_options(warmups = 0,
                                             name = paste("probe of", probing$shot$shot)))
  if (probing$progress) message("frame ", frame)
  row <- as_frame(run_bench(plan, probing$ledger, probing$node, probing$folder, probing$keep,
                            progress = FALSE))
  if (row[["status"]][1] != "ok") {
    stop_input("curve", paste0("frame ", frame, " ", gsub("_", " ", row[["status"]][1]), ": ",
                               row[["note"]][1]),
               paste("shot", probing$shot$shot),
               "Mend that first; what was measured so far is in the ledger.")
  }
  data.frame(frame = row[["frame"]][1], seconds = row[["wall_s"]][1], scaled = 0)
}

probing_versions <- function(probing) {
  if (length(probing$version)) stats::setNames(list(probing$version), probing$engine$engine)
}

# Known times of the shot on this node: frame, seconds, scaled.
known_rows <- function(probing) {
  rows <- as_frame(timings(probing$ledger, node = probing$node$node,
                           engine = probing$engine$engine))
  if (length(probing$said)) rows <- rows[rows[["engine_version"]] %in% probing$said, , drop = FALSE]
  rows <- rows[is_evidence(rows) & is.na(rows[["piece"]]) &
               is_of_shot(rows, probing$shot, scene_only = TRUE) &
                 probing_rows(rows, probing), , drop = FALSE]
  here <- is_of_shot(rows, probing$shot)
  own <- data.frame(frame = rows[["frame"]][here], seconds = rows[["wall_s"]][here],
                    scaled = numeric(sum(here)))
  rbind(own, brought_rows(probing$shot, rows[!here, , drop = FALSE], rows[here, , drop = FALSE]))
}

# Rows of the devices and threads of a probe: all that the node's engine takes by default.
probing_rows <- function(rows, probing) {
  used <- device_use(probing$node, probing$engine, cores = machine_cores())
  # Another machine reports its default when it is connected.
  if (is_away(probing$node)) return(rep(TRUE, nrow(rows)))
  rows[["threads"]] %in% used$threads &
    (is.na(rows[["capacity"]]) | rows[["capacity"]] %in% used$capacity)
}

# Rows at another count of samples or another size, brought to the shot's own, none of them further
# away than a factor of four. A limit fit needs one frame at two counts; how time grows with the
# pixels is taken as the power 1 (0.15).
brought_rows <- function(shot, other, own) {
  none <- data.frame(frame = integer(), seconds = numeric(), scaled = numeric())
  to <- shot$limit$samples
  plain <- other[["limit_kind"]] %in% "samples" & is.na(other[["features"]])
  if (is.null(to) || length(Filter(length, shot$limit)) > 1 || !any(plain)) return(none)
  other <- other[plain, , drop = FALSE]
  pixels <- as.numeric(other[["width"]]) * other[["height"]]
  full <- as.numeric(shot$size[["width"]]) * shot$size[["height"]]
  near <- function(ratio) abs(log(ratio)) <= log(4.01)
  counts <- other[pixels == full, , drop = FALSE]
  sizes <- other[pixels != full & near(pixels / full) & other[["limit_value"]] == to, ,
                 drop = FALSE]
  fit <- fit_of_counts(rbind(counts, own))
  counts <- counts[near(counts[["limit_value"]] / to) & length(fit), , drop = FALSE]
  # Evidence of one frame about another's ratio is not exact: at least 5 %.
  brought <- function(rows, ...) {
    x <- scale_seconds(rows[["wall_s"]], ...)
    data.frame(frame = rows[["frame"]], seconds = x[["seconds"]],
               scaled = pmax(x[["scaled"]], 0.05))
  }
  do.call(rbind, c(
    list(none), lapply(split(counts, counts[["limit_value"]]),
                       function(r) brought(r, fit, r[["limit_value"]][1], to)),
    lapply(split(sizes, sizes[["width"]]), function(r) {
      brought(r, pixels = as.numeric(r[["width"]][1]) * r[["height"]][1], to_pixels = full)
    })
  ))
}

# The limit fit of the frame with most counts; NULL when none has two.
fit_of_counts <- function(rows) {
  counts <- vapply(split(rows[["limit_value"]], rows[["frame"]]), function(n) length(unique(n)), 0L)
  if (!length(counts) || max(counts) < 2) return(NULL)
  rows <- rows[rows[["frame"]] == as.integer(names(which.max(counts))), , drop = FALSE]
  fit_limit(rows[["limit_value"]], rows[["wall_s"]])
}

curve_of <- function(probing, seen, decided) {
  cuts <- probing$shot$cuts
  frame_curve(seen, frames = probing$shot$frames, cuts = if (length(cuts)) cuts,
              cheap = decided$rows, prior = probing$prior)
}

probe_step <- function(curve, seen, level, spent) {
  total <- as_frame(total_time(curve, level))
  data.frame(frame = seen[["frame"]][nrow(seen)], seconds = seen[["seconds"]][nrow(seen)],
             spent_s = spent, total[c("mean", "lower", "upper", "median")],
             half_width = (total$upper - total$lower) / 2 / total$mean)
}

# Times one frame cheaply (that of the median probe), and runs the pass when it pays.
decide_cheap <- function(probing, curve, target) {
  at <- curve$frame[order(curve$log_s)[ceiling(length(curve$frame) / 2)]]
  began <- steady_clock()
  row <- cheap_pass(probing$shot, probing$engine, probing$ledger, at,
                    running = running_of(probing$version, probing$node, probing$folder,
                                         progress = FALSE))
  each <- if (in_one_process(probing$engine, format_frames(probing$shot$frames))) {
    max(sum(row[["load_s"]], row[["compute_s"]], na.rm = TRUE), 1e-3)
  } else row[["wall_s"]]
  gain <- as_frame(cheap_pass_pays(curve, each, target, probing$level))
  why <- paste0("a cheap frame takes ", format_duration(each), ": the pass and ", gain$probes_with,
                " probes cost ", format_duration(gain$seconds_with), " more, ", gain$probes_without,
                " probes without it ", format_duration(gain$seconds_without))
  decided <- list(used = FALSE, why = why, took = steady_clock() - began)
  if (gain$pays) run_cheap(probing, decided) else decided
}

run_cheap <- function(probing, decided) {
  began <- steady_clock()
  rows <- cheap_pass(probing$shot, probing$engine, probing$ledger,
                     running = running_of(probing$version, probing$node, probing$folder,
                                          progress = probing$progress))
  seconds <- ifelse(is.na(rows[["compute_s"]]), rows[["wall_s"]], rows[["compute_s"]])
  list(used = TRUE, why = decided$why, took = or_else(decided$took, 0) + steady_clock() - began,
       rows = data.frame(frame = rows[["frame"]], seconds = pmax(seconds, 1e-4)))
}
