# What timing adds to a trial, on a machine whose speed drifts between one run and the next:
#   same run    the engine is started by a script that times it with the shell's own clock; both
#   times are of one and
# the same run, so that drift
#               cancels. The recorded time also holds the start of that shell, so the ratio is an
#               upper bound.
#   in turns    a command of fixed length (sleep 1), once as a trial's command is run and once timed
#   by a shell outside. per trial   all time of a plan of very short trials that is in none of them:
#   spawning, reading, checking, writing to
# the ledger.
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
quartiles <- function(name, x, unit) {
  points <- stats::quantile(x, c(0.25, 0.5, 0.75), names = FALSE)
  Map(function(which, value) say(paste0(name, "_", which), value, unit),
      c("lower_quartile", "median", "upper_quartile"), points)
  invisible()
}

folder <- tempfile("overhead-")
dir.create(folder)
shot <- read_shot(demo_file("shots/gears-review.yaml"))
pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
plan_of <- function(engine, samples, repeats) {
  plan_bench(shot, engine, versions = list(pebble = "1.1"), frames = 360,
             limits = list(list(samples = samples)), threads = 1, repeats = repeats,
             options = bench_options(warmups = 0))
}
ledger <- open_ledger(file.path(folder, "ledger.sqlite"))

times <- file.path(folder, "times")
script <- file.path(folder, "timed-pebble")
writeLines(c("#!/bin/bash", "[ \"${!#}\" = --version ] && exec \"$PEBBLE\" \"$@\"", "TIMEFORMAT=%R",
             paste0("{ time \"$PEBBLE\" \"$@\" 2>&1 >&3; } 3>&1 2>> ", shQuote(times))), script)
Sys.chmod(script, "755")
Sys.setenv(PEBBLE = system.file("bin", "pebble", package = "clockpigeon"))
timed <- pebble
timed$program <- script
rows <- run_bench(plan_of(timed, 24, 15), ledger, progress = FALSE)
stopifnot(rows$status == "ok")
inside <- as.numeric(readLines(times))
say("trial_wall_median", stats::median(rows$wall_s), "s")
quartiles("same_run_recorded_over_shell", rows$wall_s / inside, "ratio")

recorded <- function() clockpigeon:::run_command("/bin/sleep", "1", folder)$wall_s
outside <- function()
  as.numeric(system2("bash", c("-c", shQuote("TIMEFORMAT=%R; time sleep 1")), stdout = TRUE,
                     stderr = TRUE))
pairs <- t(vapply(1:15, function(i) if (i %% 2) c(recorded(), outside()) else
                  rev(c(outside(), recorded())),
                  numeric(2)))
quartiles("in_turns_recorded_over_outside", pairs[, 1] / pairs[, 2], "ratio")

start <- Sys.time()
rows <- run_bench(plan_of(pebble, 1, 60), ledger, progress = FALSE)
say("overhead_per_trial",
    1000 * (as.numeric(Sys.time() - start, units = "secs") - sum(rows$wall_s)) / nrow(rows), "ms")
close_ledger(ledger)
unlink(folder, recursive = TRUE)
