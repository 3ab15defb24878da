# The total of a shot from a few probed frames: errors and coverage of the frame curve, plain and
# with a cheap pass, beside three habits, on shots rendered completely (bench/shots/render.R) and on
# 1,000 simulated ones; then speed. The real shots are looked at by their seconds, with all that the
# machine did to them, and by the work that the engine counted, which is the same shot without the
# machine's noise. The prior is learned as in a project whose ledger has complete shots: for a real
# shot from the six others, for the simulated from twelve more; PRIOR=weak takes the default.
#   Rscript bench/frames.R [complete.csv]
suppressPackageStartupMessages(library(clockpigeon))
here <- dirname(sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE)))
say <- function(name, value, unit)
  cat(name, format(value, digits = 3, scientific = FALSE), unit, "\n")
args <- commandArgs(TRUE)
path <- if (length(args)) args[1] else file.path(here, "shots", "complete.csv")
rows <- utils::read.csv(path)

# One shot: full and cheap seconds of every frame, and what a cheap frame costs (its start counted).
# Each real shot is looked at eight times, from a later and later frame on, so that no method wins
# by where its probes happen to lie.
looked_at <- function(basis) {
  do.call(c, lapply(split(rows, factor(rows$shot, unique(rows$shot))), function(x) {
    lapply(seq(0, 28, by = 4), function(off) {
      x <- x[x$frame > off, ]
      if (basis == "work") {
        list(kind = paste(x$shot[1], "work"), full = x$work / 1e6, cheap = x$cheap_work / 1e6,
             cost = sum(x$cheap_work) / 1e6,
             load = 0)
      } else {
        list(kind = x$shot[1], full = x$seconds, cheap = pmax(x$cheap_s, 1e-4),
             cost = sum(x$cheap_s + x$cheap_load_s), load = mean(x$load_s))
      }
    })
  }))
}
real <- c(looked_at("seconds"), looked_at("work"))

matern_root <- function(n, range) {
  lag <- abs(outer(1:n, 1:n, "-")) * sqrt(3) / range
  t(chol((1 + lag) * exp(-lag) + diag(1e-8, n)))
}
simulated <- function(kind, n = 120) {
  g <- exp(rnorm(1, log(0.3), 0.5)) *
    drop(matern_root(n, n * exp(rnorm(1, log(0.3), 0.6))) %*% rnorm(n))
  own <- exp(rnorm(1, log(0.04), 0.5))
  if (kind == "cut") {
    at <- sample(20:(n - 20), 1)
    g[at:n] <- g[at:n] + sample(c(-1, 1), 1) * runif(1, 0.4, 1.2)
  }
  if (kind == "rising") g <- 0.3 * g + seq(0, runif(1, 0.7, 2), length.out = n)^1.3
  if (kind == "rare") {
    odd <- sample(n, 1 + rpois(1, 3))
    g[odd] <- g[odd] + runif(length(odd), 0.7, 2)
  }
  logs <- g + rnorm(n, 0, own)
  # A cheap time keeps a log correlation of 0.77 to 0.98 with the full one, and costs 3 to 6 %.
  correlation <- runif(1, 0.77, 0.98)
  left <- rnorm(n, 0, sd(logs) * sqrt(1 / correlation^2 - 1))
  list(kind = paste("simulated", kind), full = 5 * exp(logs),
       cheap = exp(runif(1, 0.8, 1) * logs + left),
       cost = runif(1, 0.03, 0.06) * sum(5 * exp(logs)), load = 0)
}
set.seed(20)
made <- lapply(rep(c("smooth", "cut", "rising", "rare"), 250), simulated)

