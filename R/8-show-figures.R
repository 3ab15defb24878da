# Figures: one message each.

utils::globalVariables(".data")

# Colours that stay apart under the common colour blindnesses (Okabe & Ito 2008); shape and label say the same.
standing_colours <- c("the pick" = "#0072B2", "fits" = "#009E73", "does not fit" = "#D55E00")
standing_shapes <- c("the pick" = 16, "fits" = 17, "does not fit" = 4)

plain_theme <- function() {
  ggplot2::theme_minimal(base_size = 12) +
    ggplot2::theme(panel.grid.minor = ggplot2::element_blank(), legend.position = "top", plot.title.position = "plot",
                   plot.caption = ggplot2::element_text(hjust = 0, colour = "grey35"))
}

#' Figures
#'
#' `autoplot()` of a choice: cost against finish time, the middle 80 % of draws as crossed ranges, deadline and budget
#' as lines, the pick marked. Of a frame curve: seconds along the shot with its 80 % band and the probes. Of timings:
#' seconds along the shot, or the run in its order. Of a comparison: ratios with their intervals, on an axis of factors.
#' Of a scaling fit: time and efficiency over the number. Of a speed fit: rigs with their intervals. Of a backtest: how
#' far each method was off.
#'
#' @param object A [choose_option()] choice, a [frame_curve()], [timings()], or the result of [compare_timings()],
#' [fit_limit()],
#'   [fit_scaling()], [fit_speeds()] or [backtest()].
#' @param ... Not used.
#' @return A ggplot, with a text alternative as its `alt` label.
#' @section Conditions: `clockpigeon_error_package` when ggrepel, which places the labels of choices, is missing;
#'   `clockpigeon_error_figure` for timings with nothing to show, or more series than can be told apart.
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' ggplot2::autoplot(frame_curve(c(20, 60, 100), c(41, 55, 90), 1:120))
#' @name figures
#' @exportS3Method ggplot2::autoplot
autoplot.choice <- function(object, ...) { # nolint: object_name_linter.
  need_package("ggrepel", "figures of choices")
  x <- as_frame(object$options)
  x[["standing"]] <- factor(ifelse(x[["pick"]], "the pick", ifelse(x[["fits"]], "fits", "does not fit")),
                            names(standing_colours))
  ggplot2::ggplot(x, ggplot2::aes(.data[["finish_p50"]], .data[["cost_p50"]], colour = .data[["standing"]],
                                  shape = .data[["standing"]])) +
    limit_lines(object) +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data[["finish_p10"]], xmax = .data[["finish_p90"]]), alpha = 0.6) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data[["cost_p10"]], ymax = .data[["cost_p90"]]), alpha = 0.6) +
    ggplot2::geom_point(size = 3.2) +
    ggrepel::geom_text_repel(ggplot2::aes(label = .data[["option"]]), size = 3.5, seed = 1, min.segment.length = 0.3,
                             box.padding = 0.6, bg.color = "white", bg.r = 0.2, max.overlaps = Inf,
                             nudge_y = max(x[["cost_p90"]]) / 20, show.legend = FALSE) +
    ggplot2::scale_colour_manual(values = standing_colours, drop = TRUE) +
    ggplot2::scale_shape_manual(values = standing_shapes, drop = TRUE) +
    ggplot2::scale_x_log10(breaks = time_ticks, labels = tick_labels, expand = ggplot2::expansion(mult = 0.08)) +
    ggplot2::scale_y_continuous(limits = c(0, NA), expand = ggplot2::expansion(mult = c(0.03, 0.12))) +
    ggplot2::labs(x = "done after (time from now, each step a factor)",
                  y = paste0("cost (", object$forecast$job$currency, ")"), colour = NULL, shape = NULL,
                  title = choice_title(object), caption = figure_basis(object$forecast), alt = choice_alt(object)) +
    plain_theme()
}

