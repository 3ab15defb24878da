# Evidence: the timings of a job's shots, and the speed of a site relative to the node that measured
# them.

# Assumed spreads of log time for missing measurements; each is shown as assumed wherever it is
# used.
assumed_sd <- list(run = 0.10, claimed = 0.25, assumed = 0.35, like = 0.03, link = 0.15,
                   devices = 0.1, samples = 0.05)

new_job <- record_type(
  "cp_job", shots = is.list, engine = is.character, version = is.character,
  currency = is.character, rates = maybe(is.data.frame), time_zone = maybe(is.character),
  node = is.character, curves = is.list, evidence = is.data.frame,
  # spreads from run to run, day to day and hour to hour
  run_sd = is.numeric, run_basis = is.character, drift_sd = is.numeric, drift_df = is.numeric,
  drift_basis = is.character, hour_sd = is.numeric, hour_basis = is.character,
  sessions = is.numeric, busy = is.list,
  # timings that stages, speeds and features are learned from
  stage_rows = is.data.frame, rig_rows = is.data.frame, sample_rows = is.data.frame,
  featured = is.data.frame,
  limit = is.character, noise = is.numeric, time_share = is.numeric
)

#' A job: shots to be rendered, and the evidence for their times
#'
#' @param shots A shot from [read_shot()] or a list of them.
#' @param engine Name of the engine; with its version as `c(sundew = "4.2")`, otherwise the newest
#'   that was measured.
#' @param timings Timings, as [timings()] returns them.
#' @param currency ISO 4217 code in which costs are shown.
#' @param rates Exchange rates as in a project's `rates`; needed when a site sells in another
#'   currency.
#' @param time_zone The time zone of deadlines, such as `"Europe/Lisbon"`; `NULL` when it is not
#'   known.
#' @param limit Another limit than the shots' own: a list as in a shot file (`list(noise = 0.02)`),
#'   whose times were measured; or a share of their samples, such as `"50 %"`, whose times follow
#'   from theirs.
#' @param machine For runs on a busy machine: `"busy"` forecasts a machine as busy as then, `"idle"`
#'   one without that. The cost of the other work comes from frames measured both ways, or from CPU
#'   and wall seconds, or is assumed; its error is in the forecast.
#' @param done Frames that are rendered already and are not to be rendered again, by shot, as
#'   `"gears 1-300; basin 1-20"`; what was measured of them is evidence as before.
#' @return A list of class `cp_job`: the shots, `node` (the node on which most of their frames were
#'   measured: the reference), `curves` (a [frame_curve()] for each shot on that node, with its
#'   cheap times where half of the frames have one, and the prior that complete shots in the timings
#'   teach), `run_sd` (spread of log time of one frame from run to run), the evidence, `stage_rows`
#'   (timings of the stages around rendering), `busy` (the effect of other work on the machine),
#'   `sessions` (how the frame times are spread over sessions of measuring), `limit` (a label) and
#'   `noise`, that of its pictures over that of the shots' own limit (`NA` where it is unknown).
#' @section Conditions: `clockpigeon_error_evidence` when no finished frame of a shot was measured
#'   at the shot's own size and limit. Times at another size or limit are not scaled.
#' @examples
#' project <- read_project(demo_file())
#' render_job(project$shots[c("gears", "basin")], "sundew", example_timings())
#' @export
render_job <- function(shots, engine, timings, currency = "EUR", rates = NULL, time_zone = NULL,
                       limit = NULL, machine = machine_states, done = NULL) {
  machine <- check_choice(machine[1], argument("machine"), machine_states)
  share <- sample_share(limit)
  shots <- job_shots(shots, limit)
  version <- if (length(names(engine))) check_text(unname(engine), argument("engine"))
  engine <- check_text(first_of(names(engine), engine), argument("engine"))
  timings <- filled_timings(timings, argument("timings"))
  currency <- check_currency(currency, argument("currency"))
  if (!is.null(time_zone)) time_zone <- zone_field(time_zone, argument("time_zone"))
  rows <- rows_of_engine(as_frame(timings), engine)
  if (is.null(version)) version <- newest_version(rows, shots)
  rows <- rows[rows[["engine_version"]] %in% version, , drop = FALSE]
  measured <- shot_measurements(rows, shots, engine, version)
  spreads <- measured_spreads(measured)
  prior <- learned_prior(timings)
  job <- c(
    list(shots = shots, engine = engine, version = version, currency = currency, rates = rates,
         time_zone = time_zone, node = measured$node,
         curves = lapply(shots, shot_curve, measured, spreads$run_sd, prior),
         evidence = as_table(measured$found)),
    spreads,
    list(sessions = session_shares(measured$own),
         busy = busy_evidence(measured$own, measured$here, machine)),
    kept_rows(as_frame(timings), rows, measured$here, shots),
    list(limit = job_limit(shots, is.list(limit)), noise = if (is.list(limit)) NA_real_ else 1,
         time_share = c(log = 0, sd = 0))
  )
  job <- new_job(job)
  if (share != 1) job <- with_share(job, share)
  if (length(done)) without_done(job, done) else job
}

