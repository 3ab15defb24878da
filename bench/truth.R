# Known truth against what the methods say: each check makes its own data by a written-down law, in
# plain R of its own, asks the public function, and counts. Prints `name what value n`: `coverage`
# of ranges that say 80 % (95 % where the name says so), shares of false verdicts, and errors as
# ratios.
#   Rscript bench/truth.R [PATTERN] [SHARE of the repetitions, 1]
suppressPackageStartupMessages(library(clockpigeon))
args <- commandArgs(TRUE)
pattern <- if (length(args)) args[1] else "."
share <- if (length(args) > 1) as.numeric(args[2]) else 1
checks <- list()
say <- function(name, what, value, n)
  cat(name, what, format(value, digits = 3, scientific = FALSE), n, "\n")
# Repeats one trial, whatever it returns as a named vector of TRUE and FALSE or numbers, on all
# cores.
repeated <- function(n, trial) {
  n <- max(ceiling(n * share), 4)
  runs <- parallel::mclapply(seq_len(n), function(i) {
    set.seed(7000 + i)
    trial(i)
  }, mc.cores = parallel::detectCores())
  bad <- Filter(function(r) inherits(r, "try-error"), runs)
  if (length(bad)) stop(bad[[1]])
  list(mean = colMeans(do.call(rbind, runs), na.rm = TRUE), n = n)
}
covers <- function(t, truth) t$lower <= truth && truth <= t$upper

# ---- frames of a shot ----------------------------------------------------------------------------
even <- function(N, n) unique(round((seq_len(n) - 0.5) / n * N + 0.5))
smooth <- function(n, sd, range) {
  lag <- abs(outer(seq_len(n), seq_len(n), "-")) * sqrt(3) / (n * range)
  sd * drop(t(chol((1 + lag) * exp(-lag) + diag(1e-8, n))) %*% rnorm(n))
}
families <- list(
  smooth = function() exp(smooth(120, 0.3, 0.3) + rnorm(120, 0, 0.04)),
  rising = function() exp(seq(0, runif(1, 0.5, 1.8), length.out = 150) + rnorm(150, 0, 0.05)),
  steps = function()
  exp(cumsum(ifelse(runif(130) < 0.04, rnorm(130, 0, 0.4), 0)) + rnorm(130, 0, 0.05)),
  jitter = function() exp(rnorm(160, 0, runif(1, 0.1, 0.5))),
  calm = function() exp(rnorm(240, 0, 0.03)),
  mixed = function() exp(smooth(140, 0.3, 0.4) + rnorm(140, 0, 0.2)),
  period = function()
  exp(0.4 * sin(2 * pi * (seq_len(120) + runif(1, 0, 40)) / sample(c(8, 15, 24, 40), 1)) +
      rnorm(120, 0, 0.05)),
  rare = function()
  { y <- smooth(120, 0.2, 0.3) +
    rnorm(120, 0, 0.05); k <- sample(120, 1 + rpois(1, 3)); y[k] <- y[k] +
    runif(length(k), 0.5, 1.5); exp(y) }
)
total_of <- function(y, at, seed, ...)
  as.list(total_time(frame_curve(at, y[at], seq_along(y), seed = seed, ...), draws = 1000))
