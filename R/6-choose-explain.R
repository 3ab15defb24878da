# The choice in sentences.

#' Explain a choice
#'
#' @param choice From [choose_option()].
#' @return Character vector, fit to be pasted into a mail: first what was picked and why, under the option's name; then
#'   `time` and `cost`, how they come about, with the arithmetic, and `evidence`, what they rest on; then one sentence
#'   for each other option, in the order of the options, under its name.
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(job, plan_options(job, project$sites), draws = 200)
#' explain(choose_option(forecast, deadline = "30 h", budget = "400 EUR"))
#' @export
explain <- function(choice) {
  check_class(choice, argument("choice"), "choice", "choose_option()")
  table <- as_frame(choice$options)
  out <- vapply(seq_len(nrow(table)), function(i) {
    sentence <- if (table[["pick"]][i]) pick_sentence else if (table[["fits"]][i]) other_sentence else miss_sentence
    sentence(table[i, ], choice)
  }, "")
  names(out) <- table[["option"]]
  if (is.na(choice$pick)) return(c("no option fits" = nearest_sentence(table, choice), out))
  how <- if (length(choice$forecast$job$curves)) pick_arithmetic(choice)
  c(out[table[["pick"]]], how, out[!table[["pick"]]])
}

# What the confidence is asked of.
chance_asked <- function(choice) {
  both <- is.finite(choice$deadline_s) && is.finite(choice$budget)
  paste0(if (!both) "" else if (choice$together) "both together " else "each ", "with a chance of ")
}

# A chance with the error that so many draws leave it.
chance_text <- function(p, se) {
  paste0(percent(p), ifelse(p > 0 & p < 1, paste0(" (+-", formatC(100 * 2 * se, format = "f", digits = 1), ")"), ""))
}

pick_sentence <- function(row, choice) {
  currency <- row[["currency"]]
  both <- is.finite(choice$deadline_s) && is.finite(choice$budget)
  chances <- c(
    if (both && choice$together) paste(chance_text(row[["p_both"]], row[["p_both_se"]]),
                                       "of draws finish by the deadline within the budget"),
    if (is.finite(choice$deadline_s) && !(both && choice$together)) {
      paste(chance_text(row[["p_deadline"]], row[["p_deadline_se"]]), "of draws finish by the deadline")
    },
    if (is.finite(choice$budget) && !(both && choice$together)) {
      paste(chance_text(row[["p_budget"]], row[["p_budget_se"]]), "stay within the budget")
    },
    if (both && !choice$together) paste(chance_text(row[["p_both"]], row[["p_both_se"]]), "do both")
  )
  paste0("the ", choice$rule, " that fits", if (length(chances)) paste0(" (", paste(chances, collapse = ", "), ")"),
         "; medians ", format_duration(row[["finish_p50"]]), " and ",
         format_about(row[["cost_p50"]], row[["cost_se"]], currency),
         if (row[["close"]]) paste0("; so near to the ", percent(choice$confidence), " asked that more draws could ",
                                    "decide otherwise"),
         usable_words(row))
}

# Frames that do not come back usable are part of every cost.
usable_words <- function(row) {
  if (!isTRUE(row[["usable"]] < 1)) return("")
  paste0("; ", percent(row[["usable"]]), " of frames come back usable, at ", format_money(row[["cost_per_usable"]]),
         " ", row[["currency"]], " each; all of them would cost ", format_money(row[["cost_whole"]], row[["currency"]]))
}

other_sentence <- function(row, choice) {
  pick <- as_frame(choice$options)
  pick <- pick[pick[["pick"]], ]
  quality <- if (isTRUE(row[["noise"]] != pick[["noise"]])) {
    paste0(", with ", formatC(row[["noise"]] / pick[["noise"]], format = "f", digits = 2), " times its noise")
  }
  paste0("fits too; ", difference(row[["cost_p50"]] - pick[["cost_p50"]], "dearer", "cheaper",
                                  function(x) format_money(x, row[["currency"]])), " and ",
         difference(row[["finish_p50"]] - pick[["finish_p50"]], "later", "sooner", format_duration), " than the pick",
         quality)
}

difference <- function(x, more, less, format) {
  if (isTRUE(x > 0)) paste(format(x), more) else if (isTRUE(x < 0)) paste(format(-x), less)
  else paste("neither", more, "nor", less)
}

