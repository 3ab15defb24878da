# Backtests: parts of the ledger are hidden, forecast from the rest and compared.

new_backtest <- table_type("cp_backtest",
                           c("question", "method", "place", "case", "probes", "forecast_s",
                             "lower", "upper", "true_s", "error", "covered", "level", "sample"))

#' How good forecasts would have been on your own evidence
#'
#' Hides part of what the ledger knows, forecasts it from the rest, and compares. It scores four
#' questions whose answer is in the ledger:
#'
#' - *the rest of a shot*: of every completely measured shot all but a few frames are hidden and its
#'   total is forecast, by [frame_curve()] (its prior learned from the other shots), with the cheap
#'   pass too if there was one, and compared with the habits: first frame times frame count, and
#'   evenly spaced frames times frame count;
#' - *other hardware*: every scene that ran on two rigs or more is hidden on one of them and
#'   forecast by [fit_speeds()], and compared with the habit of one reference scene's ratio;
#' - *another limit*: of frames timed at three counts of samples or more the largest is hidden and
#'   forecast by [fit_limit()], and compared with the habit of proportion;
#' - *a whole job*: a run of at least 40 frames of a shot is forecast by [simulate_job()] from what
#'   had been measured before it started, and compared with its actual duration and with the first
#'   frame times the count over the slots.
#'
#' @param ledger A ledger from [open_ledger()], or timings. From a ledger of more than 50,000
#'   timings the newest of each setting are taken.
#' @param probes Numbers of frames that are left of a shot.
#' @param level Level of the intervals that are checked.
#' @param most Cells of other hardware that are hidden at most, one at a time, chosen evenly.
#' @return A tibble of class `cp_backtest`, one row a case: `question`, `method`, `place` (site, or
#'   node), `case`, `probes`, `forecast_s`, `lower`, `upper` (`NA` for habits), `true_s`, `error`
#'   (forecast over truth, less one), `covered`, `level` (of the intervals), `sample` (whether the
#'   evidence is sample data). `summary()` gives a row a question, method, number of probes and
#'   place: `cases`, `error` (mean of the absolute ones), `bias` (mean), `covered` (share).
#' @section Conditions: `clockpigeon_error_backtest` if no timings in the ledger can be hidden.
#' @examples
#' summary(backtest(example_timings()))
#' @export
backtest <- function(ledger, probes = c(3, 5, 8), level = 0.8, most = 20) {
  rows <- as_frame(if (inherits(ledger, "cp_ledger")) newest_timings(ledger, 50000) else ledger)
  rows <- filled_timings(rows, argument("ledger"))
  level <- check_number(level, argument("level"), above = 0, most = 0.9999)
  probes <- check_counts(probes, argument("probes"))
  rows <- rows[is_evidence(rows), , drop = FALSE]
  found <- do.call(rbind, c(hidden_frames(rows, probes, level), hidden_cells(rows, level, most),
                            hidden_limits(rows, level), hidden_jobs(rows, level)))
  if (is.null(found)) {
    stop_input("backtest", "holds no timings that could be hidden and forecast", "the ledger",
               paste(
                 "It takes a shot with nearly all its frames measured, a scene measured on two",
                 "rigs, or a frame",
                 "at three counts of samples."))
  }
  found[["error"]] <- found[["forecast_s"]] / found[["true_s"]] - 1
  found[["covered"]] <- found[["lower"]] <= found[["true_s"]] &
    found[["true_s"]] <= found[["upper"]]
  found[["level"]] <- level
  found[["sample"]] <- any(is_sample(rows))
  new_backtest(found)
}

