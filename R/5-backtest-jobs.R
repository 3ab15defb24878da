# Whole jobs that the ledger saw: forecast as they could have been before they began, beside how
# long they took.

# A job is a run (one plan_id, or one job that was imported) that rendered at least 40 frames of one
# shot in one setting, nearly all between its first and last. It is forecast from what was measured
# before it began: frames of the same shot in other runs, and all that other shots had taught by
# then.
hidden_jobs <- function(rows, level) {
  # What was imported has no plan: its job tells what was rendered together.
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
  shot <- structure(list(shot = "job", scene = job[["scene"]][1], frames = as.integer(frames),
                         cuts = integer(),
                         size = c(width = job[["width"]][1], height = job[["height"]][1]),
                         limit = stats::setNames(list(job[["limit_value"]][1]),
                                                 job[["limit_kind"]][1]), upload = 0,
                         frame_size = 0, needs = list()), class = "cp_shot")
  # On a site as on a node of its name: nothing but its own frames is compared here.
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