# Shots of a job, at its own limit where it has one. Frames are in rising order, as in their curves.
job_shots <- function(shots, limit) {
  shots <- lapply(as_list_of(shots, "cp_shot", argument("shots"), "read_shot()"), function(shot) {
    shot$frames <- sort(shot$frames)
    shot
  })
  if (!is.list(limit)) return(shots)
  lapply(shots, with_limit, limit = check_limit(limit, argument("limit")))
}

# Finished frames that were measured with an engine; an error that names other engines if none were.
rows_of_engine <- function(rows, engine) {
  evidence <- rows[is_evidence(rows), , drop = FALSE]
  of_engine <- evidence[evidence[["engine"]] %in% engine, , drop = FALSE]
  if (nrow(of_engine)) return(of_engine)
  known <- unique(evidence[["engine"]])
  stop_input("evidence", paste0("no finished frame was measured with the engine ", engine),
             argument("engine"),
             paste0("Measure some (clockpigeon bench), or forecast with ",
                    either(if (length(known)) known else "an engine that was measured"), "."))
}

# Measurements of the shots: all their rows (`found`), the reference node (`node`), the shots' rows
# on it at one capacity (`own`), and all whole frames of the engine on it (`here`).
shot_measurements <- function(rows, shots, engine, version) {
  found <- do.call(rbind, lapply(shots, shot_evidence, rows = rows, engine = engine,
                                 version = version))
  own <- found[is.na(found[["site"]]), , drop = FALSE]
  node <- reference_node(own, shots, engine, version)
  own <- one_capacity(own[own[["node"]] == node, , drop = FALSE])
  on_node <- rows[rows[["node"]] %in% node, , drop = FALSE]
  whole <- is.na(on_node[["site"]]) & is.na(on_node[["piece"]])
  list(found = found, node = node, own = own, on_node = on_node,
       here = on_node[whole, , drop = FALSE])
}

# Spreads of log time from run to run, between sessions and by the hour, each with its basis.
measured_spreads <- function(measured) {
  here <- measured$here
  setting <- c("scene", "frame", "limit_kind", "limit_value", "width", "height", "features",
               "device_count", "threads")
  means <- session_means(row_key(here, setting), here)
  run <- run_spread(measured$own, here, setting, means)
  drift <- session_sd(means, run$sd, session_starts(here))
  list(run_sd = run$sd, run_basis = run$basis, drift_sd = drift$sd, drift_df = drift$df,
       drift_basis = drift$basis, hour_sd = drift$hour_sd, hour_basis = drift$hour_basis)
}

shot_curve <- function(shot, measured, run_sd, prior) {
  mine <- measured$own[measured$own[["scene"]] == shot$scene, , drop = FALSE]
  frame_curve(mine[["frame"]], mine[["wall_s"]], shot$frames, if (length(shot$cuts)) shot$cuts,
              cheap = cheap_evidence(shot, measured$on_node, mean(mine[["wall_s"]])),
              run_sd = run_sd, prior = prior)
}

