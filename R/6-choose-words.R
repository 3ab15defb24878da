# A decision in words: the one place that turns its codes and numbers into sentences, for terminal,
# report and record.

#' Explain a choice
#'
#' @param choice From [choose_option()].
#' @return Character vector, fit to be pasted into a mail: first what was picked and why, under the
#'   option's name; then `time` and `cost`, how they come about, with the arithmetic, and
#'   `evidence`, what they rest on; then one sentence for each other option, in the order of the
#'   options, under its name.
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites), draws = 200)
#' explain(choose_option(forecast, deadline = "30 h", budget = "400 EUR"))
#' @export
explain <- function(choice) {
  check_class(choice, argument("choice"), "cp_choice", "choose_option()")
  table <- as_frame(choice$options)
  reasons <- as_frame(choice$reasons)
  out <- vapply(seq_len(nrow(table)), function(i) {
    codes <- reasons[["code"]][reasons[["option"]] == table[["option"]][i]]
    paste(vapply(codes, function(code) reason_words[[code]](table[i, ], choice), ""),
          collapse = "; ")
  }, "")
  names(out) <- table[["option"]]
  if (is.na(choice$pick)) return(c("no option fits" = nearest_sentence(table, choice), out))
  how <- if (has_curves(choice$forecast$scenario)) pick_arithmetic(choice)
  c(out[table[["pick"]]], how, out[!table[["pick"]]])
}

# The question, in one sentence.
question_words <- function(choice) {
  scenario <- choice$forecast$scenario
  job <- main_job(scenario)
  deadline <- if (is.finite(choice$deadline_s)) {
    paste0(" by ", format_moment(scenario$now + choice$deadline_s, scenario$time_zone), ", in ",
           format_duration(choice$deadline_s))
  }
  budget <- if (is.finite(choice$budget))
    paste(" for at most", format_money(choice$budget, scenario$currency))
  done <- first_of(job$done, 0)
  chance <- paste0(if (!choice$together && length(deadline) && length(budget)) "each ",
                   format_percent(choice$confidence), " likely")
  limits <- if (length(c(deadline, budget))) paste0(deadline, budget, ", ", chance)
            else ", no deadline and no budget"
  paste0(if (done) paste0(whole_number(done), " of ", whole_number(done + job_frames(job)),
                          " frames are finished. The other "),
         whole_number(job_frames(job)), " frames", limits, "; ", rule_words[[choice$rule]], ":")
}

rule_words <- c(cheapest = "the cheapest plan", fastest = "the fastest plan",
                best = "the best quality")

# Warnings, one sentence a code.
warning_words <- function(choice) {
  about <- function(code) choice$warnings[["about"]][choice$warnings[["code"]] == code]
  speeds <- unlist(lapply(c("claimed", "assumed"), function(basis) {
    sites <- about(paste0(basis, "_speed"))
    if (length(sites)) paste(basis, "for", toString(sites))
  }))
  c(if (length(about("stale_card"))) {
      c(stale_card =
        paste0("Warning: changed since the forecast, so forecast again: the rate card of ",
               toString(about("stale_card")), "."))
    },
    if (length(speeds)) {
      c(speed = paste0("Warning: the plan rests on a speed that is ",
                       paste(speeds, collapse = " and "),
                       ", not measured. Value of a trial: clockpigeon choose --test-frames 3."))
    })
}

# A chance with its standard error for this number of draws.
chance_text <- function(p, se) {
  paste0(format_percent(p), ifelse(p > 0 & p < 1,
                                   paste0(" (+-", formatC(100 * 2 * se, format = "f", digits = 1),
                                          ")"),
                                   ""))
}

# Chances that an option keeps the deadline, the budget, or both, as far as these are limits.
limit_chances <- function(row, choice) {
  said <- function(limit, words)
    paste(chance_text(row[[paste0("p_", limit)]], row[[paste0("p_", limit, "_se")]]), words)
  timed <- is.finite(choice$deadline_s)
  priced <- is.finite(choice$budget)
  if (timed && priced && choice$together)
    return(said("both", "within deadline and budget"))
  c(if (timed) said("deadline", "on time"),
    if (priced) said("budget", "within budget"),
    if (timed && priced) said("both", "both"))
}

