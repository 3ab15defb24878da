# Figures of timings and comparisons.

# Colours for up to eight series that stay apart under the common colour blindnesses (Okabe & Ito
# 2008), with shapes.
series_colours <- c("#0072B2", "#D55E00", "#009E73", "#CC79A7", "#E69F00", "#56B4E9", "#000000",
                    "#999999")
series_shapes <- c(16, 17, 15, 18, 8, 3, 4, 7)

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
# nolint: object_name_linter.
autoplot.cp_timings <- function(object, show = c("frames", "order"), ...) {
  show <- check_choice(show[1], argument("show"), c("frames", "order"))
  if (show == "frames") plot_frames(as_frame(object)) else plot_order(as_frame(object))
}

# A series is what differs among the timings, of engine, version, limit, device and node.
series_of <- function(x) {
  parts <- list(engine = paste(x[["engine"]], x[["engine_version"]]),
                limit = level_labels(x, "limit"),
                device = x[["device"]], site = x[["site"]])
  varied <- Filter(function(p) length(unique(p)) > 1, parts)
  if (!length(varied)) return(parts$engine)
  do.call(paste, c(lapply(unname(varied), function(p) ifelse(is.na(p), "", p)), sep = ", "))
}

few_series <- function(series) {
  n <- length(unique(series))
  if (n > length(series_colours)) {
    stop_input("figure", paste("has", n, "series, more than a reader can tell apart"),
               "the timings",
               paste0("Leave at most ", length(series_colours),
                      ": choose engine, device or limit first."))
  }
  series
}

sample_caption <- function(x) if (any(is_sample(x))) " Sample data, invented."

# Figure of seconds per frame along the shot.
plot_frames <- function(x) {
  x <- x[is_evidence(x) & !is.na(x[["frame"]]), , drop = FALSE]
  if (!nrow(x)) stop_input("figure", "has no finished frame", "the timings",
                           "Measure some: clockpigeon bench.")
  x[["series"]] <- few_series(series_of(x))
  key <- row_key(x, c("scene", "series", "frame"))
  means <- x[!duplicated(key), , drop = FALSE]
  means[["wall_s"]] <- as.vector(exp(tapply(log(x[["wall_s"]]), key, mean)[unique(key)]))
  ggplot2::ggplot(x, ggplot2::aes(.data[["frame"]], .data[["wall_s"]], colour = .data[["series"]],
                                  shape = .data[["series"]])) +
    ggplot2::geom_line(data = means, alpha = 0.7) +
    ggplot2::geom_point(size = 1.8, alpha = 0.8) +
    ggplot2::facet_wrap(ggplot2::vars(.data[["scene"]]), scales = "free") +
    ggplot2::scale_colour_manual(values = series_colours) +
      ggplot2::scale_shape_manual(values = series_shapes) +
    ggplot2::expand_limits(y = 0) +
    ggplot2::labs(x = "frame", y = "seconds a frame", colour = NULL, shape = NULL,
                  title = "Time per frame along the shot",
                  caption = paste0("Points: single runs. Lines: mean of log time.",
                                   sample_caption(x)),
                  alt = paste0("Seconds a frame against frame, ", length(unique(x[["series"]])),
                               " series, scenes ", toString(unique(x[["scene"]])), ".")) +
    plain_theme()
}

