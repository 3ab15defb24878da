# Print methods: one header line with counts, a body, and what was hidden.

show_lines <- function(...) cat(unlist(list(...)), sep = "\n")

comparison_lines <- function(x, width = terminal_width()) {
  body <- data.frame(
    scene = ifelse(x[["scene"]] == "all scenes", paste0("all, ", x[["basis"]]), x[["scene"]]),
    "mean time|old" = format_duration(x[["old_s"]]), "mean time|new" = format_duration(x[["new_s"]]),
    ratio = number_text(x[["ratio"]]), interval = range_text(x[["lower"]], x[["upper"]]),
    pairs = as.character(x[["pairs"]]), "time saved" = percent(x[["time_saved"]]), verdict = x[["verdict"]],
    check.names = FALSE
  )
  times <- c("mean time|old", "mean time|new", "pairs", "time saved")
  pair <- paste0(x[["engine"]], ifelse(nzchar(x[["engine"]]), ": ", ""), x[["new"]], " (new) against ", x[["old"]],
                 " (old)")
  notes <- lapply(split(x[["note"]], pair), function(note) unique(unlist(strsplit(rev(note), "; ", fixed = TRUE))))
  common <- Reduce(intersect, notes)
  own <- vapply(notes, function(note) paste(c("", setdiff(note, common)), collapse = "; "), "")
  about <- paste0("Compared by ", factor_label(attr(x, "by")), ": ratio = old time / new time, with its ",
                  percent(attr(x, "level")), " interval; a difference under ", percent(attr(x, "smallest")),
                  " is of no interest.")
  c(
    wrap_lines(c(about, if (length(common)) paste0("Throughout: ", paste(common, collapse = "; "), ".")), width), "",
    text_table(body, right = c("ratio", "interval", times), width = width, spare = c("interval", times),
               sections = paste0(pair, own[pair]))
  )
}

#' @export
print.timing_comparison <- function(x, ...) {
  show_lines(comparison_lines(x))
  invisible(x)
}

#' @export
print.ledger <- function(x, ...) {
  if (is.null(x$con)) show_lines(paste0("Ledger ", short_path(x$path), " (closed)"))
  else {
    rows <- DBI::dbGetQuery(x$con, "SELECT count(*) FROM runs")[[1]]
    show_lines(paste0("Ledger ", short_path(x$path), ": ", rows, " timings"))
  }
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

# Finish times and costs at 10, 50 and 90 %, as texts under two headings.
range_columns <- function(s) {
  points <- c("10 %" = "p10", "50 %" = "p50", "90 %" = "p90")
  part <- function(name, heading, format) {
    stats::setNames(lapply(points, function(p) format(s[[paste0(name, "_", p)]])), paste0(heading, "|", names(points)))
  }
  data.frame(part("finish", "done after", format_duration),
             part("cost", paste0("cost, ", s[["currency"]][1]), format_money), check.names = FALSE)
}

# Which of these columns go first in a narrow terminal: the good luck of 10 %, then the bad.
spare_ranges <- function(columns) c(grep("90 %", columns, value = TRUE), grep("10 %", columns, value = TRUE))

forecast_lines <- function(x, width = terminal_width()) {
  ranges <- range_columns(summary(x))
  frames <- sum(vapply(x$job$shots, function(shot) length(shot$frames), 0L))
  c(
    wrap_lines(paste0("Forecast of ", frames, " frames with ", x$job$engine, " ", x$job$version,
                      ": time from now and cost, as 10 %, 50 % and 90 % points of ", x$n, " draws"), width), "",
    text_table(data.frame(option = x$options[["option"]], ranges, check.names = FALSE), right = names(ranges),
               spare = spare_ranges(names(ranges)), width = width),
    "", wrap_lines(basis_lines(x), width)
  )
}

# What stands under every table of a forecast: what its figures rest on, which sites are left out and why, and the
# exchange rates used.
basis_lines <- function(x) {
  speeds <- unique(as_frame(x$options)[c("site", "speed", "evidence", "speed_from")])
  out <- x$left_out
  c(
    paste0("Frame times: ", evidence_line(x$job)),
    paste0("Speed of a node, ", x$job$node, " = 1: ",
           paste0(speeds[["site"]], " ", number_text(speeds[["speed"]]), ", ", speeds[["evidence"]], " (",
                  speeds[["speed_from"]], ")", collapse = "; ")),
    left_out_lines(out),
    if (!is.null(x$exchange)) {
      sprintf("Exchange: 1 %s = %s %s on %s (%s)", x$exchange[["from"]], signif(x$exchange[["rate"]], 6),
              x$exchange[["to"]], x$exchange[["date"]], x$exchange[["source"]])
    },
    if (length(attr(x$options, "doubts"))) paste0("Doubtful prices: ", attr(x$options, "doubts"))
  )
}

# Sites left out, those with one reason on one line.
left_out_lines <- function(out) {
  groups <- split(out[["site"]], factor(out[["reason"]], unique(out[["reason"]])))
  if (length(groups)) paste0("Left out: ", vapply(groups, toString, ""), ": ", names(groups))
}

#' @export
print.forecast <- function(x, ...) {
  show_lines(forecast_lines(x))
  invisible(x)
}

choice_lines <- function(x, width = terminal_width()) {
  table <- as_frame(x$options)
  ranges <- range_columns(table)
  body <- data.frame(
    " " = ifelse(table[["pick"]], ">", ifelse(table[["fits"]], "+", " ")), option = table[["option"]],
    "chance|in time" = percent(table[["p_deadline"]]), "chance|in budget" = percent(table[["p_budget"]]),
    ranges, check.names = FALSE
  )
  if (is.infinite(x$deadline_s)) body[["chance|in time"]] <- NULL
  if (is.infinite(x$budget)) body[["chance|in budget"]] <- NULL
  reasons <- explain(x)
  reasons <- lapply(paste0(names(reasons), ": ", reasons), wrap_lines, width = width)
  c(
    wrap_lines(choice_question(x), width), "",
    text_table(body, right = setdiff(names(body), c(" ", "option")), spare = spare_ranges(names(ranges)),
               width = width, mark = which(table[["pick"]])),
    "> the pick   + fits too", "",
    reasons[[1]], "", unlist(reasons[-1]), if (length(reasons) > 1) "", wrap_lines(basis_lines(x$forecast), width)
  )
}

choice_question <- function(x) {
  deadline <- if (is.finite(x$deadline_s)) paste("done within", format_duration(x$deadline_s)) else "no deadline"
  budget <- if (is.finite(x$budget)) paste("at most", format_money(x$budget, x$forecast$job$currency)) else "no budget"
  paste0("Asked: ", deadline, ", ", budget, ", each with a chance of ", percent(x$confidence), "; the ", x$prefer,
         " of what fits.")
}

#' @export
print.choice <- function(x, ...) {
  show_lines(choice_lines(x))
  invisible(x)
}