# Rows that a job keeps for later questions: stages around rendering, frames that tell rigs apart
# (the newest 50,000 are enough), frames with other samples and frames with features.
kept_rows <- function(all, rows, here, shots) {
  is_stage <- all[["status"]] %in% "ok" & all[["activity"]] != "render" & !is.na(all[["wall_s"]])
  of_rigs <- all[is_evidence(all) & !is.na(all[["scene"]]), , drop = FALSE]
  scenes <- vapply(shots, `[[`, "", "scene")
  featured <- !is.na(rows[["features"]]) & rows[["scene"]] %in% scenes
  list(stage_rows = all[is_stage, , drop = FALSE], rig_rows = utils::tail(of_rigs, 50000),
       sample_rows = here[here[["limit_kind"]] %in% "samples", , drop = FALSE],
       featured = rows[featured, , drop = FALSE])
}

# Frames of several shots, written as `gears 1-300; basin 1-20`: for each of these shots its places.
places_of_text <- function(text, shots, where) {
  names <- vapply(shots, `[[`, "", "shot")
  parts <- trimws(strsplit(check_text(text, where), ";", fixed = TRUE)[[1]])
  found <- lapply(parts[nzchar(parts)], function(part) {
    bits <- regmatches(part, regexec("^(\\S+)\\s+(.+)$", part))[[1]]
    if (!length(bits)) {
      stop_input("frames", paste("got", show_value(part)), where,
                 "Write it as gears 1-300; basin 1-20.")
    }
    k <- match(bits[2], names)
    if (is.na(k)) {
      near <- closest(bits[2], names)
      stop_input("frames", paste0("the job has no shot ", show_value(bits[2])), where,
                 if (length(near)) paste0("Did you mean ", near, "?")
                 else paste0("Its shots are ", toString(names), "."))
    }
    places <- match(parse_frames(bits[3], where), shots[[k]]$frames)
    if (anyNA(places)) {
      stop_input("frames", paste0(show_value(bits[3]), " has frames that are not of ", bits[2]),
                 where, paste0("Its frames are ", format_frames(shots[[k]]$frames), "."))
    }
    list(shot = k, places = places)
  })
  lapply(seq_along(shots), function(k) {
    places <- unlist(lapply(found, function(f) if (f$shot == k) f$places))
    if (anyDuplicated(places)) {
      stop_input("frames", paste0("names frame ", shots[[k]]$frames[places[anyDuplicated(places)]],
                                  " of ", names[k], " twice"), where, "Write each frame once.")
    }
    sort(places)
  })
}

# The job without what is done.
without_done <- function(job, done) {
  places <- places_of_text(done, job$shots, argument("done"))
  left <- Map(function(shot, places) setdiff(seq_along(shot$frames), places), job$shots, places)
  if (!sum(lengths(left))) {
    stop_input("frames", "names every frame of the job as done", argument("done"),
               "There is nothing left to render.")
  }
  job$done <- sum(lengths(places))
  job$shots <- Map(function(shot, left) {
    shot$frames <- shot$frames[left]
    shot
  }, job$shots, left)
  job$curves <- Map(function(curve, left) {
    curve$left <- left
    curve
  }, job$curves, left)
  some <- lengths(left) > 0
  job$shots <- job$shots[some]
  job$curves <- job$curves[some]
  job
}

# The newest version that measured all shots as they will be rendered, or else the newest known one;
# rows without a version are used if there are no others.
newest_version <- function(rows, shots) {
  known <- unique(rows[["engine_version"]])
  known <- known[!is.na(known)]
  if (!length(known)) return(NA_character_)
  known <- order_levels(known)
  whole <- vapply(known, function(version) {
    own <- rows[rows[["engine_version"]] %in% version, , drop = FALSE]
    all(vapply(shots, function(shot) any(is_of_shot(own, shot)), NA))
  }, NA)
  utils::tail(c(known, known[whole]), 1)
}

# How a run varies (sd of log seconds), and on what basis: repeats of the shots' own frames; where
# these were measured once each, other shots on the same node; else what is assumed.
run_spread <- function(own, here, setting, means) {
  sd <- run_sd_of(row_key(own, c("scene", "frame")), own[["wall_s"]])
  if (!is.null(sd)) return(list(sd = sd, basis = "measured"))
  sd <- run_sd_of(row_key(here, c(setting, "plan_id")), here[["wall_s"]])
  if (is.null(sd)) sd <- paired_sd(means)
  if (is.null(sd)) list(sd = assumed_sd$run, basis = "assumed") else
    list(sd = sd, basis = "measured on other shots")
}

