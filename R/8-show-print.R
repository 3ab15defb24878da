# Print methods: one header line with counts, a body, and what was hidden.

# Texts from files, engines and sites must not move the cursor or write elsewhere.
show_lines <- function(...) cat(printable_text(unlist(list(...))), sep = "\n")

# A comparison as a table with its findings.
comparison_lines <- function(x, width = terminal_width()) {
  body <- data.frame(
    scene = ifelse(x[["scene"]] == "all scenes", paste0("all, ", x[["basis"]]), x[["scene"]]),
    "mean time|old" = format_duration(x[["old_s"]]),
    "mean time|new" = format_duration(x[["new_s"]]),
    ratio = number_text(x[["ratio"]]), interval = range_text(x[["lower"]], x[["upper"]]),
    pairs = as.character(x[["pairs"]]), "time saved" = format_percent(x[["time_saved"]]),
    verdict = x[["verdict"]], check.names = FALSE
  )
  times <- c("mean time|old", "mean time|new", "pairs", "time saved")
  pair <- paste0(x[["engine"]], ifelse(nzchar(x[["engine"]]), ": ", ""), x[["new"]],
                 " (new) against ", x[["old"]], " (old)")
  notes <- lapply(split(x[["note"]], pair),
                  function(note) unique(unlist(strsplit(rev(note), "; ", fixed = TRUE))))
  common <- Reduce(intersect, notes)
  own <- vapply(notes, function(note) paste(c("", setdiff(note, common)), collapse = "; "), "")
  about <- paste0("Compared by ", factor_label(x[["by"]][1]),
                  ": ratio = old time / new time, with its ", format_percent(x[["level"]][1]),
                  " interval; a difference under ", format_percent(x[["smallest"]][1]),
                  " is of no interest.")
  c(
    unlist(lapply(comparison_answer(x), wrap_lines, width = width)), "",
    wrap_lines(c(about, if (length(common))
                 paste0("Throughout: ", paste(common, collapse = "; "), ".")), width), "",
    text_table(body, right = c("ratio", "interval", times), width = width,
               spare = c("interval", times), sections = paste0(pair, own[pair]))
  )
}

# One sentence a pair: over one's own mix of scenes, or all by their work, where there are several.
comparison_answer <- function(x) {
  x <- as_frame(x)
  x <- x[order(match(x[["basis"]], c("own mix", "total work"))), , drop = FALSE]
  first <- x[!duplicated(x[c("engine", "old", "new")]), , drop = FALSE]
  first <- first[order(-first[["ratio"]]), , drop = FALSE]
  name <- paste0(ifelse(nzchar(first[["engine"]]), paste0(first[["engine"]], ": "), ""),
                 first[["new"]])
  over <- ifelse(first[["basis"]] == "own mix", "over your mix of scenes",
                 ifelse(first[["scene"]] == "all scenes", "over all scenes",
                        paste("on", first[["scene"]])))
  slower <- first[["verdict"]] == "slower"
  interval <- ifelse(slower, range_text(1 / first[["upper"]], 1 / first[["lower"]]),
                     range_text(first[["lower"]], first[["upper"]]))
  ratio <- ifelse(slower, 1 / first[["ratio"]], first[["ratio"]])
  how <- ifelse(slower, "times as slow as", "times as fast as")
  ifelse(first[["verdict"]] %in% c("faster", "slower"),
         paste0(name, " is ", number_text(ratio), " ", how, " ", first[["old"]], " ", over, " (",
                format_percent(first[["level"]]), ": ", interval, ")."),
         paste0(name, ": no clear difference to ", first[["old"]], " ", over, " (",
                number_text(first[["ratio"]]), " times as fast, ", format_percent(first[["level"]]),
                ": ", interval, ")."))
}

# Columns of a table that has its own print method.
print_plain <- function(x) {
  class(x) <- setdiff(class(x), c("cp_backtest", "cp_comparison"))
  print(x)
}

#' @export
print.cp_comparison <- function(x, ...) {
  needed <- c("engine", "scene", "old", "new", "ratio", "lower", "upper", "verdict", "basis",
              "note", "by", "level", "smallest")
  if (!all(needed %in% names(x))) return(print_plain(x))
  show_lines(comparison_lines(x))
  invisible(x)
}