checks$frames_jitter <- function() for (sd in c(0.1, 0.2, 0.3, 0.5))
  for (design in c("even", "first")) {
  r <- repeated(150, function(i) {
    y <- exp(rnorm(150, 0, sd))
    at <- if (design == "even") even(150, 8) else clockpigeon:::first_probes(1:150, 8, seed = i)
    c(covered = covers(total_of(y, at, i), sum(y)))
  })
  say(paste0("frames_jitter_", sd, "_8_", design), "coverage", r$mean, r$n)
}
checks$frames_families <- function() for (n in c(3, 5, 8, 20)) {
  r <- repeated(240, function(i) {
    y <- families[[(i - 1) %% length(families) + 1]]()
    t <- total_of(y, clockpigeon:::first_probes(seq_along(y), n, seed = i), i)
    at <- even(length(y), n)
    e <- total_of(y, at, i)
    c(covered = covers(t, sum(y)), even_covered = covers(e, sum(y)),
      error = abs(t$median / sum(y) - 1), curve_at_even = abs(e$median / sum(y) - 1),
      plain = abs(mean(y[at]) * length(y) / sum(y) - 1),
      mean_out = t$mean > t$upper || t$mean < t$lower)
  })
  say(paste0("frames_first_", n), "coverage", r$mean[["covered"]], r$n)
  say(paste0("frames_even_", n), "coverage", r$mean[["even_covered"]], r$n)
  say(paste0("frames_first_", n), "error_over_even_spacing", r$mean[["error"]] / r$mean[["plain"]],
      r$n)
  say(paste0("frames_even_", n), "error_over_even_spacing",
      r$mean[["curve_at_even"]] / r$mean[["plain"]], r$n)
  say(paste0("frames_first_", n), "mean_outside_range", r$mean[["mean_out"]], r$n)
}
checks$frames_heavy <- function() {
  r <- repeated(200, function(i) {
    y <- exp(rnorm(120, 0, 0.03))
    y[sample(120, 3)] <- 20
    at <- clockpigeon:::first_probes(1:120, 8, seed = i)
    t <- total_of(y, at, i)
    told <- total_of(y, at, i, prior = clockpigeon:::curve_prior(heavy_factor = 5))
    c(covered = covers(t, sum(y)), told = covers(told, sum(y)),
      half = (t$upper - t$lower) / 2 / t$median)
  })
  say("frames_heavy_3_of_120_at_20_assumed_factor", "coverage", r$mean[["covered"]], r$n)
  say("frames_heavy_3_of_120_at_20_factor_5", "coverage", r$mean[["told"]], r$n)
  say("frames_heavy_3_of_120_at_20", "half_width", r$mean[["half"]], r$n)
  r <- repeated(150, function(i) {
    y <- exp(0.6 * sin(2 * pi * (1:120 + i) / 15) + rnorm(120, 0, 0.03))
    c(shared = covers(total_of(y, even(120, 8), i), sum(y)),
      first = covers(total_of(y, clockpigeon:::first_probes(1:120, 8, seed = i), i), sum(y)))
  })
  say("frames_period_of_their_spacing_even", "coverage", r$mean[["shared"]], r$n)
  say("frames_period_of_their_spacing_first", "coverage", r$mean[["first"]], r$n)
}
timing <- function(...) {
  row <- data.frame(..., check.names = FALSE, stringsAsFactors = FALSE)
  base <- list(activity = "render", shot = "s", scene = "s", engine = "e", engine_version = "1",
               limit_kind = "samples", limit_value = 8, width = 160L, height = 90L, node = "n",
               device = "d", device_count = 1L, status = "ok", kind = "measured",
               measured_at = "2026-11-01T00:00:00Z", `repeat` = 1L)
  for (name in setdiff(names(base), names(row))) row[[name]] <- base[[name]]
  full <- example_timings()[rep(1L, nrow(row)), ]
  full[] <- lapply(full, function(x) { x[] <- NA; x })
  for (name in names(row)) full[[name]] <- row[[name]]
  full$id <- paste0("t", seq_len(nrow(full)))
  full
}
checks$prior_of_versions <- function() {
  set.seed(5)
  calm <- exp(smooth(120, 0.05, 0.5))
  rows <- do.call(rbind, lapply(1:12, function(v)
                                timing(frame = 1:120, wall_s = calm * exp(rnorm(120, 0, 0.01)),
                                       engine_version = paste0("1.", v))))
  prior <- clockpigeon:::learn_curve_prior(rows)
  say("prior_of_twelve_versions", "shots", prior$shots, 12)
  for (n in c(1, 3)) {
    r <- repeated(150, function(i) {
      y <- families$smooth()
      c(covered = covers(total_of(y, even(120, n), i, prior = prior), sum(y)))
    })
    say(paste0("prior_of_twelve_versions_", n), "coverage", r$mean, r$n)
  }
}
checks$next_probe <- function() {
  said <- 0; got <- 0; n <- max(3, ceiling(8 * share))
  width <- function(curve) { t <- total_time(curve, draws = 2000); log(t$upper / t$lower)^2 }
  for (k in seq_len(n)) {
    set.seed(40 + k)
    y <- families[[c("smooth", "mixed", "jitter")[k %% 3 + 1]]]()
    at <- even(length(y), 3 + k %% 4)
    curve <- frame_curve(at, y[at], seq_along(y), cuts = integer(), seed = k)
    best <- next_probe(curve)
    draws <- predict(curve)  # what the frame may take: its own predictive distribution
    f <- match(best$frame, seq_along(y))
    logs <- log(draws$mean[f]) +
      qnorm((1:16 - 0.5) / 16) * log(draws$upper[f] / draws$lower[f]) / (2 * qnorm(0.9))
    after <- vapply(logs, function(l)
                    width(frame_curve(c(at, best$frame), c(y[at], exp(l)), seq_along(y),
                                      cuts = integer(), seed = k)), 0)
    said <- said + best$narrows
    got <- got + 1 - mean(after) / width(curve)
  }
  say("next_probe_narrows", "said", said / n, n)
  say("next_probe_narrows", "refits", got / n, n)
}

