# The choice in sentences.

#' Explain a choice
#'
#' @param choice From [choose_option()].
#' @return Character vector: first what was picked and why, then one sentence for each other option, in the order of
#'   the options. Names are the options.
#' @section Conditions: `clockpigeon_error_type` when `choice` is no choice.
#' @examples
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(job, plan_options(job, project$sites), draws = 200)
#' explain(choose_option(forecast, deadline = "10 h", budget = "400 EUR"))
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
  c(out[table[["pick"]]], out[!table[["pick"]]])
}

pick_sentence <- function(row, choice) {
  currency <- row[["currency"]]
  chances <- c(
    if (is.finite(choice$deadline_s)) paste(percent(row[["p_deadline"]]), "of draws finish by the deadline"),
    if (is.finite(choice$budget)) paste(percent(row[["p_budget"]]), "stay within the budget")
  )
  paste0("the ", choice$prefer, " that fits", if (length(chances)) paste0(" (", paste(chances, collapse = ", "), ")"),
         "; medians ", format_duration(row[["finish_p50"]]), " and ", format_money(row[["cost_p50"]], currency))
}

other_sentence <- function(row, choice) {
  pick <- as_frame(choice$options)
  pick <- pick[pick[["pick"]], ]
  paste0("fits too; ", difference(row[["cost_p50"]] - pick[["cost_p50"]], "dearer", "cheaper",
                                  function(x) format_money(x, row[["currency"]])), " and ",
         difference(row[["finish_p50"]] - pick[["finish_p50"]], "later", "sooner", format_duration), " than the pick")
}

difference <- function(x, more, less, format) {
  if (x > 0) paste(format(x), more) else if (x < 0) paste(format(-x), less) else paste("neither", more, "nor", less)
}

miss_sentence <- function(row, choice) {
  asked <- percent(choice$confidence)
  late <- if (row[["late_s"]] > 0) {
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
  in_time <- which(table[["late_s"]] == 0)
  in_budget <- which(table[["over"]] == 0)
  with_money <- if (length(in_time)) in_time[which.min(table[["over"]][in_time])]
  with_time <- if (length(in_budget)) in_budget[which.min(table[["late_s"]][in_budget])]
  ways <- c(
    if (length(with_money)) paste0(format_money(table[["over"]][with_money], table[["currency"]][1]),
                                   " more budget lets in ", table[["option"]][with_money]),
    if (length(with_time)) paste0("a deadline ", format_duration(table[["late_s"]][with_time]), " later lets in ",
                                  table[["option"]][with_time])
  )
  if (!length(ways)) return("every option is both too late and too dear: ask for less, later or with more money")
  paste(ways, collapse = "; ")
}
