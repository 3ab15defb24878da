# The answer of a decision in six lines: plan, finish, cost, evidence, risk, next measurement.

answer_heads <- c(do = "Plan", done = "Finish", cost = "Cost", rests = "Evidence", risk = "Risk",
                  first = "Measure")

# One or two sentences each, in this order: `do`, `done`, `cost`, `rests`, `risk`, `first`.
answer_words <- function(choice) {
  c(do = do_words(choice), done = done_words(choice), cost = cost_words(choice),
    rests = rests_words(choice), risk = risk_words(choice), first = first_words(choice))
}

# Moments of a range: without the day where it is that of the value before it.
clock_range <- function(at) {
  day <- sub(" ?[0-9:]+$", "", at)
  short <- ifelse(at != "never" & day == day[1], sub("^.* ", "", at), at)
  format_span(short[2], short[3])
}

# When, by the clock, as exactly as the span from now bears: with the date beyond six days, with
# seconds in the next ten minutes.
by_clock <- function(seconds, scenario) {
  moment <- scenario$now + seconds
  zone <- first_of(scenario$time_zone, "UTC")
  text <- ifelse(is.finite(seconds), clock_text(moment, zone), "never")
  far <- is.finite(seconds) & seconds > 6 * 86400
  text[far] <- clock_text(moment[far], zone, date = TRUE)
  soon <- is.finite(seconds) & max(c(0, seconds[is.finite(seconds)])) < 600
  text[soon] <- format(as.POSIXct(moment[soon]), "%H:%M:%S", tz = zone)
  text
}

# The parts of a plan: which frames where.
part_words <- function(plan) {
  parts <- plan$parts
  if (nrow(parts) == 1)
    return(paste("all", whole_number(parts[["count"]]), "frames at", parts[["option"]]))
  frames <- gsub("; ", ", ", sub("(.*); ", "\\1 and ", parts[["frames"]]), fixed = TRUE)
  paste(frames, "at", parts[["option"]], collapse = "; ")
}

# The look and the rescue of a plan with a fallback, as the sentence that is carried out.
policy_words <- function(plan, scenario) {
  paste0("Checkpoint ", by_clock(plan$look$at_s, scenario), ": with fewer than ",
         whole_number(plan$look$fewer), " frames finished, send the rest to ", plan$rescue$option,
         ".")
}

# The plan as a sentence: what to render where, and the checkpoint of a fallback.
do_words <- function(choice) {
  plan <- choice$plan
  if (isTRUE(plan$stated)) {
    return(paste0("As written: render ", part_words(plan), ".",
                  if (plan$kind == "fallback")
                  paste0(" ", policy_words(plan, choice$forecast$scenario)),
                  if (!plan$fits) " It does not keep your limits.", better_words(choice)))
  }
  if (!plan$fits) {
    return(paste0("No plan keeps your limits (", format_percent(choice$confidence),
                  " likely). The nearest: render ", part_words(plan), ". ",
                  if (plan$kind == "fallback") policy_words(plan, choice$forecast$scenario),
                  if (plan$kind == "one")
                  paste0("To fit: ", nearest_sentence(as_frame(choice$options), choice), ".")))
  }
  together <- plan$kind == "sides" && is.na(choice$pick)
  paste0("Render ", part_words(plan), ".",
         if (together) " No single site is fast enough.",
         if (plan$kind == "fallback") paste0(" ", policy_words(plan, choice$forecast$scenario)))
}

# Plan with which a stated plan is compared.
better_words <- function(choice) {
  best <- choice$plan$rivals[[1]]
  better <- best$fits && (!choice$plan$fits || !same_cost(choice$plan$mean, best$mean))
  if (better) paste0(" Better: ", plan_name(best), ", ", format_about(best$mean, best$mean / 100),
                     " ", choice$forecast$scenario$currency, " on average, ",
                     format_percent(best$p_both), " likely.")
  else if (choice$plan$fits) " None that costs less was found."
}

# A chance, precise enough to see whether it falls short of the required one.
format_chance_near <- function(p, asked) {
  short <- p < asked & format_percent(p) == format_percent(asked)
  ifelse(short, paste(formatC(floor(1000 * p) / 10, format = "f", digits = 1), "%"),
         format_percent(p))
}