# Complete shots as timings, each with its cheap pass, and the prior that they teach.
as_timings <- function(name, full, cheap) {
  setting <- function(seconds, width) {
    data.frame(scene = name, engine = "any", engine_version = "1", limit_kind = "samples",
               limit_value = 8, width = width,
               height = 90, features = NA, node = "any", site = NA, frame = seq_along(full),
               piece = NA, wall_s = seconds,
               compute_s = seconds, status = "ok", activity = "render", `repeat` = 1, warm = NA,
               check.names = FALSE)
  }
  rbind(setting(full, 160), setting(cheap, 20))
}
taught_by <- function(shots) {
  clockpigeon:::learn_curve_prior(do.call(rbind, Map(function(s, i)
                                                     as_timings(paste("shot", i), s$full, s$cheap),
                                                     shots,
                                       seq_along(shots))))
}
set.seed(21)
teachers <- lapply(rep(c("smooth", "cut", "rising", "rare"), 3), simulated)
whole_shots <- Filter(function(s) length(s$full) == 120, real)
whole_kinds <- vapply(whole_shots, `[[`, "", "kind")
by_work <- function(kind) grepl("work$", kind)
priors <- if (Sys.getenv("PRIOR") != "weak") {
  learned <- lapply(whole_kinds, function(k) taught_by(whole_shots[whole_kinds != k &
                                                                   by_work(whole_kinds) ==
                                                                   by_work(k)]))
  c(stats::setNames(learned, whole_kinds), list(simulated = taught_by(teachers)))
}
prior_for <- function(kind) {
  if (is.null(priors)) clockpigeon:::curve_prior() else
    priors[[if (startsWith(kind, "simulated")) "simulated" else kind]]
}

# The habit: the middles of n equal stretches.
evenly <- function(frames, n)
  unique(ceiling((seq_len(min(n, frames)) - 0.5) / min(n, frames) * frames))
even <- function(full, n) mean(full[evenly(length(full), n)]) * length(full)
of_curve <- function(curve, total) {
  t <- total_time(curve, draws = 1000)
  c(error = abs(t$median / total - 1), of_mean = abs(t$mean / total - 1),
    covered = t$lower <= total &&
    total <= t$upper, width = (t$upper - t$lower) / total)
}
one_shot <- function(shot, n, seed) {
  frames <- seq_along(shot$full)
  total <- sum(shot$full)
  off <- function(x) abs(x / total - 1)
  at <- clockpigeon:::first_probes(frames, n)
  prior <- prior_for(shot$kind)
  plain <- of_curve(frame_curve(at, shot$full[at], frames, seed = seed, prior = prior), total)
  cheap <- data.frame(frame = frames, seconds = shot$cheap)
  at <- clockpigeon:::first_probes(frames, n, cheap)
  with <- of_curve(frame_curve(at, shot$full[at], frames, cheap = cheap, seed = seed,
                               prior = prior), total)
  # Even spacing gets as many frames as cost the same as the cheap pass and its probes.
  budget <- shot$cost + sum(shot$full[at] + shot$load)
  afford <- n
  while (afford < length(frames) && sum(shot$full[evenly(length(frames), afford + 1)] +
                                        shot$load) <= budget) afford <- afford + 1
  data.frame(kind = shot$kind, n = n, first = off(shot$full[1] * length(frames)),
             three = off(mean(shot$full[1:3]) * length(frames)), even = off(even(shot$full, n)),
               plain = plain[["error"]],
             plain_of_mean = plain[["of_mean"]], plain_covered = plain[["covered"]],
             plain_width = plain[["width"]], cheap = with[["error"]],
             cheap_covered = with[["covered"]], cheap_width = with[["width"]],
               even_same_cost = off(even(shot$full, afford)),
             afford = afford, cheap_share = shot$cost / total,
             correlation = cor(log(shot$cheap), log(shot$full)))
}
all <- c(real, made)
quick <- Sys.getenv("QUICK") != ""
if (quick) all <- c(real, made[1:100])
found <- do.call(rbind, parallel::mclapply(seq_along(all), function(i) {
  do.call(rbind, lapply(c(3, 5, 8, 20), function(n) one_shot(all[[i]], n, i)))
}, mc.cores = parallel::detectCores()))