#' @export
print.cp_ledger <- function(x, ...) {
  if (is.null(x$con)) show_lines(paste0("Ledger ", short_path(x$path), " (closed)"))
  else {
    rows <- ask_rows(x$con, "SELECT count(*) FROM runs")[[1]]
    show_lines(paste0("Ledger ", short_path(x$path), ": ", rows, " timings"))
  }
  invisible(x)
}

#' @export
print.cp_job <- function(x, ...) {
  show_lines(
    paste0("Job: ", job_frames(x), " frames of ", length(x$shots),
           if (length(x$shots) == 1) " shot" else " shots", " with ", x$engine, " ", x$version),
    paste0("Evidence: ", evidence_line(x))
  )
  invisible(x)
}

# Finish times and costs at 10, 50 and 90 %, as texts under two headings.
range_columns <- function(s) {
  points <- c("10 %" = "p10", "50 %" = "p50", "90 %" = "p90")
  part <- function(name, heading, format) {
    stats::setNames(lapply(points, function(p) format(s[[paste0(name, "_", p)]])),
                    paste0(heading, "|", names(points)))
  }
  data.frame(part("finish", "done after", format_duration),
             part("cost", paste0("cost, ", s[["currency"]][1]),
                  function(x) format_about(x, s[["cost_se"]])),
             check.names = FALSE)
}

# Which of these columns go first in a narrow terminal: the good luck of 10 %, then the bad.
spare_ranges <- function(columns)
  c(grep("90 %", columns, value = TRUE), grep("10 %", columns, value = TRUE))

# A forecast as a table of its options, the non-dominated first.
forecast_lines <- function(x, width = terminal_width(), most = 16) {
  table <- as_frame(summary(x))
  scenario <- x$scenario
  noise <- scenario$options[["noise"]]
  best <- pareto_front(table[["finish_p50"]], table[["cost_p50"]],
                       ifelse(is.na(noise), Inf, noise))
  shown <- utils::head(order(!best, table[["cost_p50"]]), most)
  shown <- shown[order(table[["cost_p50"]][shown], table[["finish_p50"]][shown])]
  ranges <- range_columns(table[shown, ])
  groups <- option_groups(scenario$options, table[["option"]], shown)
  c(
    unlist(lapply(forecast_answer(x, table), wrap_lines, width = width)), "",
    wrap_lines(paste0("Forecast of ", job_frames(main_job(scenario)), " frames with ",
                      engine_words(scenario), ": time from now and cost, as 10 %, 50 %",
                      " and 90 % points of ", x$n, " draws"), width), "",
    text_table(data.frame(" " = ifelse(best[shown], "*", ""), option = groups$names, ranges,
                          evidence = table[["evidence"]][shown], check.names = FALSE),
               sections = groups$sections, right = names(ranges),
               spare = c("evidence", spare_ranges(names(ranges))), width = width),
    wrap_lines("* no other option is faster, cheaper and cleaner"),
    hidden_line(nrow(table) - length(shown)),
    "", wrap_lines(basis_lines(x), width)
  )
}

# The cheapest, the soonest, and what decides between them.
forecast_answer <- function(x, table) {
  ends <- is.finite(table[["finish_p50"]])
  if (!any(ends)) return("No option finishes all frames.")
  say <- function(word, i) {
    at <- by_clock(unlist(table[i, c("finish_p50", "finish_p10", "finish_p90")]), x$scenario)
    paste0(word, ": ", table[["option"]][i], ", ", at[1], " (80 % range ", clock_range(at), "), ",
           format_about(table[["cost_p50"]][i], table[["cost_se"]][i],
                                      table[["currency"]][i]), ".")
  }
  of <- which(ends)
  cheapest <- of[order(table[["cost_p50"]][of], table[["finish_p50"]][of])][1]
  soonest <- of[order(table[["finish_p50"]][of], table[["cost_p50"]][of])][1]
  if (cheapest == soonest) return(say("Cheapest and soonest", cheapest))
  c(say("Cheapest", cheapest), say("Soonest", soonest),
    "To choose by deadline and budget: clockpigeon choose.")
}

# Names without engine and limit, and these as headings, where a table has several.
option_groups <- function(options, names, shown) {
  rows <- as_frame(options)[shown, , drop = FALSE]
  group <- paste0(rows[["engine"]], " ", rows[["version"]], ", ", rows[["limit"]])
  if (length(unique(group)) < 2) return(list(names = names[shown], sections = NULL))
  short <- names[shown]
  for (i in seq_along(short)) {
    for (part in c(paste(rows[["engine"]][i], rows[["version"]][i]), rows[["limit"]][i])) {
      short[i] <- sub(paste0(", ", part), "", short[i], fixed = TRUE)
    }
  }
  list(names = short, sections = group)
}

