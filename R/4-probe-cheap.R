# The cheap pass: every frame at a small size, in one process where the engine can.

#' Time all frames of a shot cheaply
#'
#' Renders the frames at a fraction of the size, and of the samples where asked, to learn the shape
#' of the shot for [frame_curve()]. An eighth of the width and height is a sixty-fourth of the
#' pixels. An engine whose profile has a `sequence` and a `log` does it in one process, so that
#' starting is paid once; otherwise each frame is a separate trial. The times go to the ledger.
#'
#' @param shot A shot from [read_shot()].
#' @param engine An engine from [read_engine()].
#' @param ledger A ledger from [open_ledger()].
#' @param frames Frames of the shot; all when `NULL`.
#' @param by Width and height are divided by this.
#' @param samples Samples of the cheap pass; the shot's own limit when `NULL`.
#' @param running From [running()].
#' @return The timings as they were added, a tibble.
#' @section Conditions: `clockpigeon_error_engine` when the pass gives no time; those of
#'   [run_bench()].
#' @examplesIf nzchar(system.file("bin", "pebble", package = "clockpigeon"))
#' shot <- read_shot(demo_file("shots/gears-review.yaml"))
#' pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
#' ledger <- open_ledger(":memory:")
#' pass <- cheap_pass(shot, pebble, ledger, "1-720 by 90", running = running(progress = FALSE))
#' pass[c("frame", "compute_s")]
#' close_ledger(ledger)
#' @export
cheap_pass <- function(shot, engine, ledger, frames = NULL, by = 8, samples = NULL, running = NULL)
  {
  how <- option_object(running, "running", running_of)
  check_class(shot, argument("shot"), "cp_shot", "read_shot()")
  check_class(engine, argument("engine"), "cp_engine", "read_engine()")
  small <- cheap_shot(shot, by, samples)
  frames <- sort(shot_frames(shot, or_else(frames, shot$frames)))
  version <- newest_unless(how$version, engine)
  text <- format_frames(frames)
  if (in_one_process(engine, text)) {
    sequence_rows(small, engine, ledger, frames, version, how)
  } else {
    plan <- plan_bench(small, engine,
                       if (length(version)) stats::setNames(list(version), engine$engine), frames,
                       repeats = 1,
                       options = bench_options(warmups = 0, time_limit = how$time_limit,
                                               name = paste("cheap pass of", shot$shot)))
    run_bench(plan, ledger, how$node, how$folder, progress = how$progress)
  }
}

# The same shot, small, and with fewer samples if requested. A picture under 8 pixels is no evidence
# of the shot.
cheap_shot <- function(shot, by = 8, samples = NULL) {
  by <- check_number(by, argument("by"), least = 1)
  shot$size <- vapply(shot$size, function(v) as.integer(max(round(v / by), min(v, 8))), 0L)
  if (length(samples)) shot$limit$samples <- check_count(samples, argument("samples"))
  shot
}

# Does the profile define how to render these frames in one process, and how to separate them in its
# log?
in_one_process <- function(engine, frames_text) {
  plain <- !grepl(",", frames_text, fixed = TRUE) && grepl("-", frames_text, fixed = TRUE)
  stepped <- grepl(" by ", frames_text, fixed = TRUE)
  length(engine$sequence) && length(engine$log) && plain &&
    (!stepped || "frames" %in% template_names(engine$sequence))
}

# Frames of a cheap pass from one process: each frame's time is read from the times of its pictures.
sequence_rows <- function(shot, engine, ledger, frames, version, how) {
  nodes <- if (is.null(how$node)) list(this_node())
           else as_list_of(how$node, "cp_node", argument("node"), "read_node()")
  if (is_away(nodes[[1]])) {
    stop_input("node", paste(nodes[[1]]$node,
                             "is another machine, and a cheap pass is run on this one"),
               argument("node"), "Leave `node` out, or name one without `launch`.")
  }
  pairs <- data.frame(engine = engine$engine, version = or_else(version, NA_character_))
  host <- set_up_host(pairs, stats::setNames(list(engine), engine$engine), nodes[[1]])
  pictures <- tempfile("clockpigeon-cheap-")
  dir.create(pictures)
  on.exit(unlink(pictures, recursive = TRUE, expand = FALSE))
  trial <- list(shot = shot$shot, scene = scene_for(engine$engine, shot),
                width = shot$size[["width"]], height = shot$size[["height"]],
                samples = shot$limit$samples, noise = shot$limit$noise, time_s = shot$limit$time,
                version = version)
  root <- real_path(how$folder)
  values <- c(trial_values(trial, engine, file.path(pictures, paste0("cheap.", engine$output)),
                           root),
              list(frames = format_frames(frames), first = paste(min(frames)),
                   last = paste(max(frames))))
  log <- file.path(pictures, "log.txt")
  if (how$progress)
    message("cheap pass over ", length(frames), " frames at ", trial$width, "x", trial$height,
                        " in one process")
  load <- load_average()
  watch <- watch_machine()
  command <- trial_command(engine, host$programs[[engine$engine]], values, root,
                           arguments = c(engine$arguments, engine$sequence))
  ran <- run_command(command$program, command$arguments, command$folder, how$time_limit, log = log,
                     environment = command$environment)
  times <- tryCatch(import_log(log, engine), clockpigeon_error_import = function(e) NULL)
  times <- times[times[["status"]] %in% "ok", , drop = FALSE]
  if (!identical(nrow(times), length(frames)) || ran$late || !identical(ran$exit, 0L)) {
    stop_input("engine", paste0("gave ", or_else(nrow(times), 0), " times for ", length(frames),
                                " frames", if (ran$late)
                                paste(", ended after", format_duration(how$time_limit))
                                else if (!identical(ran$exit, 0L))
                                paste0(": ", last_line(ran$text))),
               paste0(short_path(attr(engine, "path")), ", fields `sequence` and `log`"),
               "Mend them, or take `sequence` out: each frame is then run by itself.")
  }
  # They come in the order asked for; the log may number them from 1.
  rows <- data.frame(
    times[c("wall_s", "load_s", "compute_s", "samples_done", "work", "noise", "peak_mem_mb", "warm",
            "run_order")],
    activity = "render", shot = shot$shot, scene = shot$scene, frame = frames,
    engine = engine$engine, engine_version = host$versions[[1]], limit_columns(shot$limit),
    width = trial$width, height = trial$height, node = nodes[[1]]$node,
    device_use(nodes[[1]], engine,
               cores = host$cores)[c("device", "device_count", "threads", "capacity")],
    load_average = load,
    watch(ran$wall_s, ran$cpu_s), machine = machine_id(ledger, host$facts), measured_at = utc_now(),
    status = "ok", kind = "reported", precision = "exact",
    note = "cheap pass, all frames in one process"
  )
  timings(ledger, id = add_timings(ledger, rows))
}
