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

# Some columns of a table that has a print method of its own.
print_plain <- function(x) {
  class(x) <- setdiff(class(x), c("spread_advice", "backtest", "timing_comparison"))
  print(x)
}

#' @export
print.timing_comparison <- function(x, ...) {
  needed <- c("engine", "scene", "old", "new", "ratio", "lower", "upper", "verdict", "basis", "note")
  if (!all(needed %in% names(x))) return(print_plain(x))
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
             part("cost", paste0("cost, ", s[["currency"]][1]), function(x) format_about(x, s[["cost_se"]])),
             check.names = FALSE)
}

# Which of these columns go first in a narrow terminal: the good luck of 10 %, then the bad.
spare_ranges <- function(columns) c(grep("90 %", columns, value = TRUE), grep("10 %", columns, value = TRUE))

forecast_lines <- function(x, width = terminal_width(), most = 16) {
  table <- as_frame(summary(x))
  noise <- x$options[["noise"]]
  best <- non_dominated(table[["finish_p50"]], table[["cost_p50"]], ifelse(is.na(noise), Inf, noise))
  shown <- sort(utils::head(order(!best, table[["cost_p50"]]), most))
  ranges <- range_columns(table[shown, ])
  groups <- option_groups(x$options, table[["option"]], shown)
  frames <- sum(vapply(x$job$shots, function(shot) length(shot$frames), 0L))
  c(
    wrap_lines(paste0("Forecast of ", frames, " frames with ", engine_words(x),
                      ": time from now and cost, as 10 %, 50 %",
                      " and 90 % points of ", x$n, " draws"), width), "",
    text_table(data.frame(" " = ifelse(best[shown], "*", ""), option = groups$names, ranges,
                          evidence = table[["evidence"]][shown], check.names = FALSE),
               sections = groups$sections, right = names(ranges), spare = c("evidence", spare_ranges(names(ranges))),
               width = width),
    "* no other is as early, as cheap and as clean", hidden_line(nrow(table) - length(shown)),
    "", wrap_lines(basis_lines(x), width)
  )
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
  if (n > 0) paste0("(and ", n, if (n == 1) " option" else " options", " that others beat; --format csv has all)")
}

engine_words <- function(x) paste(vapply(x$jobs, function(job) {
  paste0(job$engine, " ", job$version, if (length(x$jobs) > 1) paste0(" at ", job$limit))
}, ""), collapse = ", ")

