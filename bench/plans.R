# What plans save: over questions drawn at random in the demo's world, at three tightnesses, the
# mean cost of the best single option, of the best with several side by side, and of the best with a
# fallback too. And whether what is promised is kept: each plan once more on draws it has not seen.
# Prints `name value unit`.
#
#   Rscript bench/plans.R [QUESTIONS]     200 when absent
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
questions <- as.integer(c(commandArgs(TRUE), "200")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
project <- read_project(demo_file())
evidence <- example_timings()
set.seed(1)
ask <- function(k) {
  shots <- project$shots[sample(c("gears", "basin", "gallery"), sample(1:3, 1))]
  # A part of the film, so that jobs differ in length.
  shots <- lapply(shots, function(shot) {
    keep <- sort(sample(length(shot$frames), 2))
    if (diff(keep) >= 40) shot$frames <- shot$frames[keep[1]:keep[2]]
    shot
  })
  job <- tryCatch(render_job(unname(shots), "sundew", evidence, rates = project$rates,
                             time_zone = "Europe/Lisbon"),
                  clockpigeon_error_evidence = function(e) NULL)
  if (is.null(job)) return(ask(k))  # a part without a measured frame
  now <- as.POSIXct("2026-11-23", tz = "UTC") + stats::runif(1, 0, 6 * 86400)
  scenario <- plan_options(job, unname(project$sites), now = now)
  forecast <- forecast_job(scenario, draws = 800, seed = k)
  tight <- c("tight", "middle", "loose")[(k - 1) %% 3 + 1]
  # Between the fastest option and the cheapest own one.
  finish <- summary(forecast)[["finish_p90"]]
  ends <- range(finish[is.finite(finish)])
  at <- switch(tight, tight = stats::runif(1, 0.02, 0.2), middle = stats::runif(1, 0.2, 0.5),
               stats::runif(1, 0.5, 0.8))
  list(scenario = scenario, forecast = forecast, tight = tight,
       deadline = exp(log(ends[1]) * (1 - at) + log(ends[2]) * at))
}
kept_anew <- function(x, plan, seed) {
  # The start and its parts on other draws; with its fallback where it has one.
  seconds <- ns$frame_draws(ns$main_job(x$scenario), 800, seed)
  asked <- list(deadline_s = x$deadline, budget = Inf, confidence = 0.9, together = TRUE)
  state <- ns$plan_state(x$scenario, asked, seconds, seed)
  shares <- numeric(nrow(state$options))
  shares[match(plan$parts[["option"]], state$options[["option"]])] <- plan$parts[["share"]]
  run <- ns$check_split(state, shares / sum(shares), keep = TRUE)
  if (plan$kind != "fallback") return(c(run$p_both, run$mean))
  done <- Reduce(`+`, lapply(run$runs, function(one) colSums(one$home <= plan$look$at_s)))
  saved <- ns$rescued_draws(state, run, plan$look$at_s,
                            match(plan$rescue$option, state$options[["option"]]))
  needed <- done < plan$look$fewer
  finish <- ifelse(needed, saved$finish, run$finish)
  c(mean(finish <= x$deadline), mean(ifelse(needed, saved$cost, run$cost)))
}
rows <- lapply(seq_len(questions), function(k) {
  x <- ask(k)
  choice <- choose_option(x$forecast, x$deadline)
  plans <- c(list(choice$plan), choice$plan$rivals)
  # Several side by side are simulated only where they come near the best: here always.
  if (!any(vapply(plans, `[[`, "", "kind") == "sides")) {
    asked <- choice[ns$question_fields]
    seconds <- ns$frame_draws(ns$main_job(x$scenario), 800, k)
    state <- ns$with_lines(ns$plan_state(x$scenario, asked, seconds, k))
    found <- ns$search_sides(state)
    if (length(found)) plans <- c(plans, list(c(found, kind = "sides")))
  }
  best <- function(kinds) {
    found <- Filter(function(p) p$kind %in% kinds && p$fits, plans)
    if (length(found)) min(vapply(found, `[[`, 0, "mean")) else NA
  }
  anew <- if (choice$plan$fits) kept_anew(x, choice$plan, 1000 + k) else c(NA, NA)
  data.frame(tight = x$tight, one = best("one"), sides = best(c("one", "sides")),
             all = best(c("one", "sides", "fallback")), kind = choice$plan$kind,
             fits = choice$plan$fits, promised = choice$plan$p_both, kept = anew[1],
             cost = choice$plan$mean, cost_anew = anew[2])
})
rows <- do.call(rbind, rows)
for (tight in c("tight", "middle", "loose")) {
  r <- rows[rows$tight == tight, ]
  both <- r[!is.na(r$one), ]
  say(paste0("plans_", tight, "_sides_over_single"), mean(both$sides) / mean(both$one),
      paste("x mean cost, of", nrow(both)))
  say(paste0("plans_", tight, "_all_over_single"), mean(both$all) / mean(both$one), "x mean cost")
  say(paste0("plans_", tight, "_median_saving"), stats::median(1 - both$all / both$one),
      "of the cost")
  say(paste0("plans_", tight, "_met_only_together"), sum(is.na(r$one) & r$fits),
      paste("of", nrow(r)))
}
say("plans_dearer_than_single", sum(rows$all > rows$one + 0.005, na.rm = TRUE),
    paste("of", sum(!is.na(rows$one))))
for (kind in unique(rows$kind))
  say(paste0("plans_of_kind_", kind), sum(rows$kind == kind), paste("of", nrow(rows)))
for (kind in unique(rows$kind[rows$fits])) {
  r <- rows[rows$fits & rows$kind == kind, ]
  say(paste0("plans_", kind, "_promised"), mean(r$promised), "chance, mean")
  say(paste0("plans_", kind, "_kept_on_new_draws"), mean(r$kept),
      sprintf("chance, mean (quartiles %.3f to %.3f)",
                                                                        stats::quantile(
                                                                          r$kept, 0.25),
                                                                        stats::quantile(
                                                                          r$kept, 0.75)))
  say(paste0("plans_", kind, "_cost_on_new_draws"), mean(r$cost_anew) / mean(r$cost),
      "x what was said")
}
