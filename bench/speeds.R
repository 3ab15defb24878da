# Other hardware: coverage and error of rig speeds on simulated sparse tables, beside the habit of
# one reference scene's ratio; and the time of the fit beside lme4 (when it is installed), in turns.
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 3, scientific = FALSE), unit, "\n")

# 30 scenes x 20 rigs, 5 to 40 % of the cells timed; spreads unlike the prior's, drawn anew for each
# table.
one_table <- function(seed, scenes = 30, rigs = 20) {
  set.seed(seed)
  sd <- c(runif(1, 0.4, 1.2), runif(1, 0.2, 0.6), runif(1, 0.05, 0.25), runif(1, 0.03, 0.12))
  logs <- 4 + outer(rnorm(scenes, 0, sd[1]), rnorm(rigs, 0, sd[2]), "+") +
    rnorm(scenes * rigs, 0, sd[3])
  fill <- runif(1, 0.05, 0.4)
  timed <- matrix(runif(scenes * rigs) < fill, scenes)
  name <- function(at) data.frame(scene = paste0("s", at[, 1]), rig = paste0("r", at[, 2]))
  cells <- which(timed, arr.ind = TRUE)
  rows <- cbind(name(cells), wall_s = exp(logs[cells] + rnorm(nrow(cells), 0, sd[4])))
  fit <- fit_speeds(rows)
  open <- which(!timed, arr.ind = TRUE)
  asked <- name(open)
  i <- match(asked$scene, fit$scenes)
  j <- match(asked$rig, fit$rigs)
  reached <- !is.na(i) & !is.na(j)
  reached[reached] <- fit$islands$scene[i[reached]] == fit$islands$rig[j[reached]]
  if (!any(reached)) return(NULL)
  asked <- asked[reached, ]
  truth <- exp(logs[open[reached, , drop = FALSE]] + rnorm(nrow(asked), 0, sd[4]))
  p <- predict(fit, asked$scene, asked$rig)
  habit <- mapply(function(s, r) clockpigeon:::one_scene_ratio(fit, s, r), asked$scene, asked$rig)
  error <- abs(log(p$seconds / truth))
  known <- !is.na(habit)
  data.frame(fill = fill, cells = nrow(rows), covered = mean(p$lower <= truth & truth <= p$upper),
             error = mean(error), error_where_habit = mean(error[known]),
             habit = mean(abs(log(habit / truth))[known]), answers = mean(known))
}
tables <- do.call(rbind, parallel::mclapply(1:300, one_table, mc.cores = parallel::detectCores()))
tables$share <- cut(tables$fill, c(0.05, 0.1, 0.2, 0.3, 0.4))
by <- aggregate(cbind(cells, covered, error, error_where_habit, habit, answers) ~ share, tables,
                mean)
for (k in seq_len(nrow(by))) {
  cat(sprintf(
    "# filled %s: %3.0f cells, covers %.0f %%, error %.1f %%; where the habit answers (%.0f %% of cells) %.1f %%, the habit %.1f %%\n",
    by$share[k], by$cells[k], 100 * by$covered[k], 100 * by$error[k], 100 * by$answers[k],
    100 * by$error_where_habit[k], 100 * by$habit[k]))
}
say("coverage_of_80", 100 * mean(tables$covered), "% (75 to 85 asked)")
say("coverage_of_80_least_of_the_four_fills", 100 * min(by$covered), "%")
say("error_over_habit",
    sum(tables$error_where_habit, na.rm = TRUE) / sum(tables$habit, na.rm = TRUE),
    "ratio of mean absolute log errors")

# 100,000 timings, 200 scenes, 60 rigs.
set.seed(1)
n <- 1e5
scene <- sample(200, n, TRUE)
rig <- sample(60, n, TRUE)
logs <- 4 + rnorm(200, 0, 0.8)[scene] + rnorm(60, 0, 0.5)[rig] +
  rnorm(12000, 0, 0.15)[(scene - 1) * 60 + rig] + rnorm(n, 0, 0.1)
rows <- data.frame(scene = paste0("s", scene), rig = paste0("r", rig), wall_s = exp(logs))
ours <- function() system.time(fit <<- fit_speeds(rows))[["elapsed"]]
if (requireNamespace("lme4", quietly = TRUE)) {
  theirs <- function() {
    d <- transform(rows, scene = factor(scene), rig = factor(rig))
    system.time(lme4::lmer(log(wall_s) ~ 1 + (1 | scene) + (1 | rig) + (1 | scene:rig),
                           d))[["elapsed"]]
  }
  turns <- replicate(3, c(ours(), theirs()))
  say("fit_100000_timings", median(turns[1, ]), "s")
  say("lme4_100000_timings", median(turns[2, ]), "s")
  say("fit_over_lme4", median(turns[1, ] / turns[2, ]), "ratio (a third asked)")
} else say("fit_100000_timings", median(replicate(3, ours())), "s (lme4 is not installed)")
for (k in 1:4)
  say(paste0("sd_", fit$spreads$part[k]), fit$spreads$sd[k],
      paste("true", c(0.8, 0.5, 0.15, 0.1)[k]))