# ---- whole jobs over sessions --------------------------------------------------------------------
job_project <- function() read_project(demo_file())
checks$sessions <- function() {
  shot <- job_project()$shots$gears
  site_file <- tempfile(fileext = ".yaml")
  limit <- shot$limit
  for (m in c(1, 2, 4)) for (where in c("own", "site")) {
    if (where == "site" && m != 1) next
    r <- repeated(120, function(i) {
      drift <- function() rnorm(1, 0, 0.1)
      frames <- shot$frames[round(seq(3, length(shot$frames) - 3, length.out = 12))]
      # Five other sessions on another scene teach the drift; m sessions probed the shot.
      past <- do.call(rbind, lapply(1:6, function(s)
                                    timing(scene = "other", frame = 1:6,
                                           wall_s = 20 * exp(drift() + rnorm(6, 0, 0.02)),
                                           plan_id = paste0("p", s),
                                           measured_at = sprintf("2026-10-%02dT08:00:00Z", s),
                                           limit_value = limit$samples,
                                           width = shot$size[["width"]],
                                           height = shot$size[["height"]])))
      probes <- do.call(rbind, lapply(seq_len(m), function(s)
                                      timing(scene = shot$scene, shot = shot$shot,
                                             frame = frames[seq(s, 12, by = m)],
                                             wall_s = 30 *
                                             exp(drift() + rnorm(length(seq(s, 12, by = m)), 0,
                                                                 0.02)), plan_id = paste0("q", s),
                                             measured_at = sprintf("2026-11-%02dT08:00:00Z", s),
                                             limit_value = limit$samples,
                                             width = shot$size[["width"]],
                                             height = shot$size[["height"]])))
      rows <- rbind(past, probes)
      if (where == "site") {
        there <- timing(scene = shot$scene, shot = shot$shot, frame = frames,
                        wall_s = 15 * exp(drift() + rnorm(12, 0, 0.02)), plan_id = "r", node = "x",
                        site = "hill", measured_at = "2026-11-09T08:00:00Z",
                        limit_value = limit$samples, width = shot$size[["width"]],
                        height = shot$size[["height"]])
        rows <- rbind(rows, there)
      }
      rows$id <- paste0("t", seq_len(nrow(rows)))
      job <- render_job(shot, "e", rows)
      site <- read_site(demo_file("sites/attic.yaml"))
      if (where == "site") site$site <- "hill"
      site$engines <- "e"
      site$can$versions <- list(e = "1")
      site$nodes_like <- "n"
      options <- plan_options(job, list(site), only = "nodes=1")
      found <- forecast_job(options, draws = 400, seed = i)
      q <- quantile(found$draws$render_s[found$draws$option == options$options$option[1]],
                    c(0.1, 0.9))
      truth <- length(shot$frames) * (if (where == "site") 15 else 30) * exp(drift())
      c(covered = q[[1]] <= truth && truth <= q[[2]])
    })
    say(paste0("job_of_another_session_", where, "_", m), "coverage", r$mean, r$n)
  }
}

# ---- scaling -------------------------------------------------------------------------------------
laws <- list(universal = function(n) 100 * (1 + 0.05 * (n - 1) + 0.002 * n * (n - 1)) / n,
             serial = function(n) 100 * (0.08 + 0.92 / n),
             line = function(n) 100 / (1 + 0.7 * (n - 1)),
             plateau = function(n) 100 * pmax(1 / n, 1 / 6))
checks$scaling <- function() for (law in names(laws)) for (given in c(FALSE, TRUE)) {
  at <- c(8, 32, 64)
  r <- repeated(60, function(i) {
    n <- c(1, 2, 4, 8, 16)
    f <- fit_scaling(n, laws[[law]](n) * exp(rnorm(5, 0, 0.04)), error = if (given) 0.04)
    p <- predict(f, at, draws = 500)
    stats::setNames(p$lower <= laws[[law]](at) & laws[[law]](at) <= p$upper, at)
  })
  for (k in 1:3)
    say(paste0("scaling_", law, if (given) "_spread_given_" else "_spread_unknown_", at[k]),
        "coverage", r$mean[[k]], r$n)
}