show <- function(x, label) {
  for (n in unique(x$n)) {
    here <- x[x$n == n, ]
    m <- colMeans(here[-1])
    cat(sprintf(
      paste0(
      "# %-18s %2d probes: first %5.1f %%, three %5.1f %%, even %4.1f %%, curve %4.1f %% (covers %3.0f %%, width %3.0f %%) | cheap pass ",
      "%.1f %% of the shot, r %.2f: %4.1f %% (covers %3.0f %%, width %3.0f %%), even at its cost (%.1f) %4.1f %%\n"),
      label, n, 100 * m[["first"]], 100 * m[["three"]], 100 * m[["even"]], 100 * m[["plain"]],
      100 * m[["plain_covered"]], 100 * m[["plain_width"]], 100 * m[["cheap_share"]],
      m[["correlation"]], 100 * m[["cheap"]], 100 * m[["cheap_covered"]], 100 * m[["cheap_width"]],
      m[["afford"]], 100 * m[["even_same_cost"]]))
  }
}
for (n in unique(found$n)) {
  say(paste0("curve_coverage_of_80_over_all_", n), 100 * mean(found$plain_covered[found$n == n]),
      "% (75 to 85 asked)")
  say(paste0("cheap_coverage_of_80_over_all_", n), 100 * mean(found$cheap_covered[found$n == n]),
      "% (75 to 85 asked)")
}
for (kind in unique(found$kind)) show(found[found$kind == kind, ], kind)
set_of <- ifelse(grepl("^simulated", found$kind), "simulated",
                 ifelse(grepl("work$", found$kind), "work", "seconds"))
for (set in lapply(unique(set_of), function(s) list(s, found[set_of == s, ]))) {
  x <- set[[2]]
  show(x, set[[1]])
  for (n in unique(x$n)) {
    m <- colMeans(x[x$n == n, -1])
    name <- function(what) paste(what, set[[1]], n, sep = "_")
    say(name("curve_error_over_even"), m[["plain"]] / m[["even"]],
        "ratio (at most 1 asked at 3, 5, 8)")
    say(name("curve_error_of_its_mean_over_even"), m[["plain_of_mean"]] / m[["even"]], "ratio")
    say(name("cheap_error_over_even_at_equal_cost"), m[["cheap"]] / m[["even_same_cost"]],
        "ratio (at most 0.6 asked)")
    say(name("curve_coverage_of_80"), 100 * m[["plain_covered"]], "% (75 to 85 asked)")
    say(name("cheap_coverage_of_80"), 100 * m[["cheap_covered"]], "% (75 to 85 asked)")
  }
}
for (kind in c("flashes", "flashes work", "simulated rare")) {
  rare <- found[found$kind == kind & found$n < 20, ]
  say(paste0("cheap_error_over_even_rare_heavy_frames_", gsub(" ", "_", kind)),
      mean(rare$cheap) / mean(rare$even_same_cost),
      "ratio (a third asked)")
}

# Speed.
set.seed(1)
n <- 1e5
at <- round(seq(1, n, length.out = 200))
seconds <- exp(sin(at / 2e4) + rnorm(200, 0, 0.1))
took <- system.time({
  curve <- frame_curve(at, seconds, seq_len(n))
  total_time(curve, draws = 1000)
})[["elapsed"]]
say("fit_and_draw_100000_frames_200_probes_1000_times", took, "s (10 asked)")
n <- 500
at <- seq(1, n, by = 5)
curve <- frame_curve(at, exp(sin(at / 100)), seq_len(n), cuts = integer(), run_sd = 0)
p <- c(0.4, 60, 0.05, 0)
dense <- function() {
  frames <- seq_len(n)
  lag <- abs(outer(frames, frames, "-")) * sqrt(3) / p[2]
  cover <- p[1]^2 * (1 + lag) * exp(-lag) + 1.5^2 + diag(p[3]^2, n)
  y <- sin(at / 100)
  weights <- cover[, at] %*% solve(cover[at, at])
  list(mean = drop(mean(y) + weights %*% (y - mean(y))),
       variance = diag(cover) - rowSums(weights * cover[, at]))
}
ours <- function() clockpigeon:::curve_moments_at(curve, p)
off <- max(abs(unlist(dense()) - unlist(ours())))
turns <- replicate(9, c(system.time(for (k in 1:3) dense())[["elapsed"]] / 3,
                        system.time(for (k in 1:300) ours())[["elapsed"]] / 300))
say("moments_largest_difference_from_dense", off, "(1e-6 asked)")
say("dense_time_over_ours_500_frames", stats::median(turns[1, ] / turns[2, ]), "ratio (100 asked)")
