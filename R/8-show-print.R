# Print methods: one header line with counts, a body, and what was hidden.

show_lines <- function(...) cat(unlist(list(...)), sep = "\n")

comparison_lines <- function(x, width = terminal_width()) {
  body <- data.frame(
    engine = x[["engine"]], scene = ifelse(x[["scene"]] == "all scenes", paste0("all, ", x[["basis"]]), x[["scene"]]),
    old = x[["old"]], new = x[["new"]],
    pairs = as.character(x[["pairs"]]), "old time" = format_duration(x[["old_s"]]),
    "new time" = format_duration(x[["new_s"]]),
    ratio = number_text(x[["ratio"]]), interval = range_text(x[["lower"]], x[["upper"]]),
    "time saved" = percent(x[["time_saved"]]),
    verdict = x[["verdict"]], note = x[["note"]], check.names = FALSE
  )
  if (all(body$note == "")) body$note <- NULL
  one_engine <- length(unique(body$engine)) == 1
  about <- paste0(gsub("_", " ", attr(x, "by")), if (one_engine && nzchar(body$engine[1])) paste0(" (", body$engine[1],
      ")"))
  if (one_engine) body$engine <- NULL
  c(
    paste0("Compared by ", about, ": ratio = old time / new time, with its ", percent(attr(x, "level")),
           " interval; a difference under ",
           percent(attr(x, "smallest")), " is of no interest."), "",
    text_table(body, right = c("pairs", "old time", "new time", "ratio", "interval", "time saved"), width = width,
               spare = c("interval", "old time", "new time", "time saved", "pairs", "note"))
  )
}

#' @export
print.timing_comparison <- function(x, ...) {
  show_lines(comparison_lines(x))
  invisible(x)
}

#' @export
print.frame_curve <- function(x, ...) {
  total <- total_time(x)
  show_lines(
    paste0("Frame curve: ", length(x$frames), " frames (", format_frames(x$frames), "), ", length(x$frame),
           " probed, ", sum(x$runs), " runs"),
    paste0("Total on one node: ", format_duration(total[["mean"]]), ", 80 % interval ",
           format_duration(total[["lower"]]), " to ", format_duration(total[["upper"]]))
  )
  invisible(x)
}

#' @export
print.ledger <- function(x, ...) {
  if (is.null(x$con)) show_lines(paste0("Ledger ", short_path(x$path), " (closed)"))
  else show_lines(paste0("Ledger ", short_path(x$path), ": ",
                         DBI::dbGetQuery(x$con, "SELECT count(*) FROM timings")[[1]], " timings"))
  invisible(x)
}

#' @export
print.job <- function(x, ...) {
  frames <- vapply(x$shots, function(s) length(s$frames), 0L)
  show_lines(
    paste0("Job: ", sum(frames), " frames of ", length(x$shots), if (length(x$shots) == 1) " shot" else " shots",
           " with ", x$engine, " ", x$version),
    paste0("Evidence: ", evidence_line(x))
  )
  invisible(x)
}

# What the frame times of a job rest on, in one line.
evidence_line <- function(job) {
  own <- as_frame(job$evidence)
  own <- own[is.na(own[["site"]]) & own[["node"]] == job$node, , drop = FALSE]
  paste0(nrow(own), " runs of ", nrow(unique(own[c("scene", "frame")])), " frames on ", job$node,
         "; run to run spread ", percent(job$run_sd), " (", job$run_basis, ")",
         if (any(is_sample(own))) paste0("; ", sample_mark))
}

forecast_body <- function(s) {
  money <- function(x) format_money(x)
  body <- data.frame(
    option = s[["option"]], speed = s[["evidence"]], "10 %" = format_duration(s[["finish_p10"]]),
    "50 %" = format_duration(s[["finish_p50"]]),
    "90 %" = format_duration(s[["finish_p90"]]), a = money(s[["cost_p10"]]), b = money(s[["cost_p50"]]),
    c = money(s[["cost_p90"]]), check.names = FALSE
  )
  currency <- s[["currency"]][1]
  names(body) <- c("option", "speed is", paste("done", c("10 %", "50 %", "90 %")),
                   paste(currency, c("10 %", "50 %", "90 %")))
  body
}

forecast_lines <- function(x, width = terminal_width()) {
  s <- summary(x)
  body <- forecast_body(s)
  numbers <- names(body)[-(1:2)]
  c(
    paste0("Forecast of ", sum(vapply(x$job$shots, function(shot) length(shot$frames), 0L)), " frames with ",
           x$job$engine, " ", x$job$version, ": time from now and cost, ",
           x$n, " draws"),
    wrap_lines(paste0("Frame times: ", evidence_line(x$job)), width), "",
    text_table(body, right = numbers, spare = c("speed is", numbers[c(4, 6, 1)]), width = width),
    forecast_notes(x, width)
  )
}

# What stands under every table of a forecast: sites left out, and exchange rates used.
forecast_notes <- function(x, width) {
  out <- x$left_out
  c(if (nrow(out)) wrap_lines(paste0("Left out: ", out[["site"]], ": ", out[["reason"]]), width),
    if (!is.null(x$exchange)) wrap_lines(sprintf("Exchange: 1 %s = %s %s on %s (%s)", x$exchange[["from"]],
                                                 signif(x$exchange[["rate"]], 6), x$exchange[["to"]],
                                                 x$exchange[["date"]], x$exchange[["source"]]), width))
}

#' @export
print.forecast <- function(x, ...) {
  show_lines(forecast_lines(x))
  invisible(x)
}

choice_lines <- function(x, width = terminal_width()) {
  table <- as_frame(x$options)
  body <- data.frame(
    " " = ifelse(table[["pick"]], ">", ifelse(table[["fits"]], "+", " ")), option = table[["option"]],
    "in time" = percent(table[["p_deadline"]]),
    "in budget" = percent(table[["p_budget"]]), forecast_body(table)[-1], check.names = FALSE
  )
  if (is.infinite(x$deadline_s)) body[["in time"]] <- NULL
  if (is.infinite(x$budget)) body[["in budget"]] <- NULL
  numbers <- setdiff(names(body), c(" ", "option", "speed is"))
  reasons <- explain(x)
  c(
    choice_question(x), "",
    text_table(body, right = numbers, spare = c("speed is", grep("10 %|90 %", numbers, value = TRUE)[c(3, 4, 1)]),
               width = width, mark = which(table[["pick"]])),
    "> the pick   + fits too", "",
    wrap_lines(paste0(names(reasons), ": ", reasons), width), forecast_notes(x$forecast, width)
  )
}

choice_question <- function(x) {
  paste0("Asked: ", if (is.finite(x$deadline_s)) paste0("done within ", format_duration(x$deadline_s),
                                                        ", ") else "no deadline, ",
         if (is.finite(x$budget)) paste0("at most ", format_money(x$budget, x$forecast$job$currency),
                                         ", ") else "no budget, ",
         "each with a chance of ", percent(x$confidence), "; the ", x$prefer, " of what fits.")
}

#' @export
print.choice <- function(x, ...) {
  show_lines(choice_lines(x))
  invisible(x)
}