# The picked option as a sentence, with its chances.
pick_sentence <- function(row, choice) {
  currency <- row[["currency"]]
  chances <- limit_chances(row, choice)
  paste0("the ", choice$rule, " that fits",
         if (length(chances)) paste0(" (", paste(chances, collapse = ", "), ")"), "; median ",
         format_duration(row[["finish_p50"]]), " and ",
         format_about(row[["cost_p50"]], row[["cost_se"]], currency),
         if (row[["close"]])
         paste0("; close to the required ", format_percent(choice$confidence),
                ": more draws could change the choice"),
         usable_words(row))
}

# Frames that do not come back usable are part of every cost.
usable_words <- function(row) {
  if (!isTRUE(row[["usable"]] < 1)) return("")
  paste0("; ", format_percent(row[["usable"]]), " of the frames are usable, at ",
         format_money(row[["cost_per_usable"]], row[["currency"]]),
         " each; all frames would cost ", format_money(row[["cost_whole"]], row[["currency"]]))
}

other_sentence <- function(row, choice) {
  pick <- as_frame(choice$options)
  pick <- pick[pick[["pick"]], ]
  quality <- if (isTRUE(row[["noise"]] != pick[["noise"]])) {
    paste0(", with ", formatC(row[["noise"]] / pick[["noise"]], format = "f", digits = 2),
           " times its noise")
  }
  paste0("fits too; ", difference_text(row[["cost_p50"]] - pick[["cost_p50"]], "more", "less",
                                       function(x) format_money(x, row[["currency"]])), " and ",
         difference_text(row[["finish_p50"]] - pick[["finish_p50"]], "later", "sooner",
                         format_duration),
         " than the pick",
         quality)
}

difference_text <- function(x, more, less, format) {
  if (isTRUE(x > 0)) paste(format(x), more) else if (isTRUE(x < 0)) paste(format(-x), less)
  else paste("neither", more, "nor", less)
}

not_both_sentence <- function(row, choice) {
  paste0("on time ", format_percent(row[["p_deadline"]]), ", within budget ",
         format_percent(row[["p_budget"]]), ", but both only ",
         format_percent(row[["p_both"]]), " (required: ", format_percent(choice$confidence),
         "); would fit with ", format_duration(row[["late_s"]]), " more time or ",
         format_money(row[["over"]], row[["currency"]]), " more budget")
}

unfinished_sentence <- function(row, choice) {
  paste0("does not finish: only ", format_percent(row[["p_deadline"]]), " of draws do (required: ",
         format_percent(choice$confidence), ")", usable_words(row))
}

late_sentence <- function(row, choice) {
  paste0("too late: on time ", format_percent(row[["p_deadline"]]), " (required: ",
         format_percent(choice$confidence), "); would fit with ",
         format_duration(row[["late_s"]]), " more time")
}

dear_sentence <- function(row, choice) {
  paste0("too expensive: within budget ", format_percent(row[["p_budget"]]), " (required: ",
         format_percent(choice$confidence), "); would fit with ",
         format_money(row[["over"]], row[["currency"]]), " more budget")
}

reason_words <- list(pick = pick_sentence, fits = other_sentence, not_both = not_both_sentence,
                     unfinished = unfinished_sentence, late = late_sentence, dear = dear_sentence)

# The smallest change that would let an option in, when none fits.
nearest_sentence <- function(table, choice) {
  # One change alone lets these in.
  in_time <- which(!table[["both_miss"]] & table[["over"]] > 0 & is.finite(table[["over"]]))
  in_budget <- which(!table[["both_miss"]] & table[["late_s"]] > 0 & is.finite(table[["late_s"]]))
  with_money <- if (length(in_time)) in_time[which.min(table[["over"]][in_time])]
  with_time <- if (length(in_budget)) in_budget[which.min(table[["late_s"]][in_budget])]
  ways <- c(
    if (length(with_money))
    paste0(format_money(table[["over"]][with_money], table[["currency"]][1]),
           " more budget would admit ", table[["option"]][with_money]),
    if (length(with_time))
    paste0("a deadline ", format_duration(table[["late_s"]][with_time]), " later would admit ",
           table[["option"]][with_time])
  )
  if (length(ways)) return(paste(ways, collapse = "; "))
  near <- table[match(nearest_option(table), table[["option"]]), ]
  paste0("every option is too late and too expensive; the nearest is ", near[["option"]],
         ", with ", format_duration(near[["late_s"]]), " more time and ",
         format_money(near[["over"]], near[["currency"]]), " more budget")
}