# Complete shots, all but a few frames hidden.
hidden_frames <- function(rows, probes, level) {
  shots <- complete_shots(rows)
  pairs <- cheap_partners(shots)
  scene <- vapply(shots, function(p) p[["scene"]][1], "")
  # Information of each shot, so that each is forecast from the other scenes: its own other settings
  # are hidden too.
  full <- lapply(shots, shot_information, prior = curve_prior())
  left <- lapply(seq_along(shots), function(k) {
    if (length(pairs[[k]])) shot_information(shots[[k]], curve_prior(), shots[[pairs[[k]]]])
  })
  cases_of <- function(k) {
    shot <- shots[[k]]
    other <- scene != scene[k]
    prior <- prior_with_scene(curve_prior(), "full", full[other], scene[other])
    paired <- other & lengths(left) > 0
    prior <- prior_with_scene(prior, "cheap", left[paired], scene[paired])
    seconds <- tapply(shot[["seconds"]], shot[["frame"]], mean)
    frames <- as.integer(names(seconds))
    total <- sum(seconds)
    cases_at <- function(n) {
      at <- match(first_probes(frames, n), frames)
      case <- function(method, ...) {
        a_case("the rest of a shot", method, shot[["place"]][1], shot[["label"]][1], n, ...,
               true = total)
      }
      forecast <- function(at, ...) {
        curve <- frame_curve(frames[at], seconds[at], frames, ..., run_sd = 0, prior = prior)
        as_frame(total_time(curve, level))
      }
      curve <- forecast(at)
      cheap <- if (length(pairs[[k]])) {
        partner <- shots[[pairs[[k]]]]
        partner <- partner[partner[["frame"]] %in% frames, , drop = FALSE]
        best <- match(first_probes(frames, n, partner), frames)
        forecast(best, cheap = partner)
      }
      rbind(case("first frame times count", seconds[1] * length(frames)),
            case("even frames times count", mean(seconds[at]) * length(frames)),
            case("frame curve", curve$median, lower = curve$lower, upper = curve$upper),
            if (length(cheap)) {
              case("frame curve with cheap pass", cheap$median, lower = cheap$lower,
                   upper = cheap$upper)
            })
    }
    lapply(probes[probes < length(frames)], cases_at)
  }
  do.call(c, lapply(seq_along(shots), cases_of))
}

# Scenes on rigs, one cell hidden at a time.
hidden_cells <- function(rows, level, most) {
  rows <- rows[!is.na(rows[["scene"]]), , drop = FALSE]
  if (!nrow(rows)) return(NULL)
  rows[["rig"]] <- rig_name(rows)
  cell <- row_key(rows, c("scene", "rig"))
  cells <- rows[!duplicated(cell), , drop = FALSE]
  several <- function(column) stats::ave(seq_len(nrow(cells)), cells[[column]], FUN = length) > 1
  open <- which(several("scene") & several("rig"))
  if (length(open) > most) open <- open[unique(round(seq(1, length(open), length.out = most)))]
  all <- fit_speeds(rows)
  lapply(open, function(k) {
    here <- cell == row_key(cells[k, , drop = FALSE], c("scene", "rig"))
    rest <- rows[!here, , drop = FALSE]
    scene <- cells[["scene"]][k]
    rig <- cells[["rig"]][k]
    # The true value is a measurement, its frames and settings compared with those elsewhere; the
    # mean of so few runs varies.
    at <- which(all$cells$i == match(scene, all$scenes) & all$cells$j == match(rig, all$rigs))
    true <- exp(all$cells$y[at])
    fit <- fit_speeds(rest)
    p <- tryCatch(as_frame(predict.cp_speed_fit(fit, scene, rig, level, run = 1 / all$cells$n[at])),
                  clockpigeon_error_speeds = function(e) NULL)
    if (is.null(p)) return(NULL)
    case <- function(method, ...) a_case("other hardware", method, place_of(rows[here, ])[1],
                                         paste0(scene, " on ", rig), NA,
                                         ..., true = true)
    habit <- one_scene_ratio(fit, scene, rig)
    rbind(if (!is.na(habit)) case("one reference scene's ratio", habit),
          case("rig speeds", p$seconds, lower = p$lower, upper = p$upper))
  })
}