# ---- noise and limits ----------------------------------------------------------------------------
checks$noise <- function() {
  # A picture of N samples: few paths are very bright, so that a mean of few samples now and then
  # glares.
  picture <- function(N, side = 96)
    array(vapply(seq_len(side^2 * 3), function(i) mean(0.5 + 40 * (runif(N) < 4e-4)), 0),
          c(side, side, 3))
  fast <- function(N, side = 96)
    array(0.5 + 40 * rbinom(side^2 * 3, N, 4e-4) / N + rnorm(side^2 * 3, 0, 0.3 / sqrt(N)),
          c(side, side, 3))
  true <- function(N) sqrt((1600 * 4e-4 * (1 - 4e-4) + 0.09) / N) / (0.5 + 40 * 4e-4)
  r <- repeated(24, function(i) {
    N <- c(4, 16, 64)
    seen <- lapply(N, function(n) clockpigeon:::noise_between(fast(n), fast(n)))
    noise <- vapply(seen, function(s) s$noise, 0)
    fit <- fit_limit(N, noise = noise, error = list(noise = vapply(seen, function(s) s$error, 0)))
    target <- true(1024)
    count <- tryCatch(samples_for(fit, target, 0.9), error = function(e) NA)
    c(ratio = mean(noise / true(N)), over = count / 1024, refused = is.na(count),
      met = is.na(count) || count >= 1024)
  })
  say("noise_with_glaring_pixels", "over_truth", r$mean[["ratio"]], r$n)
  say("samples_for_with_glaring_pixels", "over_needed", r$mean[["over"]], r$n)
  say("samples_for_with_glaring_pixels", "kept_of_0.90", r$mean[["met"]], r$n)
  for (kind in c("independent", "grey", "filtered")) {
    make <- function() {
      x <- array(0.5 + rnorm(96 * 96 * 3, 0, 0.1), c(96, 96, 3))
      if (kind != "independent") for (c in 2:3) x[, , c] <- x[, , 1]
      if (kind == "filtered") for (c in 1:3)
        { m <- x[, , c]; x[, , c] <- 0.8 * m + 0.2 * rbind(m[-1, ], m[1, ]) }
      x
    }
    runs <- repeated(40, function(i)
                     { s <- clockpigeon:::noise_between(make(), make()); c(noise = s$noise,
                                                                           square = s$noise^2,
                                                                           error = s$error) })
    sd <- sqrt(runs$mean[["square"]] - runs$mean[["noise"]]^2) / runs$mean[["noise"]]
    say(paste0("error_of_noise_", kind), "over_truth", runs$mean[["error"]] / sd, runs$n)
  }
}
checks$floor <- function() for (floor in c(0, 0.03)) {
  r <- repeated(400, function(i) {
    N <- c(4, 16, 64, 256)
    y <- sqrt(1 / N + floor^2) * (1 + rnorm(4, 0, 0.03))
    fit <- fit_limit(N, noise = y, error = c(noise = 0.03))
    n <- tryCatch(samples_for(fit, 0.049, 0.9), error = function(e) NA)
    c(kept = if (is.na(n)) NA else sqrt(1 / n + floor^2) <= 0.049, over = n * (0.049^2 - floor^2),
      refused = is.na(n))
  })
  say(paste0("samples_for_floor_", floor), "kept_of_0.90", r$mean[["kept"]], r$n)
  say(paste0("samples_for_floor_", floor), "asked_over_needed", r$mean[["over"]], r$n)
  say(paste0("samples_for_floor_", floor), "refused", r$mean[["refused"]], r$n)
}

# ---- comparing -----------------------------------------------------------------------------------
two <- function(old, new, ...)
  rbind(timing(wall_s = old, engine_version = "1.0", ...),
        timing(wall_s = new, engine_version = "1.1", ...))