done_words <- function(choice) {
  plan <- choice$plan
  scenario <- choice$forecast$scenario
  at <- by_clock(quantile_of(plan$draws[["finish_s"]], c(0.5, 0.1, 0.9)), scenario)
  paste0(at[1], " (80 % range ", clock_range(at), ").",
         if (is.finite(choice$deadline_s))
         paste0(" On time: ", format_chance_near(plan$p_deadline, choice$confidence), "."),
         sooner_words(choice))
}

# Gain of the fastest plan over the fastest single option.
sooner_words <- function(choice) {
  if (choice$rule != "fastest" || choice$plan$kind == "one" || is.na(choice$pick) ||
      !choice$plan$fits) return("")
  table <- as_frame(choice$options)
  paste0(" The fastest single option, ", choice$pick, ": ",
         by_clock(table[["finish_p50"]][table[["pick"]]], choice$forecast$scenario), ".")
}

cost_words <- function(choice) {
  plan <- choice$plan
  currency <- choice$forecast$scenario$currency
  cost <- plan$draws[["cost"]]
  about <- function(x) format_about(x, stats::sd(cost) / sqrt(length(cost)))
  range <- about(quantile_of(cost, c(0.1, 0.9)))
  paste0(about(plan$mean), " ", currency, " on average",
         if (range[1] != range[2])
         paste0(" (80 % range ", format_span(range[1], range[2]), ")"), ".",
         if (is.finite(choice$budget))
         paste0(" Within budget: ", format_percent(plan$p_budget), "."),
         saving_words(choice))
}

# Saving of the plan over the best single option, if it is not one.
saving_words <- function(choice) {
  plan <- choice$plan
  if (choice$rule != "cheapest" || plan$kind == "one" || is.na(choice$pick) || !plan$fits)
    return("")
  table <- as_frame(choice$options)
  alone <- table[["cost_mean"]][table[["pick"]]]
  paste0(" Best without a second site: ", choice$pick, ", ", format_about(alone, alone / 100), " ",
         choice$forecast$scenario$currency, ".")
}

# Evidence of a plan: timings, speeds, what is assumed, what was learned.
rests_words <- function(choice) {
  scenario <- choice$forecast$scenario
  job <- main_job(scenario)
  rows <- as_frame(scenario$options)
  rows <- rows[rows[["option"]] %in% plan_options_of(choice$plan), , drop = FALSE]
  speeds <- split(rows[["site"]], factor(rows[["evidence"]], unique(rows[["evidence"]])))
  sample <- any(is_sample(as_frame(job$evidence)))
  assumed <- if (has_curves(scenario)) unique(unlist(lapply(rows[["option"]], function(name) {
    it <- option_of(scenario, name)
    stages <- names(untimed_stages(it, scenario$now))
    if (length(stages)) paste(stages, "at", it$site)
  })))
  runs <- if (has_curves(scenario)) measured_runs(job)
  paste0(if (sample) "Invented sample data", if (sample && length(runs)) ": ", runs,
    if (sample || length(runs)) ". ",
    "Speeds ", paste(names(speeds),
                     vapply(speeds, function(s) paste0("(", toString(unique(s)), ")"), ""),
                     collapse = ", "),
    if (length(assumed)) paste0(". Assumed: ", toString(assumed)), ".",
    if (length(learned_words(scenario, rows[["site"]])))
         paste0(" ", learned_words(scenario, rows[["site"]])))
}

# Risks of a plan: how often and how far it is late or too expensive, and claims that it rests on.
risk_words <- function(choice) {
  plan <- choice$plan
  scenario <- choice$forecast$scenario
  d <- plan$draws
  late <- d[["finish_s"]] > choice$deadline_s
  over <- mean(d[["cost"]] > choice$budget)
  out <- c(
    if (plan$kind == "fallback" && plan$needed > 0) {
      paste0("The checkpoint sends frames on in ", format_cases(plan$needed), " of cases (then ",
             format_about(plan$cost_needed, plan$cost_needed / 50), " ", scenario$currency,
             " in all).")
    },
    if (mean(late) > 0) {
      by <- stats::median(d[["finish_s"]][late] - choice$deadline_s)
      paste0(if (is.finite(by)) "Late" else "Does not finish", " in ", format_cases(mean(late)),
             if (is.finite(by)) paste0(", typically by ", format_duration(by)), ".")
    },
    if (over > 0) paste0("Over budget in ", format_cases(over), "."), usable_risk(choice)
  )
  if (!length(out)) out <- paste0("No limit was missed in ", whole_number(nrow(d)), " simulations.")
  paste(c(out, unname(warning_words(choice))), collapse = " ")
}

