# The limit as text and figures.

number3 <- function(x) ifelse(is.na(x), "unknown", trimws(formatC(signif(x, 3), format = "fg", digits = 3)))
noise_text <- function(x) ifelse(is.na(x), "unknown", paste(number3(100 * x), "%"))

basis_words <- c(given = "known beforehand", measured = "told from the scatter",
                 assumed = "assumed: too few probes to tell it")

limit_lines_of <- function(fit) {
  x <- as_frame(confint.limit_fit(fit))
  at <- function(term) x[x[["term"]] == term, , drop = FALSE]
  range <- function(term, show) {
    r <- at(term)
    paste0(show(r[["estimate"]]), " (", show(r[["lower"]]), " to ", show(r[["upper"]]), ")")
  }
  root <- function(v) noise_text(sqrt(v))
  at_counts <- sort(unique(fit$probes[["samples"]]))
  spread <- function(line, half = 1) {
    paste0("spread of one measurement ", percent(line$error[1] / half), ", ", basis_words[[line$basis]])
  }
  c(
    paste0("Limit fit: ", nrow(fit$probes), " probes at ", toString(at_counts), " samples; 95 % intervals"),
    if (length(fit$time)) c(
      paste0("Time: ", range("start", function(v) paste(number3(v), "s")), " + ",
             range("each", function(v) paste(number3(v), "s")), " a sample"),
      if (fit$time$basis != "given") paste0("  ", spread(fit$time))
    ),
    if (length(fit$curve)) c(
      paste0("Noise: ", range("per_sample", root), " over the root of the samples; floor ", range("floor", root)),
      if (fit$curve$basis != "given") paste0("  ", spread(fit$curve, 2))
    ),
    if (length(fit$says)) paste0("The data refuse the law: ", fit$says)
  )
}

#' @export
print.limit_fit <- function(x, ...) {
  show_lines(limit_lines_of(x))
  invisible(x)
}

#' @rdname figures
#' @param target For a limit fit: noise target to mark.
#' @exportS3Method ggplot2::autoplot
autoplot.limit_fit <- function(object, target = NULL, ...) { # nolint: object_name_linter.
  if (is.null(object$curve)) stop_input("figure", "has no noise in it", argument("object"), "Give fit_limit() the noise.")
  probes <- as_frame(object$probes)
  ends <- range(probes[["samples"]])
  along <- exp(seq(log(ends[1] / 1.5), log(ends[2] * 8), length.out = 120))
  curve <- as_frame(predict.limit_fit(object, along))
  probes <- probes[!is.na(probes[["noise"]]), , drop = FALSE]
  promised <- if (length(target)) tryCatch(samples_for(object, target), clockpigeon_error_limit = function(e) NULL)
  title <- if (length(promised)) paste0("A noise of ", noise_text(target), " takes ", promised, " samples")
           else "Each doubling of the samples takes 29 % off the noise, until the floor"
  p <- ggplot2::ggplot(curve, ggplot2::aes(.data[["samples"]], 100 * .data[["noise"]])) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = 100 * .data[["noise_lower"]], ymax = 100 * .data[["noise_upper"]]),
                         fill = "#0072B2", alpha = 0.2) +
    ggplot2::geom_line(colour = "#0072B2", linewidth = 0.9) +
    ggplot2::geom_point(data = probes, size = 2.8) +
    ggplot2::scale_x_log10(breaks = 2^(0:20), minor_breaks = NULL) + ggplot2::scale_y_log10() +
    ggplot2::labs(x = "samples a pixel (each step a factor)", y = "noise, % of brightness (each step a factor)",
                  title = title, subtitle = "points: pairs of renders, measured; line and band: the fit, 95 %",
                  alt = paste0(title, ". Noise against samples, falling along a line of slope one half.")) +
    plain_theme()
  if (length(object$time)) {
    at <- counts_to_label(ends)
    costs <- as_frame(predict.limit_fit(object, at))
    p <- p + ggplot2::geom_text(data = costs, ggplot2::aes(label = format_duration(.data[["seconds"]])),
                                vjust = -1.1, hjust = 0, size = 3.4, colour = "grey30") +
      ggplot2::labs(caption = "beside the line: compute time of a frame at that count")
  }
  if (length(target)) p <- p + ggplot2::geom_hline(yintercept = 100 * target, linetype = 2, colour = "#D55E00") +
    ggplot2::annotate("text", x = ends[1], y = 100 * target, label = paste("target", noise_text(target)), vjust = -0.5,
                      hjust = 0, colour = "#D55E00", size = 3.6)
  if (length(promised)) p <- p + ggplot2::annotate("point", x = promised, y = 100 * target, shape = 18, size = 4.5,
                                                   colour = "#D55E00")
  p
}

counts_to_label <- function(ends) 2^seq(floor(log2(ends[1])), ceiling(log2(ends[2])) + 2, by = 2)
