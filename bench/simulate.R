# Speed of the simulation beside a lower bound (a binary heap and random numbers, nothing else), its
# form in vector lanes, and a general discrete-event package, all in turns in this run. Prints
# `name value unit`.
#
#   Rscript bench/simulate.R [TURNS]     needs g++; simmer where it is installed
#
# The job is the peers': 1,000 log-normal tasks on 50 workers with log-normal starts, billed by the
# started minute.
suppressPackageStartupMessages(library(clockpigeon))
turns <- as.integer(c(commandArgs(TRUE), "9")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
peers <- normalizePath("../shared/peers", mustWork = FALSE)
work <- file.path(tempdir(), "limit")
built <- dir.exists(peers) && {
  flags <- c("-O2", "-Wno-psabi")
  native <- c("-O3", "-march=native", "-mprefer-vector-width=512", "-ffast-math")
  source_file <- file.path(peers, "limit-job.cpp")
  system2("g++", c(flags, "-o", paste0(work, "-plain"), source_file)) == 0 &&
    system2("g++", c(native, "-o", paste0(work, "-native"), source_file)) == 0
}
limit <- function(which) {
  out <- system2(paste0(work, "-", which), c("''", "1"), stdout = TRUE)
  rate <- function(kind)
    as.numeric(sub(".*_rate ([0-9]+) .*", "\\1", grep(paste0(kind, "_rate"), out, value = TRUE)))
  c(heap = rate("heap"), lanes = if (any(grepl("lanes_rate", out))) rate("lanes") else NA)
}

# Started minutes of 50 workers, from boot to release, is what the peers bill.
card <- tempfile(fileext = ".yaml")
writeLines(c("site: bench", "kind: rented", "as_of: 2026-10-01", "source: bench", "currency: EUR",
             "engines: e", "meter: boot to release",
             "price: {per: node-hour, amount: 3.6 EUR, step: 1 min}",
             "tiers: [{tier: t, nodes: [50]}]"), card)
card <- read_site(card)
spread <- list(median_s = 120 * exp(-0.125), sd = 0.5)
way <- job_way(nodes = 50, stages(start = spread))
tasks <- rep(60 * exp(-0.125), 1000)
ours <- function(draws, threads = 1, lanes = TRUE, rate_card = card) {
  began <- proc.time()
  run <- simulate_job(tasks, way, draws = draws, run_sd = 0.5,
                      meter = if (length(rate_card)) list(rate_card = rate_card),
                      drawing = list(threads = threads, lanes = lanes))
  used <- proc.time() - began
  list(rate = draws * 1000 / sum(used[1:2]), run = run)
}
general <- if (requireNamespace("simmer", quietly = TRUE) && dir.exists(peers)) {
  source(file.path(peers, "common.R"))
  source(file.path(peers, "models.R"))
  suppressPackageStartupMessages(library(simmer))
  loop <- loop_model()
  pool <- pool_model()
  function(model, reps) {
    began <- sum(proc.time()[1:2])
    simulate(model, reps)
    reps * JOB$tasks / (sum(proc.time()[1:2]) - began)
  }
}
one_turn <- function(i) {
  c(ours_lanes = ours(4000)$rate, ours_one_by_one = ours(1600, lanes = FALSE)$rate,
    ours_unpriced = ours(4000, rate_card = NULL)$rate,
    if (built) c(limit_heap = limit("plain")[["heap"]], limit_lanes = limit("native")[["lanes"]]),
    if (!is.null(general))
    c(simmer_leanest = general(loop, 30), simmer_ordinary = general(pool, 6)))
}
invisible(one_turn(0))
rates <- vapply(seq_len(turns), one_turn, one_turn(0))
for (name in rownames(rates))
  say(paste0("simulate_", name), stats::median(rates[name, ]), "tasks/s/thread")
ratio <- function(a, b) {
  if (!all(c(a, b) %in% rownames(rates))) return(invisible())
  q <- stats::quantile(rates[a, ] / rates[b, ], c(0.5, 0.25, 0.75), names = FALSE)
  say(paste0("simulate_", a, "_over_", b), q[1], sprintf("x (quartiles %.3g to %.3g)", q[2], q[3]))
}
ratio("ours_one_by_one", "limit_heap")
ratio("ours_lanes", "limit_heap")
ratio("ours_lanes", "limit_lanes")
ratio("ours_unpriced", "limit_lanes")
ratio("ours_lanes", "simmer_leanest")
ratio("ours_lanes", "simmer_ordinary")

# The same job, so the same figures.
run <- ours(20000)$run$draws
say("simulate_makespan_mean", mean(run$finish_s), "s")
say("simulate_makespan_sd", stats::sd(run$finish_s), "s")
say("simulate_billed_mean", mean(run$list) / 0.06, "worker-min")

# 500 options x 1,000 draws x 400 frames, as a forecast: every option with its own site, downloads
# and bill.
many <- function(options, draws, frames, threads = 2) {
  seconds <- matrix(stats::rlnorm(draws * frames, 4, 0.5), draws)
  began <- proc.time()
  kept <- vector("list", options)
  for (i in seq_len(options)) {
    w <- job_way(list(count = 5 + i %% 45, speed = list(log_factor = 0.1, se = 0.2, df = Inf)),
                 stages(wait = c(median = 600, p90 = 2400), start = c(median = 60, p90 = 180)),
                 list(upload = 6e8, frame_bytes = 9e6, link = 15e6, link_sd = 0.15))
    how <- list(threads = threads, labels = c(job = "j", site = paste(i %/% 10), tier = "t"))
    kept[[i]] <- simulate_job(seconds, w, meter = list(rate_card = card),
                              drawing = how)$draws[c("finish_s", "to_pay")]
  }
  list(s = (proc.time() - began)[["elapsed"]], kept = kept)
}
invisible(gc(reset = TRUE))
full <- many(500, 1000, 400)
say("simulate_500_options_1000_draws_400_frames", full$s, "s")
memory <- readLines("/proc/self/status")
say("simulate_peak_memory",
    as.numeric(gsub("[^0-9]", "", grep("^VmHWM", memory, value = TRUE))) / 1024, "MiB")
rm(full)
time <- function(draws, frames)
  stats::median(vapply(1:5, function(i) many(20, draws, frames, 1)$s, 0))
base <- time(1000, 400)
say("simulate_twice_the_draws", time(2000, 400) / base, "x the time")
say("simulate_twice_the_frames", time(1000, 800) / base, "x the time")