# How the pick's time and cost come about: the arithmetic of its medians, and what it rests on.
pick_arithmetic <- function(choice) {
  i <- match(choice$pick, choice$options[["option"]])
  it <- option_of(choice$forecast$scenario, i)
  c(time = time_sentence(choice, i, it), cost = cost_sentence(choice, i),
    evidence = evidence_sentence(choice, it))
}

stage_names <- c(prepare_s = "packing", upload_s = "uploading", wait_s = "waiting",
                 start_s = "starting", prepass_s = "the pre-pass", closed_s = "closed hours",
                 download_s = "downloading", encode_s = "encoding")

# When a job finishes, as a sentence with its range and its deadline.
time_sentence <- function(choice, i, it) {
  d <- option_rows(choice$forecast, i)
  job <- it$job_of
  frames <- job_frames(job)
  share <- job$time_share[["log"]]
  total <- sum(vapply(job_totals(choice$forecast, job), `[[`, 0, "median")) * exp(share)
  per_node <- total / frames * exp(-it$log_speed - share)
  stages <- vapply(stage_columns, function(name) stats::median(d[[name]]), 0)
  other <- stages[names(stage_names)]
  other <- other[other >= 0.5]
  paste0(
    frames, " frames at ", format_duration(per_node), " each on a node there (",
    format_duration(total / frames), " on ", job$node, ", divided by a speed of ",
    number_text(exp(it$log_speed + share)), ") are ", format_duration(per_node * frames),
    " of one node, so ", format_duration(stages[["render_s"]]), " on ", it$nodes,
    if (it$nodes == 1) " node" else " nodes",
    if (length(other))
    paste0("; with ", paste(stage_names[names(other)], format_duration(other), collapse = ", ")),
    if (it$begin_s > 0)
    paste0(", begun ", it$start, " (", format_duration(it$begin_s), " from now)"), ": ",
    format_duration(stats::median(d[["finish_s"]])), " (medians; 10 % are done by ",
    format_duration(quantile_of(d[["finish_s"]], 0.1)), ", 90 % by ",
    format_duration(quantile_of(d[["finish_s"]], 0.9)), ")"
  )
}

extra_names <- c(minimum = "up to the minimum", discount = "less discounts of", tax = "tax",
                 gifts = "less gifts of")

# Cost of a job as a sentence with its range and its budget.
cost_sentence <- function(choice, i) {
  run <- option_run(choice$forecast, i)
  row <- as_frame(choice$options)[i, ]
  there <- run$currency
  lines <- run$lines[run$lines$median > 0, , drop = FALSE]
  extra <- run$extra[run$extra$median > 0, , drop = FALSE]
  about <- function(amount) format_about(amount, row[["cost_se"]], row[["currency"]])
  paste0(number_text(run$node_hours), " node-hours; ",
         paste(lines$item, format_about(lines$median, row[["cost_se"]] / run$rate, there),
               collapse = ", "),
         if (nrow(extra))
         paste0("; ", paste(extra_names[extra$item], format_money(extra$median, there),
                            collapse = ", ")),
         if (there != row[["currency"]]) {
           paste0("; times ", signif(run$rate, 6), " ", row[["currency"]], " a ", there)
         },
         ": ", about(row[["cost_p50"]]), " (medians; 10 % cost under ", about(row[["cost_p10"]]),
         ", 10 % over ", about(row[["cost_p90"]]), ")")
}

evidence_sentence <- function(choice, it) {
  assumed <- untimed_stages(it, choice$forecast$scenario$now)
  paste0("frame times ", evidence_line(it$job_of), "; speed ", it$evidence, " (", it$speed_from,
         ")", if (length(assumed)) {
           paste0("; assumed, not measured: ",
                  paste0(names(assumed), " ", vapply(assumed, stage_range, ""),
                         collapse = ", "))
         }, job_unseen(it$job_of, job_totals(choice$forecast, it$job_of)))
}

