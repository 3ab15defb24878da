# Scaling fits, rig speeds and frame curves as text and figures.

law_words <- c(amdahl = "a serial share (Amdahl)", usl = "contention and coherence (universal law)",
               line = "a straight line of speed", plateau = "a line up to a plateau")

note_lines <- function(says, width = terminal_width()) {
  if (length(says)) wrap_lines(paste0("Note: ", says, "."), width)
}

# A frame curve: what it rests on, the total, the slowest frame.
curve_lines <- function(x, width = terminal_width()) {
  between <- function(t) {
    paste0(format_duration(t[["median"]]), " (", format_duration(t[["lower"]]), " to ",
           format_duration(t[["upper"]]), ", 80 %)")
  }
  worst <- slowest(x)
  c(
    paste0("Frame curve: ", length(x$frames), " frames (", format_frames(x$frames), "), ",
           measured_frames(x), " probed in ", sum(x$rows[["scaled"]] == 0),
           if (sum(x$rows[["scaled"]] == 0) == 1) " run" else " runs",
           if (any(x$rows[["scaled"]] > 0))
           paste0(", ", sum(x$rows[["scaled"]] > 0), " times transferred"),
           if (length(x$cheap)) paste0(", cheap pass over ", x$cheap$timed)),
    paste0("Total on one node: ", between(total_time(x))),
    paste0("Slowest frame: ", between(worst), "; most likely frame ", worst[["frame"]]),
    note_lines(x$says, width)
  )
}

#' @export
print.cp_curve <- function(x, ...) {
  show_lines(curve_lines(x))
  invisible(x)
}

#' @export
print.cp_scaling_fit <- function(x, ...) {
  points <- x$points
  laws <- as_frame(x$laws)
  laws <- laws[order(-laws[["weight"]]), , drop = FALSE]
  best <- as_frame(best_n(x))
  show_lines(
    paste0("Scaling over ", x$unit, ": ", nrow(points), " times at ",
           toString(sort(unique(points[["n"]]))), if (x$basis == "assumed") ", the law assumed"),
    paste0("Law: ", paste0(law_words[laws[["law"]]], " ", format_percent(laws[["weight"]]),
                           collapse = ", ")),
    if (x$basis == "measured") {
      p <- as_frame(confint.cp_scaling_fit(x))
      unit <- ifelse(p[["term"]] == "t1", " s", "")
      paste0("  ", p[["term"]], " ", format_number3(p[["estimate"]]), unit, " (",
             format_number3(p[["lower"]]), " to ", format_number3(p[["upper"]]), ")")
    },
    paste0("One more takes less than 5 % off the time after ", best[["pays_until"]],
           "; least time with ", best[["n"]], ": ",
           format_duration(best[["seconds"]]), " (", format_duration(best[["lower"]]), " to ",
           format_duration(best[["upper"]]), ", 80 %)",
           if (best[["beyond"]]) ", beyond what was measured"),
    note_lines(x$says)
  )
  invisible(x)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_scaling_fit <- function(object, ...) { # nolint: object_name_linter.
  points <- as_frame(object$points)
  most <- max(points[["n"]])
  at <- unique(round(exp(seq(0, log(2 * most), length.out = 60))))
  curve <- as_frame(predict.cp_scaling_fit(object, at))
  best <- as_frame(best_n(object))
  one <- curve[["seconds"]][1]
  panels <- c("seconds", "efficiency, %")
  long <- rbind(data.frame(n = at, y = curve$seconds, low = curve$lower, high = curve$upper,
                           panel = panels[1]),
                data.frame(n = at, y = 100 * curve$efficiency, low = 100 * one / curve$upper / at,
                           high = 100 * one / curve$lower / at, panel = panels[2]))
  seen <- rbind(data.frame(n = points$n, y = points$seconds, panel = panels[1]),
                data.frame(n = points$n, y = 100 * one / points$seconds / points$n,
                           panel = panels[2]))
  long[["panel"]] <- factor(long[["panel"]], panels)
  seen[["panel"]] <- factor(seen[["panel"]], panels)
  title <- paste0("After ", best[["pays_until"]], " ", object$unit,
                  " one more takes less than 5 % off the time")
  ggplot2::ggplot(long, ggplot2::aes(.data[["n"]], .data[["y"]])) +
    ggplot2::annotate("rect", xmin = most, xmax = Inf, ymin = -Inf, ymax = Inf, fill = "grey93") +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data[["low"]], ymax = .data[["high"]]),
                         fill = "#0072B2", alpha = 0.2) +
    ggplot2::geom_line(colour = "#0072B2", linewidth = 0.9) +
    ggplot2::geom_vline(xintercept = best[["pays_until"]], linetype = 2, colour = "#D55E00") +
    ggplot2::geom_point(data = seen, size = 2.6) +
    ggplot2::facet_wrap(ggplot2::vars(.data[["panel"]]), scales = "free_y", ncol = 1) +
    ggplot2::scale_x_continuous(breaks = unique(round(pretty(c(1, 2 * most))))) +
      ggplot2::expand_limits(y = 0) +
    ggplot2::labs(x = object$unit, y = NULL, title = title,
                  subtitle = paste0("law: ", law_words[[object$best]],
                                    if (object$basis == "assumed") " (assumed)"),
                  caption = paste0(
                    "Points: measured. Line and band: the laws by weight, 80 %. Grey: beyond ",
                    "what was ",
                    "measured."),
                  alt = paste0(title, ". Seconds and efficiency over the number of ", object$unit,
                               ".")) +
    plain_theme()
}