# What stands under every table of a forecast: what its figures rest on, which sites are left out and why, and the
# exchange rates used.
basis_lines <- function(x) {
  speeds <- unique(as_frame(x$options)[c("site", "speed", "evidence", "speed_from")])
  speeds <- speeds[!duplicated(speeds[["site"]]), , drop = FALSE]
  out <- x$left_out
  c(
    paste0("Frame times: ", evidence_line(x$job)),
    paste0("Speed of a node, ", x$job$node, " = 1: ",
           paste0(speeds[["site"]], " ", number_text(speeds[["speed"]]), ", ", speeds[["evidence"]], " (",
                  speeds[["speed_from"]], ")", collapse = "; ")),
    if (any(speeds[["evidence"]] %in% c("claimed", "assumed"))) {
      paste0("Claimed is what the seller says, taken with a spread of ", percent(assumed_spread$claimed), ".")
    },
    assumed_lines(x),
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

# Stages that nobody timed, and what stands in for them.
assumed_lines <- function(x) {
  options <- as_frame(x$options)
  found <- unlist(lapply(unique(options[["site"]]), function(name) {
    i <- match(name, options[["site"]])
    site <- attr(x$options, "sites")[[name]]
    stages <- site_stages(option_job(x$options, i), site, site$tiers[[1]], x$made_at)
    stages <- Filter(function(stage) stage$basis == "assumed" && stage$time$median_s > 0, stages)
    if (length(stages)) paste0(names(stages), " at ", name, " ", vapply(stages, stage_range, ""))
  }))
  if (length(found)) paste0("Assumed, since nobody timed it: ", paste(found, collapse = "; "))
}

choice_lines <- function(x, width = terminal_width(), changes = NULL, most = 12) {
  table <- as_frame(x$options)
  order <- order(!table[["pick"]], !(table[["fits"]] & table[["non_dominated"]]), !table[["non_dominated"]],
                 !table[["fits"]], table[["cost_p50"]])
  shown <- sort(utils::head(order, most))
  rows <- table[shown, ]
  ranges <- range_columns(rows)
  groups <- option_groups(x$forecast$options, table[["option"]], shown)
  body <- data.frame(
    " " = ifelse(rows[["pick"]], ">", ifelse(rows[["fits"]], "+", " ")), option = groups$names,
    "chance|in time" = percent(rows[["p_deadline"]]), "chance|budget" = percent(rows[["p_budget"]]),
    ranges, "speed is" = rows[["evidence"]], check.names = FALSE
  )
  if (is.infinite(x$deadline_s)) body[["chance|in time"]] <- NULL
  if (is.infinite(x$budget)) body[["chance|budget"]] <- NULL
  reasons <- explain(x)
  head <- reasons[!names(reasons) %in% table[["option"]] | names(reasons) %in% x$pick]
  # Of each site what fits or nothing beats, or else what comes nearest.
  told <- table[["fits"]] | table[["non_dominated"]]
  near <- order(table[["both_miss"]], table[["late_s"]], table[["over"]])
  told <- told | seq_len(nrow(table)) %in% near[!duplicated(table[["site"]][near])] &
    !table[["site"]] %in% table[["site"]][told]
  others <- reasons[names(reasons) %in% intersect(table[["option"]][told], setdiff(rows[["option"]], x$pick))]
  said <- function(text) unlist(lapply(text, wrap_lines, width = width))
  titled <- function(title, lines) if (length(lines)) c("", title, said(lines))
  c(
    wrap_lines(choice_question(x), width), "",
    text_table(body, right = setdiff(names(body), c(" ", "option", "speed is")),
               spare = c("speed is", spare_ranges(names(ranges))), width = width, mark = which(rows[["pick"]]),
               sections = groups$sections),
    "> the pick   + fits too", hidden_line(nrow(table) - length(shown)), "",
    if (length(x$stale)) {
      c(wrap_lines(paste0("Warning: changed since the forecast, so forecast again: the rate card of ",
                          toString(x$stale), "."), width), "")
    },
    said(paste0(names(head), ": ", head)),
    titled("What would change it:", changes[["says"]]), titled("What else could be done:", worth_tests(x)[["says"]]),
    titled("Not taken:", if (length(others)) paste0(names(others), ": ", others)),
    if (any(claims <- rows[["pick"]] & rows[["evidence"]] %in% c("claimed", "assumed"))) {
      c("", wrap_lines(paste0("Warning: the pick rests on a speed that is ", rows[["evidence"]][claims],
                              ", not measured. ",
                              "clockpigeon choose --test-frames 3 says what a trial would be worth."), width))
    },
    "", wrap_lines(basis_lines(x$forecast), width)
  )
}

trial_lines <- function(x, width = terminal_width()) {
  c("", "Trial frames:", if (nrow(x)) unlist(lapply(x[["says"]], wrap_lines, width = width))
    else "every leading site's speed is known as well as a trial would tell it")
}

split_lines <- function(x, width = terminal_width()) {
  parts <- as_frame(x$parts)
  c("", "Split over several sites:", if (nrow(parts)) {
    wrap_lines(paste0(parts[["option"]], ": ", parts[["frames"]], " (", percent(parts[["share"]]),
                      " of the work), done ",
                      "after ", format_duration(parts[["finish_p50"]]), ", ",
                      format_money(parts[["cost_p50"]], parts[["currency"]][1])), width)
  }, wrap_lines(x$says, width))
}

#' @export
print.job_split <- function(x, ...) {
  show_lines(split_lines(x)[-1])
  invisible(x)
}

choice_question <- function(x) {
  forecast <- x$forecast
  deadline <- if (is.finite(x$deadline_s)) {
    paste0("done by ", format_moment(forecast$made_at + x$deadline_s, forecast$job$time_zone), ", ",
           format_duration(x$deadline_s), " from now")
  } else "no deadline"
  budget <- if (is.finite(x$budget)) paste("at most", format_money(x$budget, forecast$job$currency)) else "no budget"
  paste0("Asked: ", deadline, ", ", budget, ", ", chance_asked(x), percent(x$confidence), "; the ", x$rule,
         " of what fits.")
}

#' @export
print.choice <- function(x, ...) {
  show_lines(choice_lines(x))
  invisible(x)
}