hidden_line <- function(n) {
  if (n > 0) {
    wrap_lines(paste0("(and ", n, if (n == 1) " option" else " options",
                      " that others beat; all: --format csv)"))
  }
}

engine_words <- function(scenario) {
  jobs <- asked_jobs(scenario)
  paste(vapply(jobs, function(job) {
    paste0(job$engine, " ", job$version, if (length(jobs) > 1) paste0(" at ", job$limit))
  }, ""), collapse = ", ")
}

# Notes under every table of a forecast: the basis of its figures, excluded sites with reasons, and
# the exchange rates used.
basis_lines <- function(x, left_out = TRUE) {
  scenario <- x$scenario
  job <- main_job(scenario)
  speeds <- unique(as_frame(scenario$options)[c("site", "speed", "evidence", "speed_from")])
  speeds <- speeds[!duplicated(speeds[["site"]]), , drop = FALSE]
  unknown <- unknown_words(x)
  told <- function(codes) unname(unknown[names(unknown) %in% codes])
  c(
    paste0("Frame times: ", evidence_line(job)),
    paste0("Speed of a node, ", job$node, " = 1: ",
           paste0(speeds[["site"]], " ", number_text(speeds[["speed"]]), ", ", speeds[["evidence"]],
                  " (", speeds[["speed_from"]], ")", collapse = "; ")),
    told(c("claimed", "stages")), if (left_out) left_out_words(scenario),
    if (!is.null(x$exchange)) {
      sprintf("Exchange: 1 %s = %s %s on %s (%s)", x$exchange[["from"]],
              signif(x$exchange[["rate"]], 6), x$exchange[["to"]], x$exchange[["date"]],
              x$exchange[["source"]])
    },
    told("prices")
  )
}

#' @export
print.cp_scenario <- function(x, ...) {
  options <- as_frame(x$options)
  sites <- table(factor(options[["site"]], unique(options[["site"]])))
  show_lines(
    paste0("Scenario: ", nrow(options), if (nrow(options) == 1) " option" else " options", " for ",
           job_frames(main_job(x)), " frames with ", engine_words(x), ", ", x$pruned,
           " left out as beaten"),
    paste0("Options at ", paste0(names(sites), " ", sites, collapse = ", ")),
    wrap_lines(left_out_words(x)),
    wrap_lines(doubt_words(x))
  )
  invisible(x)
}

#' @export
print.cp_forecast <- function(x, ...) {
  show_lines(forecast_lines(x))
  invisible(x)
}

# The choice in the terminal: the answer, then the plan and its alternatives. `parts`: also why
# (arithmetic and evidence), changes (what would change it; shown if computed), all (every option
# and the excluded sites).
choice_lines <- function(x, width = terminal_width(), parts = character(),
                         changes = kept_changes(x)) {
  answer <- answer_words(x)
  said <- unlist(Map(labelled_lines, answer_heads[names(answer)], answer, 10, width),
                 use.names = FALSE)
  below <- if (!length(parts))
    c("", wrap_lines(paste(c(left_out_words(x$forecast$scenario, reasons = FALSE),
                             "More: --why, --changes."), collapse = " "), width))
  # A screen of 24 lines; a long answer leaves room for fewer rows.
  rows <- min(8, max(3, 24 - length(said) - 1 - 2 - length(below)))
  c(
    wrap_lines(question_words(x), width), "", said, "", answer_table(x, width, rows), below,
    if ("why" %in% parts) why_lines(x, width),
    if ("changes" %in% parts) change_lines(x, width, changes),
    if ("all" %in% parts) all_lines(x, width)
  )
}

answer_table <- function(x, width, most = 8) {
  rows <- answer_rows(x, most)
  scenario <- x$forecast$scenario
  body <- data.frame(
    " " = rows$mark, plan = rows$what, finish = by_clock(rows$p50, scenario),
    "90 % by" = by_clock(rows$p90, scenario), cost = format_about(rows$cost, rows$error),
    chance = format_chance_near(rows$chance, x$confidence), check.names = FALSE
  )
  names(body)[5] <- paste0("cost, ", scenario$currency)
  names(body)[6] <- if (is.infinite(x$budget) && is.finite(x$deadline_s)) "on time" else
    if (is.infinite(x$deadline_s)) "in budget" else "likely"
  text_table(body, right = names(body)[3:6], spare = "90 % by", width = width,
             mark = if (x$plan$fits) 1)
}