# Blind spots of the probes of the shot with fewest, and the price of a pass over all its frames at
# an eighth of the size (a 64th of the computing, and every frame's loading).
job_unseen <- function(job, totals) {
  open <- Filter(function(k) !length(job$curves[[k]]$cheap) && length(job$curves[[k]]$design),
                 seq_along(job$curves))
  if (!length(open)) return(NULL)
  worst <- open[which.min(vapply(job$curves[open], function(curve) length(curve$frame), 0L))]
  curve <- job$curves[[worst]]
  loads <- job$evidence[["load_s"]]
  load <- if (all(is.na(loads))) 0 else mean(loads, na.rm = TRUE)
  total <- totals[[worst]][["median"]]
  cost <- max(total - load * length(curve$frames), 0) / 64 + load * length(curve$frames)
  name <- job$shots[[worst]]$shot
  paste0("; ", name, ": ", unseen_words(curve, cost), " (clockpigeon probe ", name, " --cheap yes)")
}

stage_range <- function(stage) {
  s <- varying_time(stage$time, "time")
  paste0(format_duration(s[1]), " (one in ten over ",
         format_duration(s[1] * exp(s[2] * stats::qnorm(0.9))), ")")
}

# Changes of the pick, one sentence per row of break_even().
change_sentences <- function(rows, currency) {
  vapply(seq_len(nrow(rows)), function(k) {
    x <- rows[k, ]
    then <- if (is.na(x$wins)) "no option fits" else paste("the pick is", x$wins)
    less <- x$direction == "less"
    if (x$what == "deadline") {
      return(paste0("With a deadline ", if (less) "before " else "from ", format_duration(x$at),
                    " from now", if (!less) " on", " ", then, "."))
    }
    if (x$what == "budget") {
      return(paste0("With a budget ", if (less) "below " else "from ", format_money(x$at, currency),
                    if (!less) " on", " ", then, "."))
    }
    how <- switch(x$what, price = paste0("at ", factor_text(x$factor), " times the prices of ",
                                         x$of),
                  speed = paste0("at ", factor_text(x$factor), " times the speed of ", x$of),
                  waiting = paste0("with ", format_duration(x$at), " more of waiting at ", x$of))
    paste0("The pick changes ", how, ": then ",
           if (is.na(x$wins)) "no option fits" else paste("it is", x$wins), ".")
  }, "")
}

factor_text <- function(x) number_text(x, if (x < 0.1) 3 else 2)

# Other options, one sentence per row of worth_tests().
worth_sentences <- function(rows, choice) {
  currency <- choice$forecast$scenario$currency
  vapply(seq_len(nrow(rows)), function(k) {
    x <- rows[k, ]
    noise <- if (x$test == "limit")
      sprintf(", with %.2f times the noise (one over the root of the samples)", x$noise)
    paste0(x$change, " ", saved_money(x$saves, currency), " and ", saved_time(x$saves_s), noise,
           ": ", worth_verdict(x, choice$pick))
  }, "")
}

saved_money <- function(saves, currency) {
  if (saves == 0) return("costs the same")
  if (saves > 0) return(paste("saves", format_money(saves, currency)))
  paste("costs", format_money(-saves, currency), "more")
}

saved_time <- function(saves_s) {
  if (is.na(saves_s) || abs(saves_s) < 0.5) return("ends as early")
  paste("ends", format_duration(abs(saves_s)), if (saves_s > 0) "sooner" else "later")
}

worth_verdict <- function(x, pick) {
  if (!x$fits) return("it would not fit.")
  if (is.na(pick)) return("it would fit.")
  if (x$saves > 0 || x$saves_s > 0 && x$saves >= 0) "worth a thought." else "not worth it."
}

# Value of a trial, one sentence per row of trial_value(). `results`: how many of its results were
# examined.
trial_sentences <- function(rows, currency, results) {
  vapply(seq_len(nrow(rows)), function(k) {
    x <- rows[k, ]
    paste0(
      x$frames, if (x$frames == 1) " frame" else " frames", " at ", x$site, " (speed ", x$evidence,
      ") cost ", format_money(x$price, currency), " and take ", format_duration(x$takes_s), ". ",
      if (x$overturns == 0) {
        paste0("No result of theirs would change the plan (below ", format_percent(1 / results),
               "): not worth it.")
      } else paste0("With a chance of ", format_percent(x$overturns),
                    " they change the plan, most likely to ", x$wins, "; on average they save ",
                    format_money(x$saves, currency), ": ",
                    if (x$worth) "worth it." else "not worth it.")
    )
  }, "")
}