#' @export
print.cp_advice <- function(x, ...) {
  ways <- as_frame(x$ways)
  body <- data.frame(spread = ways$spread,
                     time = ifelse(ways$possible, format_duration(ways$seconds), "cannot"),
                     loads = format_duration(ways$load_s), reason = ways$reason)
  show_lines(wrap_lines(x$sentence), "", text_table(body, right = c("time", "loads")),
             if (length(x$useful)) paste0("Slot counts that save a round: ", toString(x$useful)))
  invisible(x)
}

#' @export
print.cp_speed_fit <- function(x, ...) {
  spreads <- as_frame(x$spreads)
  factor_text <- function(v) format_number3(exp(v))
  show_lines(
    paste0("Speeds of ", length(x$rigs), " rigs from ", length(x$scenes), " scenes: ",
           sum(x$cells$n), " timings in ", length(x$cells$n), " of ",
           length(x$rigs) * length(x$scenes), " cells"),
    paste0("Spread of ", c("scenes", "rigs", "a scene on a rig, beyond both", "one run"),
           ": a factor of ", factor_text(spreads[["sd"]]), " (", factor_text(spreads[["lower"]]),
           " to ", factor_text(spreads[["upper"]]), ")"),
    note_lines(x$says)
  )
  invisible(x)
}