# Deadline and budget as lines with their names and values.
limit_lines <- function(choice) {
  said <- function(x, y, label, ...) ggplot2::annotate("text", x = x, y = y, label = label, size = 3.6,
                                                       colour = "grey30", ...)
  c(
    if (is.finite(choice$deadline_s)) list(
      ggplot2::geom_vline(xintercept = choice$deadline_s, linetype = 2, colour = "grey40"),
      said(choice$deadline_s, Inf, paste("  deadline", format_duration(choice$deadline_s)), hjust = 0, vjust = 1.5)
    ),
    if (is.finite(choice$budget)) list(
      ggplot2::geom_hline(yintercept = choice$budget, linetype = 2, colour = "grey40"),
      said(Inf, choice$budget, paste0("budget ", format_money(choice$budget, choice$forecast$job$currency), " "),
           hjust = 1, vjust = -0.5)
    )
  )
}

# Round times within a range, for an axis of factors.
time_ticks <- function(range) {
  round <- c(1, 2, 5, 10, 20, 30, 60 * c(1, 2, 5, 10, 20, 30), 3600 * c(1, 2, 5, 10, 24, 48, 120, 240))
  round[round >= range[1] * 0.9 & round <= range[2] * 1.1]
}

tick_labels <- function(seconds) {
  seconds <- round(seconds)
  ifelse(seconds < 60, paste(seconds, "s"), ifelse(seconds < 3600, paste(seconds / 60, "min"),
                                                   paste(seconds / 3600, "h")))
}

choice_title <- function(x) if (is.na(x$pick)) "No option fits" else paste0("Take ", x$pick)

figure_basis <- function(forecast) {
  doubts <- attr(forecast$options, "doubts")
  paste0("Points: medians; ranges: middle 80 % of ", forecast$n, " draws.\nFrame times: ", evidence_line(forecast$job),
         ".", if (length(doubts)) paste0("\nDoubtful prices: ", paste(doubts, collapse = "; "), "."))
}

choice_alt <- function(x) {
  t <- as_frame(x$options)
  paste0("Cost against finish time of ", nrow(t), " options. ", choice_title(x), ". ",
         paste0(t[["option"]], ": ", format_duration(t[["finish_p50"]]), ", ",
                format_money(t[["cost_p50"]], t[["currency"]][1]), ifelse(t[["fits"]], ", fits", ", does not fit"),
                collapse = "; "), ".")
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.frame_curve <- function(object, ...) { # nolint: object_name_linter.
  x <- as_frame(stats::predict(object))
  breaks <- object$breaks[["to"]]
  x[["part"]] <- findInterval(x[["frame"]], breaks)
  probes <- data.frame(frame = object$frame, seconds = exp(object$log_s))
  probed <- paste0("Points: measured frames. Line and band: mean and middle 80 % of draws.",
                   if (length(object$cheap)) " The shape is from a cheap pass.",
                     if (length(breaks)) " Dotted: cut or break.")
  total <- total_time(object)
  ggplot2::ggplot(x, ggplot2::aes(.data[["frame"]])) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data[["lower"]], ymax = .data[["upper"]], group = .data[["part"]]),
                         fill = "#56B4E9", alpha = 0.35) +
    ggplot2::geom_line(ggplot2::aes(y = .data[["mean"]], group = .data[["part"]]), colour = "#0072B2") +
    ggplot2::geom_point(data = probes, ggplot2::aes(y = .data[["seconds"]]), size = 2.6) +
    ggplot2::geom_vline(xintercept = breaks - 0.5, linetype = 3, colour = "grey50") +
    ggplot2::scale_y_continuous(limits = c(0, NA)) +
    ggplot2::labs(x = "frame", y = "seconds a frame",
                  title = paste0("Shot in all: ", format_duration(total[["lower"]]), " to ",
                                 format_duration(total[["upper"]]), " on one node (80 %)"),
                  caption = probed,
                  alt = paste0("Seconds a frame along the shot from ", nrow(probes), " measured frames; total ",
                               format_duration(total[["median"]]), ".")) +
    plain_theme()
}

# Writes a figure as PNG, whole or not at all.
write_figure <- function(figure, path, width = 10, height = 6.25, dpi = 128) {
  need_package("ggplot2", "figures")
  part <- paste0(path, ".part.png")
  on.exit(unlink(part))
  ggplot2::ggsave(part, figure, width = width, height = height, dpi = dpi, bg = "white")
  if (!file.rename(part, path)) stop_input("file", "cannot be written", path, "Name another file.")
  invisible(path)
}