# The habit: the scene's time on another rig, times the ratio of the two rigs on one scene that both
# ran.
one_scene_ratio <- function(fit, scene, rig) {
  cells <- fit$cells
  at <- function(s, r) cells$y[cells$i == s & cells$j == r]
  i <- match(scene, fit$scenes)
  j <- match(rig, fit$rigs)
  for (other in cells$j[cells$i == i]) {
    both <- intersect(cells$i[cells$j == other], cells$i[cells$j == j])
    if (length(both)) return(exp(at(i, other) + at(both[1], j) - at(both[1], other)))
  }
  NA_real_
}

# Frames timed at three counts of samples or more, the largest hidden.
hidden_limits <- function(rows, level) {
  rows <- rows[rows[["limit_kind"]] %in% "samples" & !is.na(rows[["frame"]]), , drop = FALSE]
  key <- row_key(rows, c("scene", "frame", "engine", "engine_version", "node", "site", "width",
                         "height", "features"))
  parts <- Filter(function(p) length(unique(p[["limit_value"]])) >= 3, split(rows, key))
  lapply(unname(parts), function(p) {
    last <- max(p[["limit_value"]])
    rest <- p[p[["limit_value"]] < last, , drop = FALSE]
    true <- exp(mean(log(p[["wall_s"]][p[["limit_value"]] == last])))
    next_best <- max(rest[["limit_value"]])
    habit <- exp(mean(log(rest[["wall_s"]][rest[["limit_value"]] == next_best]))) * last / next_best
    f <- as_frame(predict.cp_limit_fit(fit_limit(rest[["limit_value"]], rest[["wall_s"]]), last,
                                       level))
    case <- function(method, ...) {
      a_case("another limit", method, place_of(p)[1],
             paste0(p[["scene"]][1], " frame ", p[["frame"]][1]), nrow(rest), ...,
             true = true)
    }
    rbind(case("in proportion to samples", habit),
          case("limit fit", f$seconds, lower = f$seconds_lower, upper = f$seconds_upper))
  })
}

#' @rdname backtest
#' @param object A backtest.
#' @param ... Not used.
#' @export
summary.cp_backtest <- function(object, ...) {
  x <- as_frame(object)
  x[["probes"]][!x[["question"]] %in% c("the rest of a shot", "a whole job")] <- NA
  key <- row_key(x, c("question", "method", "probes", "place"))
  parts <- split(x, factor(key, unique(key)))
  of <- function(f) vapply(parts, f, 0, USE.NAMES = FALSE)
  first <- x[!duplicated(key), , drop = FALSE]
  as_table(list(question = first[["question"]], method = first[["method"]],
                probes = first[["probes"]], place = first[["place"]], cases = as.integer(of(nrow)),
                error = of(function(p) mean(abs(p[["error"]]))),
                bias = of(function(p) mean(p[["error"]])),
                covered = of(function(p) mean(p[["covered"]]))))
}

# A job is a run (one plan_id, or one job that was imported) that rendered at least 40 frames of one
# shot in one setting, nearly all between its first and last. It is forecast from what was measured
# before it began: frames of the same shot in other runs, and all that other shots had taught by
# then.
hidden_jobs <- function(rows, level) {
  # Imported rows have no plan: their job groups them.
  rows[["plan_id"]] <- ifelse(is.na(rows[["plan_id"]]), rows[["job"]], rows[["plan_id"]])
  rows <- rows[!is.na(rows[["plan_id"]]) & !is.na(rows[["frame"]]) & is.na(rows[["piece"]]) &
                 rows[["limit_kind"]] %in% limit_kinds, , drop = FALSE]
  if (!nrow(rows)) return(NULL)
  rows[["began"]] <- as.numeric(as.POSIXct(rows[["measured_at"]], tz = "UTC",
                                           format = "%Y-%m-%dT%H:%M:%OSZ"))
  setting <- c("scene", "engine", "engine_version", "limit_kind", "limit_value", "width", "height",
               "features", "node", "site")
  key <- row_key(rows, c("plan_id", setting))
  jobs <- Filter(function(p) length(unique(p[["frame"]])) >= 40 &&
                 is_complete(sort(unique(p[["frame"]])), 0.8) &&
                   !anyNA(p[["began"]]), split(rows, factor(key, unique(key))))
  lapply(unname(jobs), function(job) {
    before <- rows[rows[["began"]] < min(job[["began"]]) & rows[["plan_id"]] != job[["plan_id"]][1],
                   , drop = FALSE]
    like <- before[row_key(before, setting) == row_key(job[1, , drop = FALSE], setting) &
                     before[["frame"]] %in% job[["frame"]], , drop = FALSE]
    if (length(unique(like[["frame"]])) < 2) return(NULL)
    job_case(job, before, like, level)
  })
}