miss_sentence <- function(row, choice) {
  asked <- percent(choice$confidence)
  if (row[["late_s"]] > 0 && row[["over"]] > 0 && !row[["both_miss"]]) {
    return(paste0("keeps the deadline in ", percent(row[["p_deadline"]]), " and the budget in ",
                  percent(row[["p_budget"]]), ", but both together in ", percent(row[["p_both"]]), " of draws, ", asked,
                  " asked; a deadline ", format_duration(row[["late_s"]]), " later or ",
                  format_money(row[["over"]], row[["currency"]]), " more would do"))
  }
  late <- if (is.infinite(row[["late_s"]])) {
    paste0("does not finish: only ", percent(row[["p_deadline"]]), " of draws do, ", asked, " asked", usable_words(row))
  } else if (row[["late_s"]] > 0) {
    paste0("too late: ", percent(row[["p_deadline"]]), " of draws finish by the deadline, ", asked,
           " asked; a deadline ", format_duration(row[["late_s"]]), " later would do")
  }
  dear <- if (row[["over"]] > 0) {
    paste0("too dear: ", percent(row[["p_budget"]]), " stay within the budget, ", asked, " asked; ",
           format_money(row[["over"]], row[["currency"]]), " more would do")
  }
  paste(c(late, dear), collapse = "; ")
}

# The smallest change that would let an option in, when none fits.
nearest_sentence <- function(table, choice) {
  # One change alone lets these in.
  in_time <- which(!table[["both_miss"]] & table[["over"]] > 0 & is.finite(table[["over"]]))
  in_budget <- which(!table[["both_miss"]] & table[["late_s"]] > 0 & is.finite(table[["late_s"]]))
  with_money <- if (length(in_time)) in_time[which.min(table[["over"]][in_time])]
  with_time <- if (length(in_budget)) in_budget[which.min(table[["late_s"]][in_budget])]
  ways <- c(
    if (length(with_money)) paste0(format_money(table[["over"]][with_money], table[["currency"]][1]),
                                   " more budget lets in ", table[["option"]][with_money]),
    if (length(with_time)) paste0("a deadline ", format_duration(table[["late_s"]][with_time]), " later lets in ",
                                  table[["option"]][with_time])
  )
  if (length(ways)) return(paste(ways, collapse = "; "))
  near <- table[match(nearest_option(table), table[["option"]]), ]
  paste0("every option is both too late and too dear; nearest is ", near[["option"]], ", with a deadline ",
         format_duration(near[["late_s"]]), " later and ", format_money(near[["over"]], near[["currency"]]), " more")
}

# How the pick's time and cost come about: the arithmetic of its medians, and what it rests on.
pick_arithmetic <- function(choice) {
  i <- match(choice$pick, choice$options[["option"]])
  option <- as.list(as_frame(choice$forecast$options)[i, , drop = FALSE])
  job <- option_job(choice$forecast$options, i)
  c(time = time_sentence(choice, i, option, job), cost = cost_sentence(choice, i, option, job),
    evidence = evidence_sentence(choice, i, option, job))
}

time_sentence <- function(choice, i, option, job) {
  d <- option_rows(choice$forecast, i)
  frames <- sum(vapply(job$shots, function(shot) length(shot$frames), 0L))
  total <- sum(vapply(job$curves, function(curve) total_time(curve)[["median"]], 0)) * exp(job$time_share[["log"]])
  per_node <- total / frames * exp(-option$log_speed - job$time_share[["log"]])
  stages <- vapply(stage_columns, function(name) stats::median(d[[name]]), 0)
  named <- c(prepare_s = "packing", upload_s = "sending", wait_s = "waiting", start_s = "starting",
             prepass_s = "the pre-pass", closed_s = "closed hours", download_s = "the way home", encode_s = "encoding")
  other <- stages[names(named)]
  other <- other[other >= 0.5]
  paste0(
    frames, " frames at ", format_duration(per_node), " each on a node there (", format_duration(total / frames),
    " on ", job$node, ", divided by a speed of ", number_text(exp(option$log_speed + job$time_share[["log"]])),
    ") are ",
    format_duration(per_node * frames), " of one node, so ", format_duration(stages[["render_s"]]), " on ",
    option$nodes, if (option$nodes == 1) " node" else " nodes",
    if (length(other)) paste0("; with ", paste(named[names(other)], format_duration(other), collapse = ", ")),
    if (option$begin_s > 0) paste0(", begun ", option$start, " (", format_duration(option$begin_s), " from now)"),
    ": ", format_duration(stats::median(d[["finish_s"]])),
    " (medians; 10 % are done by ", format_duration(quantile_of(d[["finish_s"]], 0.1)), ", 90 % by ",
    format_duration(quantile_of(d[["finish_s"]], 0.9)), ")"
  )
}

