# A week of jobs as text and as a figure.

#' @export
print.cp_chosen_week <- function(x, ...) {
  show_lines(week_lines(x))
  invisible(x)
}

# A planned week as a table, with late jobs and what more nodes would bring.
week_lines <- function(x, width = terminal_width()) {
  rows <- week_table(x)
  kept <- rows[rows[["kept"]], , drop = FALSE]
  when <- function(seconds) ifelse(is.na(seconds), "", clock_text(x$now + seconds, x$time_zone))
  body <- data.frame(
    job = kept[["job"]], plan = kept[["where"]], finish = when(kept[["p50"]]),
    "90 % by" = when(kept[["p90"]]), deadline = when(kept[["deadline_s"]]),
    likely = format_percent(kept[["chance"]]), cost = number_text(kept[["cost"]]),
    check.names = FALSE
  )
  names(body)[7] <- paste0("cost, ", x$currency)
  c(
    wrap_lines(week_answer(x), width), "",
    if (nrow(kept))
    text_table(body, right = names(body)[3:7], width = width),
    if (NROW(x$running)) c("", wrap_lines(running_job_words(x), width)),
    if (length(x$placed)) c("", wrap_lines(placed_words(x$placed), width)),
    if (NROW(x$late)) c("", wrap_lines(late_words(x), width)),
    "", wrap_lines(more_words(x), width)
  )
}

# One row per job, in the order of the plan: those that fit, then the others.
week_table <- function(x) {
  week <- x$week
  at <- c(week$plan$order, setdiff(seq_along(week$jobs), week$plan$order))
  judged <- as_frame(week$judged)[at, , drop = FALSE]
  jobs <- week$jobs[at]
  of_way <- function(field) {
    vapply(seq_along(jobs), function(k) {
      if (judged[["way"]][k]) jobs[[k]]$ways[[judged[["way"]][k]]][[field]] else NA_character_
    }, "")
  }
  data.frame(judged[c("job", "chance", "p50", "p90", "cost")], where = of_way("name"),
             kind = of_way("kind"), deadline_s = vapply(jobs, `[[`, 0, "deadline_s"),
             confidence = vapply(jobs, `[[`, 0, "confidence"), kept = judged[["way"]] > 0,
             row.names = NULL)
}

# The rows of a week in which there is nothing to plan.
no_week_rows <- data.frame(job = character(), chance = numeric(), p50 = numeric(), p90 = numeric(),
                           cost = numeric(), where = character(), kind = character(),
                           deadline_s = numeric(), confidence = numeric(), kept = logical())

week_answer <- function(x) {
  n <- length(x$week$jobs)
  paste0(x$week$kept, " of ", n, if (n == 1) " job " else " jobs ",
         if (x$week$kept == 1) "keeps its" else "keep their", " limits, for ",
         format_money(x$week$cost, x$currency), " on average.",
         if (x$week$kept > 0) " On own nodes, render in this order.", near_words(x))
}

# Jobs that hardly miss what they ask, on draws that they were not planned on.
near_words <- function(x) {
  rows <- week_table(x)
  near <- rows[rows[["kept"]] & rows[["chance"]] < rows[["confidence"]] - 1e-9, , drop = FALSE]
  if (nrow(near))
    paste0(" Just below the requirement: ",
           paste0(near[["job"]], " ", format_percent(near[["chance"]]), " of ",
                               format_percent(near[["confidence"]]), collapse = ", "), ".")
}

# Placed jobs, which come before all of it.
running_job_words <- function(x) {
  until <- x$running[["until_s"]]
  nodes <- x$running[["nodes"]]
  paste0("Running first: ", x$running[["job"]], " at ", x$running[["site"]],
         " on ", nodes, ifelse(nodes == 1, " node", " nodes"),
         ifelse(is.finite(until),
                paste0(" until about ", clock_text(x$now + pmin(until, 1e9), x$time_zone), "."),
                ", end unknown."))
}

