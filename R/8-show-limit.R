# The limit as text and figures.

format_number3 <- function(x)
  ifelse(is.na(x), "unknown", trimws(formatC(signif(x, 3), format = "fg", digits = 3)))
noise_text <- function(x) ifelse(is.na(x), "unknown", paste(format_number3(100 * x), "%"))

basis_words <- c(given = "known beforehand", measured = "told from the scatter",
                 assumed = "assumed: too few probes to tell it")

# Terms of a fitted noise limit with their intervals, as lines.
limit_term_lines <- function(fit) {
  x <- as_frame(confint.cp_limit_fit(fit))
  at <- function(term) x[x[["term"]] == term, , drop = FALSE]
  range <- function(term, show) {
    r <- at(term)
    paste0(show(r[["estimate"]]), " (", show(r[["lower"]]), " to ", show(r[["upper"]]), ")")
  }
  root <- function(v) noise_text(sqrt(v))
  at_counts <- sort(unique(fit$probes[["samples"]]))
  spread <- function(line, half = 1) {
    paste0("spread of one measurement ", format_percent(line$error[1] / half), ", ",
           basis_words[[line$basis]])
  }
  floor <- if (length(fit$curve) && at("floor")[["upper"]] != 0)
    paste("floor", range("floor", root)) else "no floor"
  seconds <- function(v) paste(format_number3(v), "s")
  c(
    paste0("Limit fit: ", nrow(fit$probes), " probes at ", toString(at_counts),
           " samples; 95 % intervals"),
    if (length(fit$time)) c(
      paste0("Time: ", range("start", seconds), " + ", range("each", seconds), " a sample"),
      if (fit$time$basis != "given") paste0("  ", spread(fit$time))
    ),
    if (length(fit$curve)) c(
      paste0("Noise: ", range("per_sample", root), " over the root of the samples; ", floor),
      if (fit$curve$basis != "given") paste0("  ", spread(fit$curve, 2))
    ),
    if (length(fit$says)) paste0("These measurements do not fit the model: ", fit$says)
  )
}

#' @export
print.cp_limit_fit <- function(x, ...) {
  show_lines(limit_term_lines(x))
  invisible(x)
}

#' @rdname figures
#' @param target For a limit fit: noise target to mark.
#' @param against For a limit fit: the reference of each render, another `"render"` or a
#'   `"reference"`.
#' @exportS3Method ggplot2::autoplot
# nolint: object_name_linter.
autoplot.cp_limit_fit <- function(object, target = NULL, against = "render", ...) {
  if (is.null(object$curve)) {
    stop_input("figure", "has no noise in it", argument("object"), "Give fit_limit() the noise.")
  }
  probes <- as_frame(object$probes)
  ends <- range(probes[["samples"]])
  along <- exp(seq(log(ends[1] / 1.5), log(ends[2] * 8), length.out = 120))
  curve <- as_frame(predict.cp_limit_fit(object, along))
  probes <- probes[!is.na(probes[["noise"]]), , drop = FALSE]
  promised <- if (length(target))
    tryCatch(samples_for(object, target), clockpigeon_error_limit = function(e) NULL)
  title <- if (length(promised))
    paste0("A noise of ", noise_text(target), " takes ", promised, " samples")
           else "Each doubling of the samples takes 29 % off the noise, until the floor"
  p <- ggplot2::ggplot(curve, ggplot2::aes(.data[["samples"]], 100 * .data[["noise"]])) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = 100 * .data[["noise_lower"]],
                                      ymax = 100 * .data[["noise_upper"]]),
                         fill = "#0072B2", alpha = 0.2) +
    ggplot2::geom_line(colour = "#0072B2", linewidth = 0.9) +
    ggplot2::geom_point(data = probes, size = 2.8) +
    ggplot2::scale_x_log10(breaks = 2^(0:20), minor_breaks = NULL) + ggplot2::scale_y_log10() +
    ggplot2::labs(x = "samples a pixel (each step a factor)",
                  y = "noise, % of brightness (each step a factor)",
                  title = title,
                  subtitle = paste0("points: ", if (against == "render") "pairs of renders"
                                    else "renders against a reference",
                                    ", measured; line and band: the fit, 95 %"),
                  alt = paste0(
                    title, ". Noise against samples, falling along a line of slope one half.")) +
    plain_theme()
  if (length(object$time)) {
    at <- counts_to_label(ends)
    costs <- as_frame(predict.cp_limit_fit(object, at))
    p <- p + ggplot2::geom_text(data = costs,
                                ggplot2::aes(label = format_duration(.data[["seconds"]])),
                                vjust = -1.1, hjust = 0, size = 3.4, colour = "grey30") +
      ggplot2::labs(caption = "beside the line: compute time of a frame at that count")
  }
  if (length(target)) p <- p +
    ggplot2::geom_hline(yintercept = 100 * target, linetype = 2, colour = "#D55E00") +
    ggplot2::annotate("text", x = ends[1], y = 100 * target,
                      label = paste("target", noise_text(target)), vjust = -0.5, hjust = 0,
                      colour = "#D55E00", size = 3.6)
  if (length(promised)) p <- p +
    ggplot2::annotate("point", x = promised, y = 100 * target, shape = 18, size = 4.5,
                      colour = "#D55E00")
  p
}