quantile_of <- function(x, p) stats::quantile(x, p, names = FALSE, type = 1)

# The draws of one option.
option_rows <- function(forecast, i) {
  n <- forecast$n
  as_frame(forecast$draws)[(i - 1) * n + seq_len(n), , drop = FALSE]
}

cost_sentence <- function(choice, i, option, job) {
  run <- attr(run_again(choice, i), "run")
  site <- attr(choice$forecast$options, "sites")[[option$site]]
  there <- run$currency
  lines <- apply(run$lines, 1, stats::median)
  lines <- lines[lines > 0]
  d <- as_frame(run$draws)
  mid <- function(name) stats::median(d[[name]])
  extra <- c(if (mid("minimum") > 0) paste("up to the minimum", format_money(mid("minimum"), there)),
             if (mid("discount") > 0) paste("less discounts of", format_money(mid("discount"), there)),
             if (mid("tax") > 0) paste("tax", format_money(mid("tax"), there)),
             if (mid("credit") - mid("prepaid") > 0) paste("less gifts of", format_money(mid("credit") - mid("prepaid"),
                                                                                        there)))
  rate <- rate_to(site, job$currency, job$rates)$rate
  about <- function(amount) format_about(amount, choice$options[["cost_se"]][i], job$currency)
  paste0(number_text(mid("node_hours")), " node-hours; ",
         paste(names(lines), format_about(unname(lines), choice$options[["cost_se"]][i] / rate, there),
               collapse = ", "),
         if (length(extra)) paste0("; ", paste(extra, collapse = ", ")),
         if (there != job$currency) paste0("; times ", signif(rate, 6), " ", job$currency, " a ", there), ": ",
         about(choice$options[["cost_p50"]][i]), " (medians; 10 % cost under ", about(choice$options[["cost_p10"]][i]),
         ", 10 % over ", about(choice$options[["cost_p90"]][i]), ")")
}

# The option simulated once more, with every frame's way home and every charge kept.
run_again <- function(choice, i) {
  forecast <- choice$forecast
  job <- option_job(forecast$options, i)
  option <- as.list(as_frame(forecast$options)[i, , drop = FALSE])
  simulate_option(job, option, attr(forecast$options, "sites")[[option$site]],
                  frame_draws(job, kept_draws(job, forecast$n), forecast$seed), forecast$seed, forecast$made_at,
                  keep = TRUE)
}

evidence_sentence <- function(choice, i, option, job) {
  site <- attr(choice$forecast$options, "sites")[[option$site]]
  tier <- site$tiers[[match(option$tier, vapply(site$tiers, `[[`, "", "tier"))]]
  stages <- site_stages(job, site, tier, choice$forecast$made_at, option$begin_s)
  basis <- vapply(stages, `[[`, "", "basis")
  assumed <- names(stages)[basis == "assumed"]
  paste0("frame times ", evidence_line(job), "; speed ", option$evidence, " (", option$speed_from, ")",
         if (length(assumed)) {
           paste0("; assumed, since nobody timed it: ", paste0(assumed, " ", vapply(stages[assumed], stage_range, ""),
                                                               collapse = ", "))
         }, job_unseen(job))
}

# What the probes of the shot with fewest cannot see, and what a pass over all its frames at an eighth of the size (a
# 64th of the computing, and every frame's loading) would cost.
job_unseen <- function(job) {
  open <- Filter(function(k) !length(job$curves[[k]]$cheap) && length(job$curves[[k]]$design), seq_along(job$curves))
  if (!length(open)) return(NULL)
  worst <- open[which.min(vapply(job$curves[open], function(curve) length(curve$frame), 0L))]
  curve <- job$curves[[worst]]
  loads <- job$evidence[["load_s"]]
  load <- if (all(is.na(loads))) 0 else mean(loads, na.rm = TRUE)
  total <- total_time(curve)[["median"]]
  cost <- max(total - load * length(curve$frames), 0) / 64 + load * length(curve$frames)
  name <- job$shots[[worst]]$shot
  paste0("; ", name, ": ", unseen_words(curve, cost), " (clockpigeon probe ", name, " --cheap yes)")
}

stage_range <- function(stage) {
  s <- varying(stage$time, "time")
  paste0(format_duration(s[1]), " (one in ten over ", format_duration(s[1] * exp(s[2] * stats::qnorm(0.9))), ")")
}
