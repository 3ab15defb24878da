# What a decision takes: the film of the demo (2,250 frames, 11 options, 2,000 draws), CPU seconds
# as ratios in one run. The bare simulation is the frames' draws and simulate_job() of each option's
# way; beside it the forecast, the decision with plans and what to find out first, and the
# break-evens. Then: judging kept draws of 500 options anew, and the command the second time beside
# a bare Rscript. Prints `name value unit`.
#
#   Rscript bench/choose.R [TURNS]     5 when absent
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
turns <- as.integer(c(commandArgs(TRUE), "5")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
cpu <- function(code) {
  began <- proc.time()
  force(code)
  sum((proc.time() - began)[c(1, 2)])
}
project <- read_project(demo_file())
job <- render_job(unname(project$shots[c("gears", "basin", "gallery")]), "sundew",
                  example_timings(), rates = project$rates, time_zone = "Europe/Lisbon")
scenario <- plan_options(job, unname(project$sites),
                         now = as.POSIXct("2026-11-25 02:45", tz = "UTC"))
n <- nrow(scenario$options)
forecast <- NULL
choice <- NULL
one <- function(turn) {
  seconds <- NULL
  bare <- cpu(seconds <- ns$frame_draws(job, 2000, 1))
  ways <- lapply(seq_len(n), function(i) {
    it <- ns$option_of(scenario, i)
    list(way = ns$option_way(it$job_of, it, it$at, scenario$now),
         meter = ns$metering(it$at, it$tier, if (!is.na(it$hire)) it$hire, job$engine,
                             on = scenario$now, now = scenario$now))
  })
  each <- vapply(ways, function(w) cpu(simulate_job(seconds, w$way, meter = w$meter)), 0)
  all <- cpu(forecast <<- forecast_job(scenario))
  decision <- cpu(choice <<- ns$decide(forecast, ns$question_of(forecast, "20 h", "250 EUR", 0.9,
                                                                "cheapest", TRUE),
                                       details = FALSE))
  c(bare = bare + sum(each), forecast = all, decision = decision, changes = cpu(break_even(choice)),
    slowest = 2000 * 2250 / max(each) / 1e6)
}
invisible(one(0))
times <- vapply(seq_len(turns), one, one(0))
ratio <- function(name, a, b) {
  q <- stats::quantile(a / b, c(0.5, 0.25, 0.75), names = FALSE)
  say(name, q[1], sprintf("x (quartiles %.3g to %.3g)", q[2], q[3]))
}
say("choose_bare_simulation", stats::median(times["bare", ]), "CPU s")
ratio("choose_forecast_over_bare", times["forecast", ], times["bare", ])
ratio("choose_decision_over_forecast", times["decision", ], times["forecast", ])
ratio("choose_changes_over_forecast", times["changes", ], times["forecast", ])
say("choose_slowest_option", stats::median(times["slowest", ]), "million tasks a CPU second")

# 500 options judged anew for another deadline, budget, confidence and rule.
facts <- choice$facts
many <- list(table = facts$table[rep_len(seq_len(n), 500), ], draws = rep_len(facts$draws, 500))
many$table$option <- paste(many$table$option, seq_len(500))
asked <- choice[ns$question_fields]
judge <- function() {
  asked$deadline_s <- stats::runif(1, 4e4, 1e5)
  asked$confidence <- stats::runif(1, 0.7, 0.95)
  began <- Sys.time()
  ns$judge_options(many, asked, distances = FALSE)
  as.numeric(Sys.time() - began, units = "secs")
}
say("choose_judge_500_options", 1000 * stats::median(replicate(20, judge())), "ms")

# The command on an unchanged project.
folder <- ns$demo_project(tempfile("choose-"))
old <- setwd(folder)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache-"))
run <- function(code) {
  began <- Sys.time()
  processx::run(file.path(R.home("bin"), "Rscript"), c("-e", code))
  as.numeric(Sys.time() - began, units = "secs")
}
ask <- "invisible(clockpigeon:::cli(c('choose', 'film', '--deadline', '28h')))"
first <- run(ask)
again <- vapply(1:7, function(i) run(ask), 0)
bare <- vapply(1:7, function(i) run("1"), 0)
say("choose_command_first", first, "s")
say("choose_command_again_over_rscript", stats::median(again) / stats::median(bare), "x")
setwd(old)