format_cases <- function(p) if (p > 0 && p < 0.01) "under 1 %" else
  paste(formatC(100 * p, format = "f", digits = 0), "%")

usable_risk <- function(choice) {
  table <- as_frame(choice$options)
  rows <- table[["option"]] %in% choice$plan$parts[["option"]]
  worst <- min(table[["usable"]][rows])
  if (isTRUE(worst < 0.995))
    paste0(format_percent(1 - worst), " of the frames are unusable.")
}

# Best next measurement; nothing if it was not computed.
first_words <- function(choice) {
  rows <- choice$kept[["next"]]
  if (is.null(rows)) return(NULL)
  worth <- rows[rows[["worth"]], , drop = FALSE]
  if (!nrow(worth)) return("Nothing is worth measuring before the start.")
  paste0(toupper(substr(worth[["says"]][1], 1, 1)), substr(worth[["says"]][1], 2, 500),
         if (nrow(worth) > 1) " More: clockpigeon next.",
         if (worth[["what"]][1] != "ask") paste0("\n  ", worth[["command"]][1]))
}

# The plan and its alternatives, as rows: the other fitting ones, the cheapest first, then those
# that miss by least.
answer_rows <- function(choice, most = 8) {
  table <- as_frame(choice$options)
  plan <- choice$plan
  scenario <- choice$forecast$scenario
  misses <- order(!table[["fits"]], ifelse(table[["fits"]], table[["rank"]], 0),
                  table[["both_miss"]], -table[["p_both"]], table[["cost_mean"]])
  single <- plan$kind == "one"
  there <- c(if (single) plan$parts[["option"]],
             if (isTRUE(plan$stated) && plan$rivals[[1]]$kind == "one") {
    plan$rivals[[1]]$parts[["option"]]
  })
  shown <- utils::head(setdiff(misses, match(there, table[["option"]])),
                       most - 1 - isTRUE(plan$stated))
  rows <- table[shown, , drop = FALSE]
  plans <- c(list(plan), if (isTRUE(plan$stated)) plan$rivals[1])
  first <- do.call(rbind, lapply(plans, function(p) data.frame(
    mark = if (!p$fits) " " else if (identical(p, plan)) ">" else "+", what = plan_name(p),
    p50 = quantile_of(p$draws[["finish_s"]], 0.5), p90 = quantile_of(p$draws[["finish_s"]], 0.9),
    cost = p$mean, error = stats::sd(p$draws[["cost"]]) / sqrt(nrow(p$draws)), chance = p$p_both
  )))
  rbind(first, data.frame(mark = c(" ", "+")[rows[["fits"]] + 1], what = rows[["option"]],
                          p50 = rows[["finish_p50"]], p90 = rows[["finish_p90"]],
                          cost = rows[["cost_mean"]], error = rows[["cost_mean_se"]],
                          chance = rows[["p_both"]]))
}

# A plan's sites in a few words.
plan_name <- function(plan) {
  if (plan$kind == "one") return(plan$parts[["option"]])
  paste0(paste(plan$parts[["site"]], collapse = " + "),
         if (plan$kind == "fallback") paste0(", then ", plan$rescue$site))
}

# The answer with its numbers, for figures and pages.
answer_title <- function(choice) {
  plan <- choice$plan
  scenario <- choice$forecast$scenario
  finish <- quantile_of(plan$draws[["finish_s"]], 0.5)
  paste0(if (!plan$fits) "Nothing fits. Nearest: ", plan_name(plan), ": done ",
         by_clock(finish, scenario), ", ",
         format_about(plan$mean, stats::sd(plan$draws[["cost"]]) / sqrt(nrow(plan$draws)),
                      scenario$currency), ", ", format_chance_near(plan$p_both, choice$confidence),
         " likely")
}
