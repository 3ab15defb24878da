# Lessons of past jobs, in words and as a figure.

# `x` from learned().
learned_lines <- function(x, width = terminal_width()) {
  scores <- as_frame(x$scores)
  if (!nrow(scores)) {
    return(
      wrap_lines(
      "Nothing learned yet: no job was settled. To settle one: clockpigeon settle JOB", width))
  }
  jobs <- length(unique(x$outcomes[["job"]]))
  scores <- scores[order(scores[["site"]], match(scores[["what"]], names(figure_names)),
                         match(scores[["at"]], c("before", left_moments))), , drop = FALSE]
  at <- ifelse(scores[["at"]] == "before", "",
               paste(" at", c(quarter = "a quarter", half = "the half",
                                                             "three quarters" =
                              "3 quarters")[scores[["at"]]]))
  body <- data.frame(site = scores[["site"]], what = paste0(figure_words(scores[["what"]]), at),
                     said_by = source_words(scores),
                     jobs = paste(scores[["jobs"]]),
                     "in range" = ifelse(is.na(scores[["inside"]]), "",
                                         paste(scores[["inside"]], "of",
                                               scores[["jobs"]])),
                     "actual / forecast" = ifelse(scores[["bias"]] > 20, "over 20",
                                           formatC(scores[["bias"]], format = "f",
                                                   digits = 2)),
                     error = ifelse(scores[["whose"]] %in% c("site", "seller"), "",
                                       off_words(scores[["crps"]])),
                     check.names = FALSE)
  names(body)[2:3] <- c("figure", "source")
  c(wrap_lines(paste0(jobs, if (jobs == 1) " settled job." else " settled jobs.",
                      " In range: jobs that ended in the 80 % range. Actual / forecast: ratio to ",
                      "the median forecast. Error: CRPS of logs, in percent."), width), "",
    text_table(body, right = c("jobs", "in range", "actual / forecast", "error"), width = width),
    "",
    claim_lines(scores, width), correction_lines(x, width), rate_lines(x, width))
}

off_words <- function(crps) ifelse(crps > log(10), "over 900 %", format_percent(exp(crps) - 1))

figure_names <- c(finish_s = "finish", cost = "cost", left_s = "time left",
                  speed = "time per frame", wait_s = "waiting", start_s = "starting",
                  upload_s = "uploading", failed = "failed runs", drift = "drift from job to job")
figure_words <- function(what) unname(figure_names[what])
source_names <- c(forecast = "forecast", "as is" = "uncorrected", site = "the site",
                  seller = "the seller")
source_words <- function(x) unname(source_names[x[["whose"]]])

claim_lines <- function(scores, width) {
  said <- scores[scores[["whose"]] == "site", , drop = FALSE]
  unlist(lapply(seq_len(nrow(said)), function(k) {
    jobs <- said[["jobs"]][k]
    text <- paste0("The remaining time that ", said[["site"]][k], " stated halfway was ",
                   claim_error_text(said[["bias"]][k]), " (", jobs,
                   if (jobs == 1) " job)." else " jobs).")
    wrap_lines(text, width)
  }))
}

# `factor`: the time that was left over the time that was claimed.
claim_error_text <- function(factor) {
  if (abs(log(factor)) < 0.05) return("about right")
  if (factor > 20) return("more than 20 times too short")
  if (factor > 1) return(paste(format(signif(factor, 2)), "times too short"))
  paste(format(signif(1 / factor, 2)), "times too long")
}

# Corrections of the next forecasts, as lines.
correction_lines <- function(x, width) {
  rows <- as_frame(x$corrections)
  if (!nrow(rows)) return(NULL)
  says <- vapply(seq_len(nrow(rows)), function(k) {
    row <- as.list(rows[k, ])
    row$bias <- log(row$factor)
    correction_sentence(row)
  }, "")
  named <- paste0(rows[["site"]], ", tier ", rows[["tier"]],
                  ifelse(rows[["known"]] == "said", " (claimed speed)", ""))
  kept <- nzchar(says)
  c(if (any(kept))
    c("", wrap_lines("Corrections to the next forecasts (--as-is ignores them):", width),
      unlist(lapply(paste0("- ", named[kept], ": ", says[kept], "."), wrap_lines, width = width)))
    else c("", wrap_lines("No forecast changes.", width)))
}

