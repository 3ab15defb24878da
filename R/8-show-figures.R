# Figures: one message each.

utils::globalVariables(".data")

plain_theme <- function() {
  ggplot2::theme_minimal(base_size = 12) +
    ggplot2::theme(panel.grid.minor = ggplot2::element_blank(), legend.position = "top",
                   plot.title.position = "plot",
                   plot.caption = ggplot2::element_text(hjust = 0, colour = "grey35"))
}

#' Figures
#'
#' `autoplot()` of a choice: cost against finish time, the middle 80 % of draws as crossed ranges,
#' deadline and budget as lines, the pick marked; or what else `show` names. For a frame curve:
#' seconds along the shot with its 80 % band and the probes. Of timings: seconds along the shot, or
#' the run in its order. For a comparison: ratios with their intervals, on an axis of factors. For a
#' scaling fit: time and efficiency over the number. For a speed fit: rigs with their intervals. For
#' a backtest: how far each method was off.
#'
#' @param object A [choose_option()] choice, a [frame_curve()], [timings()], or the result of
#'   [compare_timings()], [fit_limit()], [fit_scaling()], [fit_speeds()] or [backtest()].
#' @param show For a choice, `"tradeoff"`: cost against finish time; `"timeline"`: the stages of the
#'   pick (or of the option that misses by least) behind each other, with their spread; `"chance"`:
#'   the chance to be done by each hour, for the leading options; `"cost"`: what the cost of the
#'   leading options is made of; `"frames"`: usable frames against time, with what a spend cap
#'   stops. For timings, `"frames"`: time per frame along each shot; `"order"`: each trial's time
#'   over the mean of its setting, in the order they ran, warm-up marked, with the drift that
#'   `bench_findings()` looks for.
#' @param ... Not used.
#' @return A ggplot, with a text alternative as its `alt` label.
#' @section Conditions: `clockpigeon_error_package` when ggrepel, which places the labels of
#'   choices, is missing; `clockpigeon_error_figure` for timings with nothing to show, or more
#'   series than can be told apart.
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' ggplot2::autoplot(frame_curve(c(20, 60, 100), c(41, 55, 90), 1:120))
#' @name figures
NULL

# Round times within a range, for an axis of factors.
time_ticks <- function(range) {
  round <- c(1, 2, 5, 10, 20, 30, 60 * c(1, 2, 5, 10, 20, 30),
             3600 * c(1, 2, 5, 10, 24, 48, 120, 240))
  round[round >= range[1] * 0.9 & round <= range[2] * 1.1]
}

# Evenly spaced round times, at most seven.
even_ticks <- function(range) {
  steps <- c(1, 2, 5, 10, 30, 60 * c(1, 2, 5, 10, 30),
             3600 * c(1, 2, 6, 12, 24, 48, 120, 240, 720, 2400))
  step <- steps[match(TRUE, range[2] / steps <= 7)]
  if (is.na(step)) pretty(range) else seq(0, range[2], by = step)
}

tick_labels <- function(seconds) {
  seconds <- round(seconds)
  ifelse(seconds < 60, paste(seconds, "s"), ifelse(seconds < 3600, paste(seconds / 60, "min"),
                                                   paste(seconds / 3600, "h")))
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_curve <- function(object, ...) { # nolint: object_name_linter.
  x <- as_frame(stats::predict(object))
  breaks <- object$breaks[["to"]]
  x[["part"]] <- findInterval(x[["frame"]], breaks)
  probes <- data.frame(frame = object$frame, seconds = exp(object$log_s))
  probed <- paste0("Points: measured frames. Line and band: median and middle 80 % of draws.",
                   if (length(object$cheap)) " The shape is from a cheap pass.",
                     if (length(breaks)) " Dotted: cut or break.")
  total <- total_time(object)
  ggplot2::ggplot(x, ggplot2::aes(.data[["frame"]])) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data[["lower"]], ymax = .data[["upper"]],
                                      group = .data[["part"]]),
                         fill = "#56B4E9", alpha = 0.35) +
    ggplot2::geom_line(ggplot2::aes(y = .data[["median"]], group = .data[["part"]]),
                       colour = "#0072B2") +
    ggplot2::geom_point(data = probes, ggplot2::aes(y = .data[["seconds"]]), size = 2.6) +
    ggplot2::geom_vline(xintercept = breaks - 0.5, linetype = 3, colour = "grey50") +
    ggplot2::scale_y_continuous(limits = c(0, NA)) +
    ggplot2::labs(x = "frame", y = "seconds a frame",
                  title = paste0("Shot in all: ", format_duration(total[["lower"]]), " to ",
                                 format_duration(total[["upper"]]), " on one node (80 %)"),
                  caption = probed,
                  alt = paste0("Seconds a frame along the shot from ", nrow(probes),
                               " measured frames; total ", format_duration(total[["median"]]),
                               ".")) +
    plain_theme()
}

# Writes a figure as PNG, whole or not at all.
write_figure <- function(figure, path, width = 10, height = 6.25, dpi = 128) {
  need_package("ggplot2", "figures")
  write_whole(path, function(part) {
    ggplot2::ggsave(part, figure, device = "png", width = width, height = height, dpi = dpi,
                    bg = "white")
  })
}

# The launcher starts R without its default packages; plotting and reporting packages count on them.
attach_defaults <- function() {
  for (package in c("methods", "datasets", "utils", "grDevices", "graphics", "stats")) {
    suppressPackageStartupMessages(library(package, character.only = TRUE))
  }
}