#' @rdname figures
#' @param relative_to For a speed fit: the rig that the others are compared with; `NULL` as for
#'   [summary()][summary.cp_speed_fit].
#' @exportS3Method ggplot2::autoplot
autoplot.cp_speed_fit <- function(object, relative_to = NULL, ...) { # nolint: object_name_linter.
  x <- as_frame(summary(object, relative_to))
  # Skip notes on a device that was never recorded.
  unknown <- startsWith(x[["rig"]], unknown_device)
  if (!all(unknown)) x <- x[!unknown, , drop = FALSE]
  x <- utils::head(x, 30)
  base <- x[["rig"]][x[["lower"]] == 1 & x[["upper"]] == 1][1]
  x[["rig"]] <- factor(x[["rig"]], rev(x[["rig"]]))
  title <- paste0(x[["rig"]][1], " is ", format_number3(x[["ratio"]][1]), " times as fast as ",
                  base)
  ggplot2::ggplot(x, ggplot2::aes(.data[["ratio"]], .data[["rig"]])) +
    ggplot2::geom_vline(xintercept = 1, colour = "grey50") +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data[["ratio"]] / .data[["for_a_scene"]],
                                         xmax = .data[["ratio"]] * .data[["for_a_scene"]]),
                            colour = "grey70") +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data[["lower"]], xmax = .data[["upper"]]),
                            colour = "#0072B2",
                            linewidth = 1.4) +
    ggplot2::geom_point(ggplot2::aes(shape = .data[["evidence"]]), colour = "#0072B2", size = 2.8) +
    ggplot2::scale_shape_manual(values = c(measured = 16, claimed = 1)) + ggplot2::scale_x_log10() +
    ggplot2::labs(x = paste0("times as fast as ", base, " (each step a factor)"), y = NULL,
                  shape = NULL, title = title,
                  caption = paste0(
                    "Thick: 80 % interval for the typical scene. Thin: for a single scene.",
                    if (any(unknown)) paste0("\nLeft out: timings without a device (", sum(unknown),
                                             if (sum(unknown) == 1) " rig)." else " rigs).")),
                  alt = paste0(title, ". ",
                               paste0(x[["rig"]], " ", format_number3(x[["ratio"]]),
                                      collapse = "; "),
                               ".")) +
    plain_theme()
}

ended_words <- c(narrow = "narrow enough", all_measured = "every frame is measured",
                 budget_used = "the budget is used")

# A probed shot: what was measured and how the total closed in.
shot_probe_lines <- function(x, width = terminal_width()) {
  steps <- as_frame(x$steps)
  limit <- format_limit(x$shot$limit)
  body <- data.frame(frame = paste(steps[["frame"]]), time = format_duration(steps[["seconds"]]),
                     total = format_duration(steps[["median"]]),
                     interval = range_text(steps[["lower"]], steps[["upper"]], format_duration),
                     "half width" = format_percent(steps[["half_width"]]),
                     "spent" = format_duration(steps[["spent_s"]]),
                     check.names = FALSE)
  measured <- measured_frames(x$curve)
  c(
    wrap_lines(paste0("Probe of ", x$shot$shot, " with ", x$engine$engine, " ",
                      or_unknown(x$version), " at ", x$shot$size[["width"]], "x",
                      x$shot$size[["height"]], ", ", limit, ", on ", x$node, ": ", measured,
                      " of ", length(x$shot$frames), " frames measured, ", ended_words[[x$ended]],
                      " after ", format_duration(x$spent_s)),
               width), "",
    if (nrow(steps))
    c(text_table(body, right = names(body), width = width, spare = c("spent", "time")), ""),
    curve_lines(x$curve, width),
    wrap_lines(paste0("Cheap pass ",
                      if (x$cheap$used) paste0("run, ", format_duration(x$cheap$took)) else
                      "not run",
                      ": ",
                      x$cheap$why, "."), width)
  )
}

#' @export
print.cp_shot_probe <- function(x, ...) {
  show_lines(shot_probe_lines(x))
  invisible(x)
}

# To which side something is off; nothing under a twentieth of a percent.
lean_text <- function(p)
  ifelse(abs(p) < 5e-4, "0 %", paste0(ifelse(p > 0, "+", "-"), format_percent(abs(p))))

# How forecasts would have been, in words: a line a method.
backtest_lines <- function(x, width = terminal_width()) {
  level <- x[["level"]][1]
  s <- as_frame(summary.cp_backtest(x))
  body <- data.frame(
    question = ifelse(duplicated(s[["question"]]), "", s[["question"]]), method = s[["method"]],
    frames = ifelse(is.na(s[["probes"]]), "", paste(s[["probes"]])), place = s[["place"]],
    cases = paste(s[["cases"]]), off = format_percent(s[["error"]]), lean = lean_text(s[["bias"]]),
    held = ifelse(is.na(s[["covered"]]), "no interval", format_percent(s[["covered"]])),
    check.names = FALSE
  )
  names(body)[6:8] <- c("off by|on average", "leans|over or under",
                        paste0("truth inside|", format_percent(level), " asked"))
  c(wrap_lines(backtest_sentences(x, s), width), "",
    paste0("Timings of the ledger, hidden and forecast",
           if (x[["sample"]][1]) paste0(" (", sample_mark, ")")), "",
    text_table(body, right = setdiff(names(body), c("question", "method", "place")), width = width,
               spare = names(body)[7]))
}