counts_to_label <- function(ends) 2^seq(floor(log2(ends[1])), ceiling(log2(ends[2])) + 2, by = 2)

# A study of the limit: the answer first, then frames, doublings and the three limits.
study_lines <- function(study, steps = NULL, limits = NULL, price = NULL, elsewhere = NULL,
                        width = terminal_width()) {
  frames <- as_frame(study$frames)
  probes <- study$probes
  one_setting <- length(unique(paste(frames$width, frames$height, frames$features))) == 1
  body <- data.frame(
    frame = paste(frames$frame), setting = setting_text(frames),
    "frame needs" = count_text(frames$samples_frame),
    "worst tile needs" = count_text(frames$samples_tile),
    "time at it" = format_duration(frames$seconds),
    interval = range_text(frames$seconds_lower, frames$seconds_upper, format_duration),
    "worst tile" = paste0(frames$top, "-", frames$bottom, ", ", frames$left, "-", frames$right),
    check.names = FALSE
  )
  if (one_setting) body$setting <- NULL
  names(body)[ncol(body)] <- "worst tile|rows, columns"
  head <- frames[1, ]
  c(
    wrap_lines(limit_answer(study, price), width), "",
    wrap_lines(paste0(
      "Limit of ", probes$shot$shot, " with ", probes$engine$engine, " ",
      or_unknown(probes$version), " at ", head$width, "x", head$height, ": ", nrow(probes$pairs),
      if (probes$against == "render") " pairs" else " renders against a reference", " at ",
      toString(sort(unique(probes$pairs$samples))), " samples"
    ), width), "",
    wrap_lines(paste0(answer_lines(study), if (length(price)) price_of_answer(study, price)),
               width), "",
    text_table(body, right = setdiff(names(body), "setting"), width = width, spare = c("interval")),
    wrap_lines(paste0("Frame ", frames$frame, ": ", frames$why, ".")[nzchar(frames$why)], width),
    finding_of_study(study, width),
    if (length(steps)) c("", step_lines(steps, study, price, width)),
    if (length(limits)) c("", limit_table(limits, width)),
    if (length(elsewhere)) c("", elsewhere_table(elsewhere, width))
  )
}

elsewhere_table <- function(x, width) {
  x <- as_frame(x)
  body <- data.frame(device = x$device, speed = number_text(x$speed), frame = paste(x$frame),
                     samples = count_text(round(x$samples)), noise = noise_text(x$noise),
                     check.names = FALSE)
  c(wrap_lines(paste0("Results of a time limit of ", format_duration(x$time_s[1]),
                      " a frame reaches on each machine ",
                      "(speeds from frames that both rendered):"), width),
    text_table(body, right = c("speed", "frame", "samples", "noise"), width = width))
}

or_unknown <- function(x) if (length(x) && !is.na(x)) x else "of unknown version"
count_text <- function(x) ifelse(is.na(x), "not known", formatC(x, format = "d", big.mark = ","))
tile_text <- function(x) paste0("rows ", x$top, "-", x$bottom, ", columns ", x$left, "-", x$right)

setting_text <- function(frames) {
  features <- ifelse(is.na(frames$features), "", plain_features(frames$features))
  trimws(paste0(frames$width, "x", frames$height, " ", features))
}

# {"bounces":"2"} as bounces 2.
plain_features <- function(json) gsub(",", ", ", gsub(":", " ", gsub("[{}\"]", "", json)))

# How many samples, what a frame then takes, and what the next doubling would buy.
limit_answer <- function(study, price = NULL) {
  worst <- as_frame(study$frames)[study$frames[["governs"]], , drop = FALSE]
  if (is.na(worst$samples)) return("No count of samples can be promised.")
  fit <- study$fits[[which(study$frames[["governs"]])]]
  frames <- length(study$probes$shot$frames)
  hourly <- if (length(price)) price$hourly else NA_real_
  next_one <- as_frame(limit_doublings(fit, worst$samples, 2 * worst$samples, hourly, frames))[2, ]
  costs <- if (is.na(next_one$more_cost)) paste0(format_duration(next_one$more_s), " a frame")
           else paste0(format_money(next_one$more_cost, price$currency), " for all ", frames,
                       " frames")
  paste0(count_text(worst$samples), if (worst$samples == 1) " sample; " else " samples; ",
         format_duration(worst$seconds), " a frame; the next doubling costs ", costs, " and takes ",
         format_percent(next_one$noise_saving), " off the noise.")
}