# Learned rates of stages and failures, as a table.
rate_lines <- function(x, width) {
  rows <- as_frame(x$rates)
  if (!nrow(rows)) return(NULL)
  stage <- rows[["what"]] %in% names(stage_priors)
  value <- rate_words(rows, rows[["learned"]])
  wider <- stage & abs(log(rows[["width"]])) > 0.04
  value[wider] <- paste0(value[wider], ", ranges times ",
                         format(signif(rows[["width"]][wider], 2), trim = TRUE))
  prior <- rate_words(rows, rows[["prior"]])
  prior <- ifelse(stage, paste0(prior, " +-", format_percent(exp(rows[["prior_sd"]]) - 1)),
                  paste0(prior, ", as ", rows[["prior_jobs"]],
                         ifelse(rows[["what"]] == "failed", " runs", " jobs")))
  hours <- ifelse(is.na(rows[["hours"]]), "", paste0(", ", rows[["hours"]], " h UTC"))
  tier <- ifelse(is.na(rows[["tier"]]), "all", rows[["tier"]])
  body <- data.frame(site = rows[["site"]], tier = tier,
                     what = paste0(figure_words(rows[["what"]]), hours), learned = value,
                     "before any" = prior, jobs = paste(rows[["jobs"]]), check.names = FALSE)
  c("", text_table(body, right = "jobs", spare = "before any", width = width))
}

# A rate in words: a share, a spread, or times the forecast.
rate_words <- function(rows, value) {
  ifelse(rows[["what"]] == "failed", format_percent(value),
         ifelse(rows[["what"]] == "drift", paste0("+-", format_percent(exp(value) - 1)),
                ifelse(value == 1, "1", paste(formatC(value, format = "f", digits = 2), "times"))))
}

#' @export
print.cp_learned <- function(x, ...) {
  show_lines(learned_lines(x))
  invisible(x)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_learned <- function(object, ...) { # nolint: object_name_linter.
  x <- as_frame(or_else(object$outcomes, data.frame()))
  x <- x[x[["what"]] %in% c("finish_s", "cost") & x[["p50"]] > 0 & x[["actual"]] > 0, ,
         drop = FALSE]
  if (!NROW(x)) {
    stop_input("figure", "has no job that was settled", "what was learned",
               "Settle one: clockpigeon settle JOB.")
  }
  x$figure <- factor(figure_words(x[["what"]]), figure_names)
  shown <- as_frame(object$shown)
  at <- match(row_key(x, c("job", "site", "what")), row_key(shown, c("job", "site", "what")))
  x$number <- factor(x[["job"]], rev(unique(x[["job"]])))
  for (name in c("p10", "p90")) {
    x[[paste0("shown_", name)]] <- shown[[name]][at] / x[["p50"]]
    x[[name]] <- pmax(x[[name]], 1e-6) / x[["p50"]]
  }
  x$actual <- x[["actual"]] / x[["p50"]]
  kept <- !is.na(x[["shown_p10"]]) & x[["shown_p10"]] > 0
  low <- ifelse(kept, x[["shown_p10"]], x[["p10"]])
  high <- ifelse(kept, x[["shown_p90"]], x[["p90"]])
  x$inside <- ifelse(x[["actual"]] >= low & x[["actual"]] <= high, "inside", "outside")
  x[c("low", "high")] <- list(low, high)
  count <- table(factor(x[["inside"]], c("inside", "outside")))
  ggplot2::ggplot(x, ggplot2::aes(y = .data[["number"]])) +
    ggplot2::geom_vline(xintercept = 1, colour = "grey60") +
    ggplot2::geom_segment(ggplot2::aes(x = .data[["low"]], xend = .data[["high"]],
                                       yend = .data[["number"]]),
                          colour = "grey78", linewidth = 4) +
    ggplot2::geom_segment(ggplot2::aes(x = .data[["p10"]], xend = .data[["p90"]],
                                       yend = .data[["number"]]),
                          colour = "grey45", linewidth = 0.7) +
    ggplot2::geom_point(ggplot2::aes(x = .data[["actual"]], colour = .data[["inside"]],
                                     shape = .data[["inside"]]),
                        size = 3) +
    ggplot2::facet_grid(ggplot2::vars(.data[["site"]]), ggplot2::vars(.data[["figure"]]),
                        scales = "free_y", space = "free_y") +
    ggplot2::scale_x_continuous(trans = "log2",
                                labels = function(v) format(signif(v, 2), drop0trailing = TRUE),
                                breaks = 2^(-4:6 / 2)) +
    ggplot2::scale_colour_manual(values = c(inside = series_colours[1],
                                            outside = series_colours[2])) +
    ggplot2::scale_shape_manual(values = c(inside = 16, outside = 17)) +
    ggplot2::labs(x = "times the middle of its forecast before any correction", y = NULL,
                  colour = NULL, shape = NULL,
                  title = paste0(count[["inside"]], " of ", sum(count),
                                 " figures ended in their 80 % range"),
                  caption = paste0(
                    "Bars: the 80 % range as it was shown. Lines: before any correction. ",
                    "Points: actual."),
                  alt = paste0("What became of ", length(unique(x[["job"]])),
                               " jobs beside their forecasts: ", count[["inside"]], " of ",
                               sum(count), " figures in their 80 % range.")) +
    plain_theme()
}