# One sentence a question: the method against the habit, all its cases together.
backtest_sentences <- function(x, s) {
  x <- as_frame(x)
  vapply(unique(x[["question"]]), function(q) {
    here <- x[x[["question"]] == q, , drop = FALSE]
    off <- tapply(abs(here[["error"]]), factor(here[["method"]], unique(here[["method"]])), mean)
    habit <- is.na(tapply(here[["lower"]], factor(here[["method"]], unique(here[["method"]])),
                          mean))
    best <- names(off)[!habit][which.min(off[!habit])]
    held <- mean(here[["covered"]][here[["method"]] == best])
    old <- if (any(habit)) names(off)[habit][which.min(off[habit])]
    paste0(toupper(substr(q, 1, 1)), substring(q, 2), ": ", best, " off by ",
           format_percent(off[[best]]), " on average",
           if (length(old)) paste0(" (", old, ": ", format_percent(off[[old]]), "); "),
           "its intervals held the truth in ", format_percent(held), " of ",
           sum(here[["method"]] == best), " cases.")
  }, "", USE.NAMES = FALSE)
}

#' @export
print.cp_backtest <- function(x, ...) {
  if (!all(c("question", "method", "error", "covered", "level", "sample") %in% names(x)))
    return(print_plain(x))
  show_lines(backtest_lines(x))
  invisible(x)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_backtest <- function(object, ...) { # nolint: object_name_linter.
  x <- as_frame(object)
  x[["off"]] <- 100 * abs(x[["error"]])
  label <- paste0(x[["method"]],
                  ifelse(x[["question"]] == "the rest of a shot",
                         paste0(", ", x[["probes"]], " frames"),
                         ""))
  x[["label"]] <- factor(label, rev(unique(label[order(x[["question"]], x[["probes"]])])))
  means <- stats::aggregate(off ~ label + question, x, mean)
  held <- stats::aggregate(cbind(held = as.numeric(x[["covered"]])) ~ label + question, x, mean,
                           na.action = stats::na.pass)
  means[["note"]] <- ifelse(is.na(held[["held"]]), "",
                            paste0("truth inside ", format_percent(held[["held"]])))
  title <- "How far forecasts were off on what the ledger already knows"
  ggplot2::ggplot(x, ggplot2::aes(.data[["off"]], .data[["label"]])) +
    ggplot2::geom_col(data = means, fill = "#56B4E9", alpha = 0.5, width = 0.7) +
    ggplot2::geom_point(alpha = 0.4, size = 1.4) +
    ggplot2::geom_text(data = means, ggplot2::aes(x = Inf, label = .data[["note"]]), hjust = 1.05,
                       size = 3.3, colour = "grey30") +
    ggplot2::facet_grid(rows = ggplot2::vars(.data[["question"]]), scales = "free_y",
                        space = "free_y") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0, 0.2))) +
    ggplot2::labs(x = "off by, % (bar: mean; points: cases)", y = NULL, title = title,
                  caption = paste0("Intervals asked: ", format_percent(object[["level"]][1]), ".",
                                   if (object[["sample"]][1]) " Sample data, invented."),
                  alt = paste0(title, ". ",
                               paste0(means[["label"]], ": ", format_number3(means[["off"]]), " %",
                                      collapse = "; "), ".")) +
    plain_theme() +
    ggplot2::theme(strip.text.y = ggplot2::element_text(angle = 0, hjust = 0))
}