verdict_of <- function(rows) compare_timings(rows, "engine_version")
checks$compare <- function() {
  r <- repeated(300, function(i) {
    one <- function(session, version)
      timing(frame = rep(1:3, 6), wall_s = 10 * exp(rnorm(1, 0, 0.05) + rnorm(18, 0, 0.02)),
             engine_version = version, plan_id = session, `repeat` = rep(1:6, each = 3),
             measured_at = "2026-11-01T00:00:00Z")
    x <- verdict_of(rbind(one("a", "1.0"), one("b", "1.1")))
    y <- verdict_of(rbind(one("a", "1.0"), one("c", "1.0"), one("e", "1.0"), one("b", "1.1"),
                          one("d", "1.1"), one("f", "1.1")))
    c(two = x$verdict != "no clear difference", six = y$verdict != "no clear difference",
      covered = y$lower <= 1 && 1 <= y$upper)
  })
  say("compare_two_sessions", "false_verdicts", r$mean[["two"]], r$n)
  say("compare_six_sessions", "false_verdicts", r$mean[["six"]], r$n)
  say("compare_six_sessions_95", "coverage", r$mean[["covered"]], r$n)
  r <- repeated(300, function(i) {
    trend <- exp(0.02 * (1:20))
    x <- two(10 * trend * exp(rnorm(20, 0, 0.02)), 10 * trend * exp(rnorm(20, 0, 0.02)),
             plan_id = "p", `repeat` = 1:20)
    x <- x[-1, ]  # the first run failed
    c(told = verdict_of(x)$verdict != "no clear difference")
  })
  say("compare_first_run_failed", "false_verdicts", r$mean, r$n)
  r <- repeated(200, function(i) {
    x <- do.call(rbind, lapply(1:20, function(s)
                               two(10 * exp(rnorm(5, 0, 0.04)), 10 * exp(rnorm(5, 0, 0.04)),
                                   plan_id = "p", scene = paste0("s", s), `repeat` = 1:5)))
    x <- verdict_of(x)
    c(any = any(x$verdict[x$scene != "all scenes"] != "no clear difference"))
  })
  say("compare_twenty_scenes", "false_verdicts", r$mean, r$n)
  r <- repeated(200, function(i) {
    old <- 13 * exp(rnorm(7, 0, 0.03))
    old[sample(7, 1)] <- 3 * 13
    x <- verdict_of(two(old, 10 * exp(rnorm(7, 0, 0.03)), plan_id = "p", `repeat` = 1:7))
    five <- verdict_of(two(old[1:5], 10 * exp(rnorm(5, 0, 0.03)), plan_id = "p", `repeat` = 1:5))
    c(found = x$verdict == "faster", named = grepl("far from the others", x$note))
  })
  say("compare_one_bad_run_of_seven", "found", r$mean[["found"]], r$n)
  say("compare_one_bad_run_of_seven", "named", r$mean[["named"]], r$n)
  r <- repeated(300, function(i) {
    drift <- as.numeric(arima.sim(list(ar = 0.6), 40, sd = 0.03))
    x <- verdict_of(two(10.0137 * exp(drift + rnorm(40, 0, 0.01)), rep(10.0137, 40), plan_id = "p",
                        `repeat` = 1:40))
    c(covered = x$lower <= 1 && 1 <= x$upper)
  })
  say("compare_runs_that_drift_95", "coverage", r$mean, r$n)
  x <- verdict_of(rbind(two(rep(60, 6) * exp(rnorm(6, 0, 0.01)),
                            rep(66, 6) * exp(rnorm(6, 0, 0.01)), plan_id = "p", frame = 1L,
                            `repeat` = 1:6),
                        do.call(rbind, lapply(2:6, function(f)
                                              two(10 * exp(rnorm(6, 0, 0.01)),
                                                  8 * exp(rnorm(6, 0, 0.01)), plan_id = "p",
                                                  frame = f, `repeat` = 1:6)))))
  say("compare_light_faster_heavy_slower", "ratio_of_work", x$ratio, 36)
  say("compare_light_faster_heavy_slower", "ratio_of_frames", x$frame_ratio, 36)
  r <- repeated(300, function(i) {
    x <- rnorm(20, 0, 0.05)
    until <- repeat_rule(0.03, 3, 20)
    for (n in 3:20)
      if (clockpigeon:::relative_half_width(x[1:n], clockpigeon:::looked_level()) <= until$target)
      break
    half <- log1p(clockpigeon:::relative_half_width(x[1:n], clockpigeon:::looked_level()))
    c(covered = abs(mean(x[1:n])) <= half)
  })
  say("repeat_until_95", "coverage", r$mean, r$n)
}

# ---- queues --------------------------------------------------------------------------------------
checks$queues <- function() {
  way <- job_way(4, stages(wait = c(median = 3600, p90 = 8 * 3600)))
  points <- vapply(1:20, function(seed)
                   quantile(simulate_job(rep(60, 120), way, draws = 500,
                                         seed = seed)$draws$finish_s, 0.9, names = FALSE), 0)
  say("long_queue_p90_over_seeds", "relative_sd", sd(points) / mean(points), 20)
  say("long_queue_p90", "over_truth", mean(points) / (8 * 3600 + 60 * 30), 20)
}

began <- Sys.time()
for (name in grep(pattern, names(checks), value = TRUE)) {
  checks[[name]]()
  flush(stdout())
}
say("truth", "minutes", as.numeric(Sys.time() - began, units = "mins"), length(checks))