why_lines <- function(x, width) {
  reasons <- explain(x)
  table <- as_frame(x$options)
  head <- reasons[!names(reasons) %in% table[["option"]] | names(reasons) %in% x$pick]
  c("", "Reasons:",
    unlist(lapply(paste0(names(head), ": ", head), wrap_lines, width = width)), "",
    wrap_lines(basis_lines(x$forecast, left_out = FALSE), width))
}

change_lines <- function(x, width, changes) {
  titled <- function(title, lines) if (length(lines))
    c("", title, unlist(lapply(lines, wrap_lines, width = width)))
  # Both are about single options.
  beside <- if (x$plan$kind == "one") c("", "") else
    c(" among single options", ", compared with the best single option")
  c(titled(paste0("Changes that would move the pick", beside[1], ":"), changes[["says"]]),
    titled(paste0("Other options", beside[2], ":"), x$kept[["worth"]][["says"]]))
}

# All options of a choice, and the sites that were excluded, as lines.
all_lines <- function(x, width, most = 40) {
  table <- as_frame(x$options)
  shown <- utils::head(order(!table[["fits"]], table[["rank"]]), most)
  rows <- table[shown, ]
  ranges <- range_columns(rows)
  groups <- option_groups(x$forecast$scenario$options, table[["option"]], shown)
  body <- data.frame(
    " " = ifelse(rows[["pick"]], ">", ifelse(rows[["fits"]], "+", " ")), option = groups$names,
    "chance|in time" = format_percent(rows[["p_deadline"]]),
    "chance|budget" = format_percent(rows[["p_budget"]]),
    ranges, speed = rows[["evidence"]], check.names = FALSE
  )
  if (is.infinite(x$deadline_s)) body[["chance|in time"]] <- NULL
  if (is.infinite(x$budget)) body[["chance|budget"]] <- NULL
  reasons <- explain(x)
  others <- reasons[names(reasons) %in% setdiff(rows[["option"]], x$pick)]
  c("", "Every option:",
    text_table(body, right = setdiff(names(body), c(" ", "option", "speed")),
               spare = c("speed", spare_ranges(names(ranges))), width = width,
               sections = groups$sections),
    hidden_line(nrow(table) - length(shown)), "",
    unlist(lapply(paste0(names(others), ": ", others), wrap_lines, width = width)), "",
    wrap_lines(left_out_words(x$forecast$scenario), width))
}

kept_changes <- function(choice) choice$kept[["changes 2"]]

trial_lines <- function(x, width = terminal_width()) {
  c("", "Trial frames:", if (nrow(x)) unlist(lapply(x[["says"]], wrap_lines, width = width))
    else "Trials at the leading sites would not make their speeds more certain.")
}

#' @export
print.cp_choice <- function(x, ...) {
  show_lines(choice_lines(x))
  invisible(x)
}

# What to measure next, one line per measurement.
next_lines <- function(choice, rows, width = terminal_width()) {
  worth <- rows[rows[["worth"]], , drop = FALSE]
  other <- rows[rows[["what"]] == "samples", , drop = FALSE]
  rest <- rows[!rows[["worth"]] & rows[["what"]] != "samples", , drop = FALSE]
  passed <- paste0("-  ", sub(" [(]not worth it[)]", "", rest[["says"]]))
  said <- function(x, mark) {
    lines_of <- function(k) {
      c(wrap_lines(paste0(mark(k), x[["says"]][k]), width, 3),
        if (x[["what"]][k] != "ask") paste0("   ", x[["command"]][k]))
    }
    unlist(lapply(seq_len(nrow(x)), lines_of))
  }
  c(
    wrap_lines(question_words(choice), width), "",
    wrap_lines(paste0("Plan now: ", answer_title(choice), "."), width), "",
    if (nrow(worth))
    c("Measure first, the most valuable at the top:", said(worth, function(k) paste0(k, ". ")))
    else "Nothing is worth measuring: no result would save more than the measurement costs.",
    if (nrow(rest))
      c("", "Not worth it:", unlist(lapply(passed, wrap_lines, width, 3))),
    if (nrow(other))
    c("", "Would fewer samples do?", said(other, function(k) "-  "))
  )
}
