# Alarms of running jobs: what is found, missed and called falsely. Jobs of the demo's gears at each
# site that can do them, their frames as draws that the forecast has not seen, looked at 25 times
# each, on the way from nothing to all. Quiet jobs go as forecast; the others have one trouble, from
# half of the frames on: all nodes half as slow again, twice as slow, or nothing more that comes.
# Prints `name value unit`: the share of quiet jobs with any alarm of a kind, the share of troubles
# that are found before the last frame, and how much of the rest of the job is still to come then.
#
#   Rscript bench/alarms.R [JOBS]     200 quiet jobs and as many with each trouble when absent
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
jobs <- as.integer(c(commandArgs(TRUE), "200")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 3), scientific = FALSE, trim = TRUE), unit, "\n")
set.seed(8)
project <- read_project(demo_file())
gears <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates,
                    time_zone = "Europe/Lisbon")
placed <- as.POSIXct("2026-11-25 02:45", tz = "UTC")
scenario <- plan_options(gears, unname(project$sites), now = placed)
options <- as.data.frame(scenario$options)
picked <- vapply(unique(options$site),
                 function(site) max(which(options$site == site & options$begin_s == 0)), 0)
troubles <- list(
  quiet = function(t) t,
  half_as_slow_again = function(t) stretched(t, 1.5),
  twice_as_slow = function(t) stretched(t, 2),
  nothing_more = function(t) replace(t, seq_along(t) > length(t) / 2, Inf)
)
stretched <- function(t, by) {
  steps <- diff(c(0, t))
  cumsum(steps * ifelse(seq_along(t) > length(t) / 2, by, 1))
}
known <- seq_len(500)
rows <- NULL
for (i in picked) {
  each <- ceiling(jobs / length(picked))
  run <- simulate_option(scenario, i, draws = 500 + each, seed = 21, keep = TRUE)
  home <- t(run$run$home)
  for (kind in names(troubles)) for (d in 500 + seq_len(each)) {
    order <- order(home[d, ])
    came <- troubles[[kind]](home[d, order])
    whole <- max(home[d, ])
    last <- if (all(is.finite(came))) max(came) else 2 * whole
    from <- came[ceiling(length(came) / 2)]
    found <- NA
    code <- NA
    for (now in seq(0.02, 0.99, length.out = 25) * last) {
      seen <- came[came <= now]
      rest <- ns$rest_draws(home[known, ], run$draws$finish_s[known], run$draws$cost[known], seen,
                            now)
      pace <- ns$pace_test(home[known, ], seen)
      waits <- !length(seen) || now - max(seen) > ns$longest_gap(home[known, ], seen)
      unlike <- ns$level_test(home[known, ], seen)$unlike
      code <- if (rest$overdue >= 0.99 && waits) "silent" else if (pace$slowed)
        "slower" else if (unlike) "unlike" else NA
      if (!is.na(code)) {
        found <- now
        break
      }
    }
    rows <- rbind(rows, data.frame(site = options$site[i], kind, code,
                                   early = !is.na(found) && found < from,
                                   left = (last - found) / (last - from)))
  }
}
quiet <- rows[rows$kind == "quiet", ]
for (code in c("silent", "slower", "unlike")) {
  say(paste0("alarms_false_", code), mean(quiet$code %in% code),
      paste("of", nrow(quiet), "quiet jobs"))
}
for (kind in setdiff(names(troubles), "quiet")) {
  x <- rows[rows$kind == kind, ]
  hit <- !is.na(x$code) & !x$early
  say(paste0("alarms_found_", kind), mean(hit),
      sprintf("of %d; missed %.3f, called before it %.3f", nrow(x),
                                                       mean(is.na(x$code)), mean(x$early)))
  say(paste0("alarms_in_hand_", kind), stats::median(x$left[hit]),
      "of the rest of the job still to come, median")
}
