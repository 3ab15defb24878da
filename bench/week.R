# A week of jobs: plans beside first come first served and earliest deadline first, on draws that
# nothing was planned on; and beside the best of all plans, on weeks of four jobs.
# `Rscript bench/week.R [WEEKS]`
suppressMessages(library(clockpigeon))
own <- asNamespace("clockpigeon")
helper <- new.env(parent = own)
sys.source("tests/testthat/helper-week.R", helper)
weeks <- c(as.integer(commandArgs(TRUE)), 40)[1]
say <- function(name, value, unit) cat(name, signif(value, 4), unit, "\n")

# The jobs one after another on all nodes, in some order; those that would miss on these draws are
# sent out where that keeps them, and else rendered all the same, late.
in_turn <- function(x, order) {
  plan <- list(way = rep(2L, length(x$jobs)), order = order)
  for (j in order) {
    job <- x$jobs[[j]]
    chance <- function(way) {
      plan$way[j] <- way
      plan$order <- order[seq_len(match(j, order))]
      plan$way[setdiff(seq_along(plan$way), plan$order)] <- 0L
      mean(own$week_ends(plan, x$jobs, x$pools)[, j] <= job$deadline_s &
           job$ways[[way]]$cost <= job$budget)
    }
    if (chance(2L) < job$confidence && chance(3L) >= job$confidence) plan$way[j] <- 3L
  }
  plan
}
judged <- function(plan, x) {
  week <- own$week_judged(plan, x$jobs, x$pools)
  c(kept = sum(week$judged$chance >= 0.9 - 0.02), cost = week$cost)
}
halves <- function(x) {
  part <- function(at) {
    x$jobs <- lapply(x$jobs, function(job) {
      job$ways <- lapply(job$ways, function(way)
                         utils::modifyList(way, list(seconds = way$seconds[at],
                                                     cost = way$cost[at])))
      job
    })
    x
  }
  list(part(1:500), part(501:1000))
}
for (n in c(6, 12)) {
  took <- numeric()
  rows <- lapply(seq_len(weeks), function(seed) {
    x <- halves(helper$random_week(1000 + seed, n, 1000, tight = 1.5))
    began <- Sys.time()
    plan <- own$planned_week(own$guarded(x[[1]]$jobs, 500), x[[1]]$pools)$plan
    took <<- c(took, as.numeric(Sys.time() - began, units = "secs"))
    due <- order(vapply(x[[1]]$jobs, `[[`, 0, "deadline_s"))
    rbind(week = judged(plan, x[[2]]), by_deadline = judged(in_turn(x[[1]], due), x[[2]]),
          as_they_come = judged(in_turn(x[[1]], seq_len(n)), x[[2]]))
  })
  mean_of <- function(what, column) mean(vapply(rows, function(r) r[what, column], 0))
  for (what in c("week", "by_deadline", "as_they_come")) {
    say(sprintf("%s_kept_of_%d", what, n), mean_of(what, "kept"), "jobs")
    say(sprintf("%s_cost_of_%d", what, n), mean_of(what, "cost"), "money")
  }
  say(sprintf("week_seconds_of_%d", n), stats::median(took), "s")
}
gap <- vapply(seq_len(weeks), function(seed) {
  x <- helper$random_week(2000 + seed, 4, 200, tight = 1 + seed %% 4)
  found <- own$planned_week(x$jobs, x$pools)
  best <- helper$every_week(x$jobs, x$pools)
  if (found$kept < best$kept) Inf else if (best$cost > 0) found$cost / best$cost - 1 else 0
}, 0)
say("worst_beside_enumeration", 100 * max(gap), "%")
say("as_good_as_enumeration", mean(gap < 1e-9), "share")