# Frames of each shot of a job, and of all.
frames_by_shot <- function(job) lengths(lapply(job$shots, `[[`, "frames"))
job_frames <- function(job) sum(frames_by_shot(job))

# Rows of one count of devices and threads, of those with all scenes the one with most frames: times
# of another are another machine's. All rows where none has all scenes.
one_capacity <- function(rows) {
  key <- row_key(rows, c("device_count", "threads", "capacity"))
  scenes <- length(unique(rows[["scene"]]))
  whole <- tapply(rows[["scene"]], key, function(x) length(unique(x))) == scenes
  if (!any(whole)) return(rows)
  frames <- tapply(paste(rows[["scene"]], rows[["frame"]]), key,
                   function(x) length(unique(x)))[whole]
  rows[key == names(frames)[which.max(frames)], , drop = FALSE]
}

# The rows that speak of a shot: its scene at its own size and limit.
shot_evidence <- function(shot, rows, engine, version) {
  found <- rows[is_of_shot(rows, shot), , drop = FALSE]
  if (nrow(found)) return(found)
  near <- rows[rows[["scene"]] %in% shot$scene, , drop = FALSE]
  near <- near[stats::complete.cases(near[c("width", "height", "limit_kind", "limit_value")]), ,
               drop = FALSE]
  seen <- unique(sprintf("%sx%s at %s %s", near[["width"]], near[["height"]], near[["limit_kind"]],
                         format(near[["limit_value"]])))
  stop_input("evidence", paste0("no finished frame of it was measured with ",
                                engine_name(engine, version), " at ",
                                shot$size[["width"]], "x", shot$size[["height"]], " and ",
                                format_limit(shot$limit)), paste("shot", shot$shot),
             paste0("Measure some: clockpigeon bench.",
                    if (length(seen))
                    paste0(" Its scene was measured at ", either(seen), " only.")))
}

engine_name <- function(engine, version) {
  if (is.na(version)) paste(engine, "of unknown version") else paste(engine, version)
}

# Cheap times of a shot: those of the setting other than its own in which most of its frames were
# timed, half of them and five at least, each at a quarter of the full time at most; NULL when there
# is none.
cheap_evidence <- function(shot, rows, full_s) {
  rows <- rows[is_of_shot(rows, shot, scene_only = TRUE) & !is_of_shot(rows, shot) &
               is.na(rows[["piece"]]), ,
               drop = FALSE]
  if (!nrow(rows)) return(NULL)
  rows[["seconds"]] <- ifelse(is.na(rows[["compute_s"]]), rows[["wall_s"]], rows[["compute_s"]])
  parts <- split(rows, row_key(rows, c("limit_kind", "limit_value", "width", "height", "features")))
  timed <- vapply(parts, function(p) length(unique(p[["frame"]])), 0L)
  fit <- timed >= max(length(shot$frames) / 2, 5) &
    vapply(parts, function(p) mean(p[["seconds"]]), 0) <= full_s / 4
  if (!any(fit)) return(NULL)
  best <- parts[[which.max(ifelse(fit, timed, 0))]]
  data.frame(frame = best[["frame"]], seconds = pmax(best[["seconds"]], 1e-4))
}

# The own node on which most frames were measured, all shots of the job among them.
reference_node <- function(own, shots, engine, version) {
  scenes <- unique(vapply(shots, `[[`, "", "scene"))
  covers <- vapply(split(own[["scene"]], own[["node"]]), function(s) all(scenes %in% s), NA)
  nodes <- names(covers)[covers]
  if (!length(nodes)) {
    stop_input("evidence", paste0("no node of yours has measured all shots with ",
                                  engine_name(engine, version)),
               "the ledger", "Measure frames of each shot on one node.")
  }
  frames <- vapply(nodes, function(node)
                   nrow(unique(own[own[["node"]] == node, c("scene", "frame")])), 0L)
  nodes[which.max(frames)]
}

with_limit <- function(shot, limit) {
  shot$limit <- limit
  shot
}

# "50 %" as 0.5; 1 for the limit as it is.
sample_share <- function(limit) {
  if (is.null(limit) || is.list(limit)) return(1)
  where <- argument("limit")
  share <- percent_field(limit, where) / 100
  if (share <= 0) stop_input("limit", "leaves no sample", where, "Write a share above 0 %.")
  share
}