# Samples that meet the target, as a sentence; the reason if no count does.
answer_lines <- function(study) {
  frames <- as_frame(study$frames)
  worst <- frames[frames$governs, , drop = FALSE]
  targets <- paste0("noise ", noise_text(study$targets[["noise"]]), " of the frame and ",
                    noise_text(study$targets[["tile_noise"]]), " of its worst tile, at ",
                    format_percent(study$confidence), " confidence")
  if (is.na(worst$samples)) {
    return(paste0("Target: ", targets, ". No count of samples can be promised for frame ",
                  worst$frame, ": ", worst$why, "."))
  }
  by <- if (worst$samples_tile > worst$samples_frame)
    paste0("its worst tile (", tile_text(worst), ")")
        else "the whole frame"
  paste0("Target: ", targets, ". ", count_text(worst$samples),
         " samples meet it on every probed frame: frame ", worst$frame, " asks for most, by ", by,
         ", and takes ", format_duration(worst$seconds), ".")
}

# The price of all frames of the shot, were each like the worst.
price_of_answer <- function(study, price) {
  worst <- as_frame(study$frames)[study$frames[["governs"]], , drop = FALSE]
  if (is.na(worst$cost)) return("")
  frames <- length(study$probes$shot$frames)
  paste0(" All ", frames, " frames, were each like it: ",
         format_money(worst$cost * frames, price$currency), " at ", price$basis, ".")
}

# Notes for the reader: the law is refused, pixels glare, or neighbours share noise.
finding_of_study <- function(study, width) {
  pairs <- as_frame(study$probes$pairs)
  said <- unlist(lapply(seq_along(study$fits), function(i) {
    says <- study$fits[[i]]$says
    if (length(says)) {
      paste0("Frame ", study$frames[["frame"]][i], ": these measurements do not fit the model: ",
             says, ".")
    }
  }))
  most <- pairs[order(-pairs$samples, -pairs$outliers), , drop = FALSE][1, ]
  glare <- if (most$outliers > 0) {
    paste0("Bright single pixels, not in the noise: ", most$outliers, " of ",
           formatC(most$pixels, big.mark = ",",
           format = "d"), " at ", most$samples, " samples (frame ", most$frame, "), the worst ",
           format_number3(most$worst), " times the mean brightness.")
  }
  shared <- stats::median(pairs$correlation)
  filter <- if (shared > 0.12) {
    paste0("Neighbouring pixels share noise (correlation ", format_number3(shared),
           "): the engine's pixel filter is wider ",
           "than a pixel, and the noise is seen as coarser.")
  }
  display <- if (study$probes$light != "linear") {
    paste(
      "The pictures are made for a display and were brought back to linear light: what they clip",
      "at white has no",
      "noise in them, and 8 bits have a floor.")
  }
  wrap_lines(c(said, glare, filter, display), width)
}

# Table of steps of samples: time, noise, and what the next step takes and gives.
step_lines <- function(steps, study, price, width) {
  steps <- as_frame(steps)
  frames <- length(study$probes$shot$frames)
  body <- data.frame(
    samples = count_text(steps$samples), time = format_duration(steps$seconds),
    noise = noise_text(steps$noise),
    "95 % interval" = range_text(steps$noise_lower, steps$noise_upper, noise_text),
    "more time" = ifelse(is.na(steps$more_s), "", format_duration(steps$more_s)),
    "less noise" = ifelse(is.na(steps$noise_saving), "", format_percent(steps$noise_saving)),
    check.names = FALSE
  )
  if (length(price)) {
    money <- function(x)
      ifelse(is.na(x), "", ifelse(x > 0 & x < 0.005, "under 0.01", format_money(x, price$currency)))
    body[["all frames"]] <- money(steps$cost)
    body[["more money"]] <- money(steps$more_cost)
  }
  governs <- study$frames[["frame"]][study$frames[["governs"]]]
  c(wrap_lines(paste0("Cost and gain of each doubling, frame ", governs, " (the worst)",
                      if (length(price))
                      paste0("; money: all ", frames, " frames as if each were like it, at ",
                             price$basis), ":"), width),
    text_table(body, right = names(body), width = width, spare = c("more money", "95 % interval")))
}

limit_table <- function(limits, width) {
  x <- as_frame(limits)
  body <- data.frame(limit = x$limit, frame = paste(x$frame),
                     samples = count_text(round(x$samples)), time = format_duration(x$seconds),
                     noise = noise_text(x$noise), "ended by" = x$ended_by, check.names = FALSE)
  body <- body[order(match(x$limit, unique(x$limit)), x$frame), , drop = FALSE]
  c(wrap_lines(
    paste(
    "The limits side by side: under samples, time and noise differ between frames; under noise (an",
    "engine that ends each pixel by itself), time does; under time, noise does:"), width),
    text_table(body, right = c("frame", "samples", "time", "noise"), width = width))
}