# Forecast of one past job from the timings before it, next to what it took.
job_case <- function(job, before, like, level) {
  slots <- most_at_once(job[["began"]], job[["began"]] + job[["wall_s"]])
  frames <- sort(unique(job[["frame"]]))
  shot <- filled_record(
    "cp_shot", shot_fields(), shot = "job", scene = job[["scene"]][1],
    frames = as.integer(frames), cuts = integer(),
    size = c(width = job[["width"]][1], height = job[["height"]][1]),
    limit = stats::setNames(list(job[["limit_value"]][1]), job[["limit_kind"]][1])
  )
  # Treat a site as a node of its name: only its own frames are compared here.
  here <- before
  here[["node"]] <- ifelse(is.na(here[["site"]]), here[["node"]], here[["site"]])
  here[["site"]] <- NA_character_
  engine <- stats::setNames(job[["engine_version"]][1], job[["engine"]][1])
  if (is.na(engine)) engine <- names(engine)
  known <- tryCatch(render_job(shot, engine, as_timings(here[names(timing_columns)])),
                    clockpigeon_error = function(e) NULL)
  if (is.null(known)) return(NULL)
  way <- job_way(node_group(slots, drifted_speed(known, list(log_factor = 0, se = 0))))
  finish <- simulate_job(frame_draws(known, 1000, 1), way)$draws[["finish_s"]]
  ends <- stats::quantile(finish, c((1 - level) / 2, 0.5, (1 + level) / 2), names = FALSE)
  true <- max(job[["began"]] + job[["wall_s"]]) - min(job[["began"]])
  probes <- length(unique(like[["frame"]]))
  case <- function(method, ...) {
    a_case("a whole job", method, place_of(job)[1],
           paste0(job[["scene"]][1], ", ", length(frames), " frames, ",
                  job[["plan_id"]][1]), probes, ..., true = true)
  }
  first <- like[["wall_s"]][order(like[["frame"]])][1]
  rbind(case("first frame times count over slots", first * length(frames) / slots),
        case("simulated job", ends[2], lower = ends[1], upper = ends[3]))
}

# How many stretches of time ran at once at most: the slots of a job. Starts are kept to the second,
# so that one which seems to begin just before another ends counts as following it.
most_at_once <- function(from, to) {
  to <- pmax(from, to - 1)
  moments <- order(c(from, to), rep(c(1, 0), each = length(from)))
  max(1L, max(cumsum(rep(c(1L, -1L), each = length(from))[moments])))
}

# One case of a backtest.
a_case <- function(question, method, place, case, probes, forecast, true, lower = NA_real_,
                   upper = NA_real_) {
  data.frame(question = question, method = method, place = place, case = case,
             probes = as.integer(probes), forecast_s = as.numeric(forecast), lower = lower,
             upper = upper, true_s = as.numeric(true))
}

place_of <- function(rows) {
  place <- ifelse(is.na(rows[["site"]]), rows[["node"]], rows[["site"]])
  ifelse(is.na(place), "unknown", place)
}