# Name of the shots' limit: the part they have in common.
job_limit <- function(shots, other = FALSE) {
  texts <- unique(vapply(shots, function(shot) format_limit(shot$limit), ""))
  if (length(texts) == 1) texts else if (other) toString(texts) else "own limits"
}

# The job with a share of its samples: its time by the limit fit of each scene that was timed at
# several counts, or else with what is computing in proportion and what is loading as it is; its
# noise with one over the root of the samples.
with_share <- function(job, share) {
  lost <- Filter(function(shot) is.null(shot$limit$samples), job$shots)
  if (length(lost)) {
    stop_input("limit", "has no samples limit to take a share of", paste("shot", lost[[1]]$shot),
               "Name another limit that was measured.")
  }
  time <- share_of_time(job, share)
  job$shots <- lapply(job$shots, function(shot) {
    shot$limit$samples <- max(1L, as.integer(round(shot$limit$samples * share)))
    shot
  })
  job$limit <- if (job$limit == "own limits") paste(format_percent(share), "of the samples") else
    job_limit(job$shots)
  job$noise <- 1 / sqrt(share)
  job$time_share <- time
  job
}

share_of_time <- function(job, share) {
  fitted <- lapply(job$shots, fitted_share, rows = as_frame(job$sample_rows), share = share)
  fitted <- do.call(rbind, fitted)
  if (length(fitted) && nrow(fitted) == length(job$shots)) {
    return(c(log = mean(fitted[, 1]), sd = sqrt(mean(fitted[, 2]^2))))
  }
  rows <- as_frame(job$evidence)
  load <- rows[["load_s"]] / rows[["wall_s"]]
  part <- if (all(is.na(load))) 0 else mean(load, na.rm = TRUE)
  c(log = log(part + (1 - part) * share), sd = assumed_sd$samples * abs(log2(share)))
}

# Log time of a share of a shot's samples over that of all, from its scene's times at two counts or
# more of the same frames; and its standard error. NULL without such times.
fitted_share <- function(shot, rows, share) {
  if (!NROW(rows)) return(NULL)
  mine <- rows[["scene"]] %in% shot$scene & rows[["width"]] %in% shot$size[["width"]] &
    rows[["height"]] %in% shot$size[["height"]] & is.na(rows[["features"]])
  rows <- rows[mine, , drop = FALSE]
  counts <- tapply(rows[["limit_value"]], rows[["frame"]], function(n) length(unique(n)))
  rows <- rows[rows[["frame"]] %in% names(counts)[counts > 1], , drop = FALSE]
  if (!nrow(rows)) return(NULL)
  level <- stats::ave(log(rows[["wall_s"]]), rows[["frame"]])
  fit <- tryCatch(fit_limit(rows[["limit_value"]], rows[["wall_s"]] / exp(level - mean(level))),
                  clockpigeon_error = function(e) NULL)
  if (is.null(fit)) return(NULL)
  p <- as_frame(predict.cp_limit_fit(fit, shot$limit$samples * c(share, 1), 0.8))
  half <- log(p[["seconds_upper"]] / p[["seconds"]]) / stats::qnorm(0.9)
  c(log(p[["seconds"]][1] / p[["seconds"]][2]), sqrt(sum(pmin(half, 1)^2)))
}

# Basis of a job's frame times, in one line.
evidence_line <- function(job) {
  paste0(measured_runs(job), "; run to run spread ", format_percent(job$run_sd), " (",
         job$run_basis, ")", if (length(job$drift_sd))
         paste0(", from day to day ", format_percent(job$drift_sd), " (", job$drift_basis, ")"),
         if (length(job$hour_sd))
         paste0(", within a day ", format_percent(job$hour_sd), " (", job$hour_basis, ")"),
         busy_words(job$busy),
         if (any(is_sample(own_runs(job)))) paste0("; ", sample_mark))
}

measured_runs <- function(job) {
  own <- own_runs(job)
  paste0(nrow(own), " runs of ", nrow(unique(own[c("scene", "frame")])), " frames on ", job$node)
}

own_runs <- function(job) {
  own <- as_frame(job$evidence)
  own[is.na(own[["site"]]) & own[["node"]] == job$node, , drop = FALSE]
}
