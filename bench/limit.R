# Is the limit's answer true? Real renders of the built-in engine:
#   truth     noise of pairs at 4, 16 and 64 samples, beside that against a reference of 4,096, at
#   160x90 count     the count predicted for a noise target from probes at 4, 16 and 64, then
#   rendered: noise reached over target, 320x180 adaptive  samples and time predicted for a noise
#   limit, beside what the engine takes
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
folder <- tempfile("limit-")
dir.create(folder)
pebble <- system.file("bin", "pebble", package = "clockpigeon")
render <- function(scene, frame, limit, seed, size = "160x90") {
  path <- file.path(folder, "one.pfm")
  said <- processx::run(pebble, c("--scene", scene, "--frame", frame, "--size", size, limit,
                                  "--seed", seed, "--threads", parallel::detectCores(), "--out",
                                  path))$stdout
  number <- function(word) as.numeric(sub(paste0(".*\n", word, " ([0-9.]+).*"), "\\1", said))
  list(picture = read_picture(path), samples = number("samples"), seconds = number("compute"),
       rays = number("rays"))
}
samples <- function(n) c("--samples", n)
for (scene in c("gears", "basin", "gallery")) {
  reference <- render(scene, 1, samples(4096), 99)$picture
  for (n in c(4, 16, 64)) {
    # Three pairs: where a few pixels hold most of the noise, even the true noise of one render
    # differs by 10 % from the next.
    renders <- lapply(1:6, function(seed) render(scene, 1, samples(n), seed)$picture)
    rms <- function(x) sqrt(mean(x^2))
    pairs <- vapply(c(1, 3, 5), function(i)
                    clockpigeon:::noise_between(renders[[i]], renders[[i + 1]])$noise, 0)
    truth <- vapply(renders, function(a)
                    clockpigeon:::noise_between(a, reference, "reference")$noise, 0)
    say(paste("noise_of_pairs_over_true", scene, n, sep = "_"), rms(pairs) / rms(truth),
        "ratio (0.9 to 1.1 asked)")
    say(paste("spread_of_true_noise", scene, n, sep = "_"), stats::sd(truth) / mean(truth),
        "share, from render to render")
  }
}
frames <- data.frame(scene = c("gears", "gears", "gears", "gears", "basin", "basin", "basin",
                               "gallery", "gallery", "gallery"),
                     frame = c(1, 200, 400, 600, 1, 300, 600, 1, 300, 600))
found <- do.call(rbind, lapply(seq_len(nrow(frames)), function(i) {
  one <- function(limit, seed) render(frames$scene[i], frames$frame[i], limit, seed, "320x180")
  counts <- c(4, 16, 64)
  first <- lapply(counts, function(n) one(samples(n), 1))
  second <- lapply(counts, function(n) one(samples(n), 2))
  picture <- function(x) lapply(x, `[[`, "picture")
  noise <- do.call(rbind, Map(noise_between, picture(first), picture(second)))
  seconds <- vapply(c(first, second), `[[`, 0, "seconds")
  fit <- fit_limit(c(counts, counts), seconds, c(noise$noise, NA, NA, NA),
                   list(noise = c(noise$error, NA, NA, NA)), floor = FALSE)
  target <- predict(fit, 110)$noise
  count <- samples_for(fit, target, 0.5)
  pairs <- vapply(c(3, 11), function(seed) {
    clockpigeon:::noise_between(one(samples(count), seed)$picture,
                                one(samples(count), seed + 1)$picture)$noise
  }, 0)
  reached <- sqrt(mean(pairs^2))
  adaptive <- clockpigeon:::noise_limit_samples(picture(first), picture(second), counts, target)
  runs <- lapply(8:9, function(seed) one(c("--noise", target), seed))
  of <- function(x, what) vapply(x, `[[`, 0, what)
  took <- list(samples = mean(of(runs, "samples")), seconds = mean(of(runs, "seconds")),
               rays = mean(of(runs, "rays")))
  coarse <- lapply(6:7, function(seed) one(c("--noise", 2 * target), seed))
  # As `limit` prices a noise limit: even samples first, then what a sample costs where the coarse
  # run spent them.
  priced <- function(what, even) {
    dear <- sum(pmax(of(coarse, what) - even, 0)) / sum(of(coarse, "samples") - 8)
    even + dear * max(adaptive$samples - 8, 0)
  }
  expected <- priced("seconds", predict(fit, 8)$seconds)
  rays <- mean(of(c(first, second), "rays") / rep(counts, 2))  # of a sample spent evenly
  expected_rays <- priced("rays", 8 * rays)
  cat(sprintf(
    "# %s %d: target %.4f, count %d, reached %.4f; noise limit: samples %.1f predicted %.1f, time %.2f s predicted %.2f s, rays %.3g predicted %.3g\n",
    frames$scene[i], frames$frame[i], target, count, reached, took$samples, adaptive$samples,
    took$seconds, expected, took$rays, expected_rays))
  data.frame(reached = reached / target, samples = adaptive$samples / took$samples,
             time = expected / took$seconds, rays = expected_rays / took$rays)
}))
say("noise_reached_within_10_percent_of_target", sum(abs(found$reached - 1) <= 0.1),
    "of 10 frames (9 asked)")
say("noise_reached_over_target_median", stats::median(found$reached), "ratio")
say("samples_of_a_noise_limit_within_15_percent", sum(abs(found$samples - 1) <= 0.15),
    "of 10 frames")
say("samples_of_a_noise_limit_predicted_over_taken_median", stats::median(found$samples), "ratio")
say("time_of_a_noise_limit_within_15_percent", sum(abs(found$time - 1) <= 0.15),
    "of 10 frames (the machine's noise included)")
say("time_of_a_noise_limit_predicted_over_taken_median", stats::median(found$time),
    "ratio (0.85 to 1.15 asked)")
say("rays_of_a_noise_limit_within_15_percent", sum(abs(found$rays - 1) <= 0.15),
    "of 10 frames (its work, free of the machine's noise)")
say("rays_of_a_noise_limit_predicted_over_taken_median", stats::median(found$rays),
    "ratio (0.85 to 1.15 asked)")
unlink(folder, recursive = TRUE)
