# A running job's rest, from what has arrived: how often the 80 % range of the end holds the truth
# at 25, 50 and 75 % of the frames, and how wide it is, over jobs that the forecast has not seen: as
# the model has them, and otherwise (every frame half as slow again as any draw knows; frames with
# three times the spread; nodes that slow down by a third half way). Beside it the habit, frames
# left times the mean time so far. Then what an update takes for 2,250 frames on 20 nodes and 2,000
# draws, beside simulating the option anew, and what folding 10,000 events takes. Prints
# `name value unit`.
#
#   Rscript bench/follow.R [JOBS]     200 when absent
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
jobs <- as.integer(c(commandArgs(TRUE), "200")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
set.seed(6)
project <- read_project(demo_file())
gears <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates,
                    time_zone = "Europe/Lisbon")
scenario <- plan_options(gears, unname(project$sites),
                         now = as.POSIXct("2026-11-25 02:45", tz = "UTC"))
options <- as.data.frame(scenario$options)
picked <- vapply(unique(options$site),
                 function(site) max(which(options$site == site & options$begin_s == 0)), 0)

# A truth that the draws do not know: the same job's frames otherwise.
otherwise <- list(
  as_modelled = function(t) t,
  half_as_slow_again = function(t) 1.5 * t,
  wide_frames = function(t) {
    steps <- diff(c(0, t))
    own <- exp(stats::rnorm(length(t), 0, 0.3))
    cumsum(steps * own / mean(own))
  },
  slower_half_way = function(t) {
    steps <- diff(c(0, t))
    cumsum(steps * ifelse(seq_along(t) > length(t) / 2, 1.33, 1))
  }
)
for (i in picked) {
  run <- simulate_option(scenario, i, draws = 1000 + jobs, seed = 11, keep = TRUE)
  home <- t(run$run$home)
  finish <- run$draws$finish_s
  cost <- run$draws$cost
  known <- seq_len(1000)
  for (kind in names(otherwise)) for (share in c(0.25, 0.5, 0.75)) {
    rows <- vapply(1000 + seq_len(jobs), function(d) {
      t <- otherwise[[kind]](sort(home[d, ]))
      end <- max(t)
      m <- ceiling(share * length(t))
      now <- t[m] + stats::runif(1) * (t[m + 1] - t[m])
      seen <- t[seq_len(m)]
      pace <- ns$pace_test(home[known, ], seen)
      x <- ns$rest_draws(home[known, ], finish[known], cost[known], seen, now, over = pace$over,
                         drift = pace$drift)
      o <- order(x$finish)
      q <- stats::approx(cumsum(x$weight[o]), x$finish[o], c(0.1, 0.5, 0.9), rule = 2)$y
      habit <- t[m] * length(t) / m
      c(end >= q[1] && end <= q[3], (q[3] - q[1]) / end, abs(q[2] / end - 1), abs(habit / end - 1))
    }, numeric(4))
    name <- paste("follow", options$site[i], kind, 100 * share, sep = "_")
    say(paste0(name, "_held"), mean(rows[1, ]),
        sprintf("of %d; width %.3f of the whole; off by %.1f %%, habit %.1f %%",
                                                      jobs, stats::median(rows[2, ]),
                100 * stats::median(rows[3, ]), 100 * stats::median(rows[4, ])))
  }
}

# What an update takes.
cpu <- function(code) {
  began <- proc.time()
  force(code)
  sum((proc.time() - began)[c(1, 2)])
}
film <- render_job(unname(project$shots[c("gears", "basin", "gallery")]), "sundew",
                   example_timings(), rates = project$rates, time_zone = "Europe/Lisbon")
wide <- plan_options(film, unname(project$sites), now = as.POSIXct("2026-11-25 02:45", tz = "UTC"),
                     only = "quayside")
ask <- function() simulate_option(wide, 1, what_if(nodes = 20), draws = 2000, keep = TRUE)
run <- ask()
home <- t(run$run$home)
seen <- sort(home[7, ])[1:1100]
look <- function() {
  pace <- ns$pace_test(home, seen)
  ns$level_test(home, seen)
  ns$longest_gap(home, seen)
  ns$rest_draws(home, run$draws$finish_s, run$draws$cost, seen, max(seen), over = pace$over,
                drift = pace$drift)
}
update <- stats::median(replicate(5, cpu(look())))
say("follow_update", update, "CPU s (2,250 frames, 20 nodes, 2,000 draws)")
say("follow_update_over_simulating", update / stats::median(replicate(3, cpu(ask()))), "x")
events <- data.frame(time = stats::runif(10000, 0, 1e4), frame = sample(2250, 10000, TRUE),
                     what = sample(c("given out", "rendering", "arrived", "failed"), 10000, TRUE),
                     node = paste0("n", sample(20, 10000, TRUE)))
say("follow_fold", stats::median(replicate(3, cpu(ns$fold_events(events, 1:2250)))),
    "CPU s (10,000 events)")
