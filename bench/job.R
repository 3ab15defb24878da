# The real check: jobs of 100 frames and more, rendered for real on a local pool of two slots. For
# each of ten: five frames are measured in the pool beforehand, the job is forecast from them, then
# all of it is rendered; does the time it took lie in the forecast's middle 80 %? Seven jobs of the
# built-in engine, three of POV-Ray. What earlier jobs of the run taught is in the ledger, as in a
# project. Prints `name value unit`.
#
#   Rscript bench/job.R [FRAMES]      alone on the machine: it times what it runs
suppressPackageStartupMessages(library(clockpigeon))
frames_each <- as.integer(c(commandArgs(TRUE), "110")[1])
here <- normalizePath(dirname(sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE))))
say <- function(name, value, unit)
  cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
engines <- lapply(c(pebble = "pebble", povray = "povray"), function(name) {
  read_engine(system.file("engines", paste0(name, ".yaml"), package = "clockpigeon"))
})
folder <- tempfile("job-check-")
dir.create(folder)

shot_of <- function(name, scene, from, size, samples) {
  path <- file.path(folder, paste0(name, ".yaml"))
  writeLines(c(paste("shot:", name), paste("scene:", scene),
               sprintf("frames: %d-%d", from, from + frames_each - 1), paste("size:", size),
               sprintf("limit: {samples: %d}", samples)), path)
  read_shot(path)
}
jobs <- c(
  lapply(list(c("gears", 40), c("basin", 20), c("gallery", 30), c("gears", 240), c("basin", 360),
              c("gallery", 300), c("gears", 520)), function(x) {
    list(engine = "pebble",
         shot = shot_of(paste0(x[1], "-", x[2]), x[1], as.integer(x[2]), "160x90", 6L))
  }),
  lapply(c("cut", "rising", "swing"), function(name) {
    list(engine = "povray",
         shot = shot_of(name, file.path(here, "shots", paste0(name, ".pov")), 5L, "128x72", 4L))
  })
)

# Renders frames on two slots, each to the slot that is free first; seconds of each, and of all from
# start to end.
on_slots <- function(job, frames, slots = 2) {
  engine <- engines[[job$engine]]
  program <- clockpigeon:::engine_program(engine)
  start <- function(frame) {
    trial <- list(scene = job$shot$scene, frame = frame, width = job$shot$size[["width"]],
                  height = job$shot$size[["height"]], samples = job$shot$limit$samples, threads = 1)
    arguments <- clockpigeon:::fill_arguments(engine$arguments,
                                              clockpigeon:::trial_values(trial, engine,
                                                                         tempfile(fileext = ".png"),
                                                                         getwd()))
    list(frame = frame, began = Sys.time(),
         process = processx::process$new(program, arguments, stdout = NULL,
                                         stderr = NULL))
  }
  left <- frames
  running <- list()
  done <- list()
  began <- Sys.time()
  while (length(left) || length(running)) {
    while (length(left) && length(running) < slots) {
      running <- c(running, list(start(left[1])))
      left <- left[-1]
    }
    processx::poll(lapply(running, `[[`, "process"), 5)
    ended <- !vapply(running, function(r) r$process$is_alive(), NA)
    for (r in running[ended]) {
      stopifnot(r$process$get_exit_status() == 0)
      done <- c(done, list(data.frame(frame = r$frame, began = r$began,
                                      wall_s = as.numeric(Sys.time() - r$began, units = "secs"))))
    }
    running <- running[!ended]
  }
  list(rows = do.call(rbind, done), seconds = as.numeric(Sys.time() - began, units = "secs"))
}

ledger <- open_ledger(":memory:")
keep <- function(job, rows, session) {
  x <- data.frame(measured_at = format(rows$began, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"),
                  activity = "render",
                  shot = job$shot$shot, scene = job$shot$scene, frame = as.integer(rows$frame),
                  engine = job$engine, engine_version = "1", limit_kind = "samples",
                  limit_value = job$shot$limit$samples, width = job$shot$size[["width"]],
                  height = job$shot$size[["height"]], node = "pool", device = "slot",
                  device_count = 1L, wall_s = rows$wall_s, status = "ok", kind = "measured",
                  plan_id = session)
  add_timings(ledger, x)
}
card <- file.path(folder, "pool.yaml")
writeLines(c("site: pool", "kind: own", "as_of: 2026-10-01", "source: this machine",
             "currency: EUR", "engines: [pebble, povray]", "nodes_like: pool",
             "can: {versions: {pebble: any, povray: any}, limits: [samples], outputs: [png]}",
             "meter: rendering",
             "price: {per: node-hour, amount: 1 EUR, step: 1 s}",
             "tiers: [{tier: both, nodes: [2]}]"), card)
pool <- read_site(card)

inside <- logical()
levels <- numeric()
for (i in seq_along(jobs)) {
  job <- jobs[[i]]
  frames <- job$shot$frames
  # Five frames spread over the shot, and one more so that no slot idles beside the last.
  probes <- frames[round(seq(1, length(frames), length.out = 7))[2:6]]
  trial <- on_slots(job, c(probes, probes[3] + 1L))
  keep(job, trial$rows[trial$rows$frame %in% probes, ], paste("probes", i))
  known <- render_job(job$shot, job$engine, timings(ledger), time_zone = "UTC")
  options <- plan_options(known, pool)
  forecast <- forecast_job(options, draws = 2000, seed = i)
  finish <- sort(forecast$draws[["finish_s"]])
  range <- stats::quantile(finish, c(0.1, 0.5, 0.9), names = FALSE)
  real <- on_slots(job, frames)
  keep(job, real$rows, paste("job", i))
  inside[i] <- real$seconds >= range[1] && real$seconds <= range[3]
  levels[i] <- mean(finish <= real$seconds)
  say(paste0("job_", i, "_", job$shot$shot), real$seconds,
      sprintf(
        "s, %d frames; forecast %.1f (%.1f to %.1f): %s; at %.0f %% of the draws; drift taken as %.0f %% (%s)",
        length(frames), range[2], range[1], range[3], if (inside[i]) "inside" else "outside",
        100 * levels[i], 100 * known$drift_sd, known$drift_basis))
}
say("job_inside_80_range", sum(inside), paste("of", length(inside)))
say("job_median_error", stats::median(abs(levels - 0.5)), "from the middle, by draws")
close_ledger(ledger)