# Figure of times relative to their setting's mean, in the order of the run.
plot_order <- function(x) {
  x <- x[x[["status"]] %in% "ok" & !is.na(x[["wall_s"]]) & !is.na(x[["run_order"]]), , drop = FALSE]
  if (!nrow(x)) stop_input("figure", "has no trial with a place in a run", "the timings",
                           "Give those of a benchmark.")
  setting <- row_key(x, setting_columns)
  measured <- is_evidence(x)
  means <- tapply(log(x[["wall_s"]][measured]), setting[measured], mean)
  x[["off"]] <- exp(log(x[["wall_s"]]) - as.vector(means[setting]))
  x[["what"]] <- ifelse(measured, "measured", "warm-up")
  x <- x[is.finite(x[["off"]]), , drop = FALSE]
  measured <- x[["what"]] == "measured"
  d <- drift_of(log(x[["wall_s"]][measured]), row_key(x, setting_columns)[measured],
                x[["run_order"]][measured], x[["repeat"]][measured])
  slope <- if (!is.null(d)) {
    at <- range(x[["run_order"]][measured])
    data.frame(run_order = at, off = exp(log(d$factor) * (at - mean(at)) / diff(at)))
  }
  drift <- if (is.null(d)) "" else {
    change <- 100 * (c(d$factor, d$lower, d$upper) - 1)
    sprintf(": %+.0f %% from first to last (%+.0f to %+.0f %%)", change[1], change[2], change[3])
  }
  ggplot2::ggplot(x, ggplot2::aes(.data[["run_order"]], .data[["off"]])) +
    ggplot2::geom_hline(yintercept = 1, colour = "grey60") +
    ggplot2::geom_point(ggplot2::aes(colour = .data[["what"]], shape = .data[["what"]]),
                        size = 2.2) +
    (if (!is.null(slope)) ggplot2::geom_line(data = slope, colour = "#D55E00", linewidth = 0.9)) +
    ggplot2::scale_colour_manual(values = c(measured = "#0072B2", "warm-up" = "#E69F00")) +
    ggplot2::scale_shape_manual(values = c(measured = 16, "warm-up" = 2)) +
    ggplot2::scale_y_log10() +
    ggplot2::labs(x = "order of trials", y = "time over the mean of its setting", colour = NULL,
                  shape = NULL, title = paste0("Drift of the run", drift),
                  caption = paste0(
                    "Line: least squares on log time, the settings held apart; in brackets its ",
                    "95 % ",
                    "interval.", sample_caption(x)),
                  alt = paste0("Time of ", nrow(x),
                               " trials over the mean of their setting in the order they ran",
                               drift, ".")) +
    plain_theme()
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_comparison <- function(object, ...) { # nolint: object_name_linter.
  x <- as_frame(object)
  x[["pair"]] <- paste0(x[["engine"]], ifelse(nzchar(x[["engine"]]), ": ", ""), x[["new"]],
                        " against ", x[["old"]])
  x[["pair"]] <- factor(x[["pair"]], unique(x[["pair"]]))
  all <- x[["scene"]] == "all scenes"
  x[["row"]] <- ifelse(all, paste0("all, ", x[["basis"]]), x[["scene"]])
  x[["row"]] <- factor(x[["row"]], rev(unique(x[["row"]][order(all)])))
  smallest <- object[["smallest"]][1]
  sample <- if (any(grepl(sample_mark, x[["note"]], fixed = TRUE))) " Sample data, invented."
  said <- paste0(x[["pair"]], ", ", x[["row"]], ": ", number_text(x[["ratio"]]), ", ",
                 x[["verdict"]], collapse = "; ")
  verdicts <- c(faster = "#009E73", slower = "#D55E00", "no clear difference" = "grey40")
  ggplot2::ggplot(x, ggplot2::aes(.data[["ratio"]], .data[["row"]], colour = .data[["verdict"]],
                                  shape = .data[["verdict"]])) +
    ggplot2::annotate("rect", xmin = 1 / (1 + smallest), xmax = 1 + smallest, ymin = -Inf,
                      ymax = Inf, fill = "grey88") +
    ggplot2::geom_vline(xintercept = 1, colour = "grey50") +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data[["lower"]], xmax = .data[["upper"]]),
                            na.rm = TRUE) +
    ggplot2::geom_point(size = 2.6) +
    ggplot2::facet_grid(rows = ggplot2::vars(.data[["pair"]]), scales = "free_y",
                        space = "free_y") +
    ggplot2::scale_colour_manual(values = verdicts) +
    ggplot2::scale_shape_manual(values = c(faster = 17, slower = 15, "no clear difference" = 16)) +
    ggplot2::scale_x_log10() +
    ggplot2::labs(x = "ratio: old time / new time (above 1 is faster)", y = NULL, colour = NULL,
                  shape = NULL, title = paste0("Compared by ", factor_label(object[["by"]][1])),
                  caption = paste0("Points and ", format_percent(object[["level"]][1]),
                                   " intervals of matched runs. Grey: ", "differences under ",
                                   format_percent(smallest), ", of no interest.", sample),
                  alt = paste0("Ratios of old to new time. ", said, ".")) +
    plain_theme() +
    ggplot2::theme(strip.text.y = ggplot2::element_text(angle = 0, hjust = 0))
}