# Job files that are left out; `placed`: the jobs that were placed for them, by the files' names.
placed_words <- function(placed) {
  paste0("Already placed: ", toString(ifelse(names(placed) == placed, placed,
                                                     paste0(names(placed), " (as ", placed, ")"))),
         ". To plan a placed job again, name it.")
}

late_words <- function(x) {
  due <- stats::setNames(vapply(x$week$jobs, `[[`, 0, "deadline_s"),
                         vapply(x$week$jobs, `[[`, "", "job"))
  at <- x$late[["at_s"]]
  paste0("Misses its limits: ", x$late[["job"]], ". ", ifelse(
    is.finite(at), paste0("Earliest finish with its confidence: ",
                          clock_text(x$now + pmin(at, 1e9), x$time_zone), " (", x$late[["by"]],
                          "), ", format_duration(pmax(at - due[x$late[["job"]]], 0)),
                          " after its deadline. Move the deadline, or decline the job."),
    "No option fits its budget. Raise the budget, or decline the job."
  ))
}

more_words <- function(x) {
  more <- x$more
  if (!NROW(more)) return("No job can run on your own nodes.")
  gain <- more[["kept"]] - more[["kept_now"]]
  saves <- more[["cost_now"]] - more[["cost"]]
  paste0("One more node at ", more[["pool"]], ": ", ifelse(
    gain > 0, paste0(more[["kept"]], " jobs kept instead of ", more[["kept_now"]], ", for ",
                     format_money(more[["cost"]], x$currency), "."),
    ifelse(saves > 0.005, paste0("saves ", format_money(pmax(saves, 0), x$currency), " this week."),
           "brings nothing this week.")
  ))
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_chosen_week <- function(object, ...) { # nolint: object_name_linter.
  rows <- week_table(object)
  rows[["job"]] <- factor(rows[["job"]], rev(rows[["job"]]))
  begun <- week_begins(object$week$plan, object$week$jobs, object$week$pools)
  rows[["from"]] <- begun[match(rows[["job"]], vapply(object$week$jobs, `[[`, "", "job"))]
  rows[["drawn"]] <- ifelse(rows[["kind"]] %in% "own", "own nodes", "sent out")
  rows[["label"]] <- paste0(rows[["where"]], ", ", format_percent(rows[["chance"]]))
  shown <- rows[rows[["kept"]], , drop = FALSE]
  title <- sub(" with the chance.*$", "", week_answer(object))
  days <- even_ticks(range(0, rows[["deadline_s"]], shown[["p90"]]))
  ggplot2::ggplot(shown, ggplot2::aes(y = .data[["job"]])) +
    ggplot2::geom_segment(ggplot2::aes(x = .data[["from"]], xend = .data[["p50"]],
                                       yend = .data[["job"]], colour = .data[["drawn"]],
                                       linetype = .data[["drawn"]]), linewidth = 5) +
    ggplot2::geom_segment(ggplot2::aes(x = .data[["p50"]], xend = .data[["p90"]],
                                       yend = .data[["job"]])) +
    ggplot2::geom_point(data = rows, ggplot2::aes(x = .data[["deadline_s"]]), shape = 124,
                        size = 7) +
    ggplot2::geom_text(ggplot2::aes(x = .data[["from"]], label = .data[["label"]]), hjust = 0,
                       vjust = -1.9, size = 3.5) +
    ggplot2::scale_colour_manual(values = c("own nodes" = "#0072B2", "sent out" = "#E69F00"),
                                 name = NULL) +
    ggplot2::scale_linetype_manual(values = c("own nodes" = "solid", "sent out" = "41"),
                                   name = NULL) +
    ggplot2::scale_x_continuous(breaks = days,
                                labels = clock_text(object$now + days, object$time_zone),
                                expand = ggplot2::expansion(mult = c(0.02, 0.08))) +
    ggplot2::scale_y_discrete(drop = FALSE) +
    ggplot2::labs(x = NULL, y = NULL, title = title,
                  caption = paste(
                    "Bars: from the start of a job to its median end; lines: to the 90 % point.",
                    "Marks:",
                    "deadlines."),
                  alt = paste0(title, ". Jobs over time, with their deadlines.")) +
    plain_theme()
}