#' @export
print.cp_study <- function(x, ...) {
  show_lines(study_lines(x))
  invisible(x)
}

#' @export
print.cp_probes <- function(x, ...) {
  show_lines(paste0("Limit probes of ", x$shot$shot, " with ", x$engine$engine, ": ", nrow(x$pairs),
                    " pairs at ", toString(sort(unique(x$pairs$samples))), " samples"))
  invisible(x)
}

difference_lines <- function(x, width = terminal_width()) {
  x <- as_frame(x)
  place <- if (x$verdict == "different") paste0(" (", tile_text(x), ")")
  c(wrap_lines(paste0("Verdict: ", x$verdict, ": ", x$why, place, "."), width),
    wrap_lines(paste0("Difference ", noise_text(x$difference),
                      " of the brightness (root mean square), largest ", noise_text(x$largest),
                      "; mean brightness ", sprintf("%+.2f %%", 100 * x$shift), "."), width))
}

# Table of proposed probes for an open question of a limit.
proposal_lines <- function(x, width = terminal_width(), most = 5) {
  x <- as_frame(x)
  asked <- x$asked[1]
  shown <- x[unlist(lapply(split(seq_len(nrow(x)), x$question), utils::head, most)), , drop = FALSE]
  body <- data.frame(
    question = shown$question,
    region = ifelse(shown$region == "band", paste0("rows ", shown$first_row, "-", shown$last_row),
                    shown$region),
    size = paste0(shown$width, "x", shown$height), "samples, in pairs" = shown$samples,
    time = format_duration(shown$seconds), error = format_percent(shown$error),
    says = ifelse(shown$proposed, ifelse(shown$error <= asked, "proposed", "best there is"),
                  ifelse(shown$error <= asked, "will do", "too vague")), check.names = FALSE
  )
  c(wrap_lines(paste0("Cheapest probes that tell the count within ", format_percent(asked),
                      ", frames ", x$frames[1],
                      "; scouted: time grows with the pixels to the power ",
                      number_text(x$power[1]), " (standard error ", number_text(x$power_se[1]),
                      "):"), width), "",
    text_table(body, right = c("time", "error"), width = width),
    if (nrow(shown) < nrow(x)) paste0("(", nrow(x) - nrow(shown), " more: --format csv has all)"))
}

#' @export
print.cp_proposal <- function(x, ...) {
  show_lines(proposal_lines(x))
  invisible(x)
}

# Table of what changed features do to time and noise.
driver_lines <- function(x, width = terminal_width()) {
  x <- as_frame(x)
  body <- data.frame(
    change = paste0(x$what, " ", x$from, " -> ", x$to), company = plain_features(x$others),
    frame = paste(x$frame), time = number_text(x$time),
    interval = range_text(x$time_lower, x$time_upper), noise = number_text(x$noise),
    "equal noise" = number_text(x$equal_noise), check.names = FALSE
  )
  if (!any(nzchar(x$others))) body$company <- NULL
  sizes <- x$what == "size"
  bent <- !is.na(x$interacts) & x$interacts < 0.01
  c(wrap_lines(
    paste(
    "Drivers of the time: each change alone, new over old: time of a sample, noise at equal",
    "samples,",
    "and time of equal noise:"), width),
    text_table(body, right = c("frame", "time", "interval", "noise", "equal noise"), width = width,
               spare = "interval"),
    if (any(sizes)) wrap_lines(paste0("Time grows with the pixels to the power ",
                                      paste(number_text(range(x$power[sizes])), collapse = " to "),
                                      "."), width),
    if (any(bent)) wrap_lines(paste0("They interact: ", toString(unique(x$what[bent])),
                                     ": a change does not do the same in all company."), width))
}

# Findings of the kept pictures in a comparison; nothing without pictures.
picture_check_lines <- function(x, width = terminal_width()) {
  if (is.null(x) || !nrow(x)) return(NULL)
  x <- as_frame(x)
  bad <- x[x$verdict == "different", , drop = FALSE]
  said <- if (!nrow(bad)) {
    paste0("Pictures: ", nrow(x), " kept pairs looked at, each the same",
           if (any(x$verdict != "same picture")) " but for noise", ".")
  } else {
    places <- paste0(bad$scene, " frame ", bad$frame, ", ", bad$new, " against ", bad$old, " (",
                     bad$why, ")")
    paste0("The pictures are different: ", paste(places, collapse = "; "),
           ". Times of different pictures are no comparison.")
  }
  c("", wrap_lines(said, width))
}
