# Figures of a choice: trade-off, timeline, chance to be done, cost, frames.

# Colours that stay apart under the common colour blindnesses (Okabe & Ito 2008); shape and label
# say the same.
standing_colours <- c("plan" = "#0072B2", "fits" = "#009E73", "does not fit" = "#D55E00")
standing_shapes <- c("plan" = 16, "fits" = 17, "does not fit" = 4)
choice_shows <- c("tradeoff", "timeline", "chance", "cost", "frames")

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.cp_choice <- function(object, show = choice_shows, ...) { # nolint: object_name_linter.
  show <- check_choice(show[1], argument("show"), choice_shows)
  switch(show, tradeoff = plot_tradeoff(object), timeline = plot_timeline(object),
         chance = plot_chance(object), cost = plot_cost(object), frames = plot_usable(object))
}

# Figure of cost against finish for all options, with deadline and budget.
plot_tradeoff <- function(object) {
  need_package("ggrepel", "figures of choices")
  x <- as_frame(object$options)
  x <- x[is.finite(x[["finish_p50"]]), , drop = FALSE]
  if (!nrow(x)) refuse_unfinished("no option")
  x[["standing"]] <- factor(ifelse(x[["pick"]], "plan",
                                   ifelse(x[["fits"]], "fits", "does not fit")),
                            names(standing_colours))
  # Names of the leading options: more would touch each other.
  leads <- order(!x[["pick"]], !x[["non_dominated"]], !x[["fits"]], x[["rank"]])
  named <- seq_len(nrow(x)) %in% utils::head(leads, 7) & (x[["non_dominated"]] | nrow(x) <= 7)
  x[["label"]] <- ifelse(named, x[["option"]], "")
  x[["finish_p90"]] <- pmin(x[["finish_p90"]], 10 * max(x[["finish_p50"]]))
  x <- with_plan(x, object)
  ggplot2::ggplot(x, ggplot2::aes(.data[["finish_p50"]], .data[["cost_p50"]],
                                  colour = .data[["standing"]], shape = .data[["standing"]])) +
    bound_marks(object) +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data[["finish_p10"]],
                                         xmax = .data[["finish_p90"]]), alpha = 0.6) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data[["cost_p10"]], ymax = .data[["cost_p90"]]),
                            alpha = 0.6) +
    ggplot2::geom_point(size = 3.2) +
    ggrepel::geom_text_repel(ggplot2::aes(label = .data[["label"]]), size = 3.5, seed = 1,
                             min.segment.length = 0.3, box.padding = 0.6, bg.color = "white",
                             bg.r = 0.2, max.overlaps = Inf, force = 4, show.legend = FALSE) +
    ggplot2::scale_colour_manual(values = standing_colours, drop = TRUE) +
    ggplot2::scale_shape_manual(values = standing_shapes, drop = TRUE) +
    ggplot2::scale_x_log10(breaks = time_ticks, labels = moment_labels(object),
                           expand = ggplot2::expansion(mult = 0.08),
                           guide = ggplot2::guide_axis(check.overlap = TRUE)) +
    cost_scale(x) +
    ggplot2::labs(x = paste0("finish ", moment_axis(object), ", log scale"),
                  y = paste0("cost, ", object$forecast$scenario$currency,
                             if (has_wide_costs(x)) ", log scale"), colour = NULL,
                  shape = NULL, title = answer_title(object),
                  caption = figure_basis(object$forecast), alt = choice_alt(object)) +
    plain_theme()
}

# Do the costs differ so much that a linear axis would press the cheap options together?
has_wide_costs <- function(x) {
  paid <- x[["cost_p50"]][x[["cost_p10"]] > 0]
  length(paid) == nrow(x) && max(paid) > 20 * min(paid)
}

cost_scale <- function(x) {
  room <- ggplot2::expansion(mult = c(0.06, 0.12))
  if (!has_wide_costs(x)) {
    return(ggplot2::scale_y_continuous(limits = c(0, NA), expand = room))
  }
  steps <- c(outer(c(1, 2, 5), 10^(-3:8)))
  ggplot2::scale_y_log10(breaks = steps, labels = function(v) format(v, trim = TRUE, big.mark = ",",
                                                                     drop0trailing = TRUE),
                         minor_breaks = NULL, expand = room)
}

# The plan among the options, if it combines several.
with_plan <- function(x, choice) {
  plan <- choice$plan
  if (plan$kind == "one") return(x)
  x[["standing"]][x[["standing"]] %in% "plan"] <- "fits"
  row <- x[1, , drop = FALSE]
  points <- function(column) quantile_of(plan$draws[[column]], c(0.1, 0.5, 0.9))
  row[c("finish_p10", "finish_p50", "finish_p90")] <- as.list(points("finish_s"))
  row[c("cost_p10", "cost_p50", "cost_p90")] <- as.list(points("cost"))
  row[["label"]] <- paste0(if (plan$fits) "" else "nearest: ", plan_name(plan))
  row[["standing"]] <- factor(if (plan$fits) "plan" else "does not fit",
                              levels(x[["standing"]]))
  rbind(x, row)
}

# Labels of a time axis: by the clock where jobs take hours, else spans from now.
moment_labels <- function(choice) {
  if (!is_long(choice)) return(tick_labels)
  function(seconds)
    ifelse(is.na(seconds), NA,
           by_clock(ifelse(is.na(seconds), 0, seconds), choice$forecast$scenario))
}
moment_axis <- function(choice) {
  if (!is_long(choice)) return("(time from now)")
  paste0("(", first_of(choice$forecast$scenario$time_zone, "UTC"), ")")
}
is_long <- function(choice) {
  finish <- choice$plan$draws[["finish_s"]]
  isTRUE(stats::median(finish) > 3 * 3600) && is.finite(stats::median(finish))
}

refuse_unfinished <- function(option) {
  stop_input("figure", paste(option, "finishes in any draw"), "the choice",
             "Raise the spend cap, or show = \"frames\".")
}

# Deadline and budget as lines with their names and values.
bound_marks <- function(choice) {
  said <- function(x, y, label, ...)
    ggplot2::annotate("text", x = x, y = y, label = label, size = 3.6,
                      colour = "grey30", ...)
  c(
    if (is.finite(choice$deadline_s)) list(
      ggplot2::geom_vline(xintercept = choice$deadline_s, linetype = 2, colour = "grey40"),
      said(choice$deadline_s, Inf, hjust = 0, vjust = 1.5,
           label = paste("  deadline",
                         if (is_long(choice)) by_clock(choice$deadline_s, choice$forecast$scenario)
                                       else format_duration(choice$deadline_s)))
    ),
    if (is.finite(choice$budget)) list(
      ggplot2::geom_hline(yintercept = choice$budget, linetype = 2, colour = "grey40"),
      said(Inf, choice$budget,
           paste0("budget ", format_money(choice$budget, choice$forecast$scenario$currency), " "),
           hjust = 1, vjust = -0.5)
    )
  )
}

stage_words <- c(held_s = "waiting for the start", prepare_s = "pack", upload_s = "upload",
                 wait_s = "wait", start_s = "start and load", prepass_s = "pre-pass",
                 render_s = "render", closed_s = "closed hours", download_s = "download",
                 encode_s = "encode")

# The stages of the longest chain of events behind each other, at their medians; whiskers from when
# a stage could end.
plot_timeline <- function(choice) {
  i <- leading_options(choice, 1)
  d <- option_rows(choice$forecast, i)
  d <- d[is.finite(d[["finish_s"]]), , drop = FALSE]
  option <- choice$options[["option"]][i]
  if (!nrow(d)) refuse_unfinished("no option")
  ends <- t(apply(as.matrix(d[stage_columns]), 1, cumsum))
  middle <- apply(ends, 2, stats::median)
  x <- data.frame(stage = stage_words[stage_columns], from = c(0, middle[-length(middle)]),
                  to = middle, low = apply(ends, 2, quantile_of, 0.1),
                  high = apply(ends, 2, quantile_of, 0.9),
                  spans = vapply(stage_columns, function(name) stats::median(d[[name]]), 0),
                  share = vapply(stage_columns, function(name) mean(d[[name]] / d[["finish_s"]]),
                                 0))
  x <- x[x$share > 0.0005, , drop = FALSE]
  x$stage <- factor(x$stage, rev(x$stage))
  x$label <- paste0(format_duration(x$spans), " (", format_percent(x$share), ")")
  longest <- as.character(x$stage[which.max(x$share)])
  x$long <- x$stage == longest
  ggplot2::ggplot(x, ggplot2::aes(y = .data[["stage"]])) +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data[["from"]], xmax = .data[["to"]],
                                         colour = .data[["long"]]),
                            linewidth = 7) +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data[["low"]], xmax = .data[["high"]]),
                            linewidth = 0.7,
                            colour = "grey25") +
    ggplot2::geom_text(ggplot2::aes(x = pmax(.data[["high"]], .data[["to"]]),
                                    label = .data[["label"]]), hjust = -0.08,
                       size = 3.5) +
    (if (is.finite(choice$deadline_s))
     ggplot2::geom_vline(xintercept = choice$deadline_s, linetype = 2,
                         colour = "grey40")) +
    ggplot2::scale_colour_manual(values = c("TRUE" = "#D55E00", "FALSE" = "#56B4E9"),
                                 guide = "none") +
    ggplot2::scale_x_continuous(breaks = even_ticks, labels = moment_labels(choice),
                                limits = c(0, NA),
                                expand = ggplot2::expansion(mult = c(0.01, 0.22))) +
    ggplot2::labs(x = if (is_long(choice)) moment_axis(choice) else "time from now", y = NULL,
                  title = paste0(capital_text(longest), " takes longest at ", option),
                  caption = paste0(
                    "Stages of the critical path. Bars: medians. Lines: 80 % range of each ",
                    "stage's end (", nrow(d), " draws).\nIn brackets: mean share of the total.",
                    if (is.finite(choice$deadline_s)) " Dashed: deadline."),
                  alt = paste0("Stages of ", option, ": ",
                               paste0(rev(levels(x$stage)), " ", x$label, collapse = ", "), ".")) +
    plain_theme()
}

# Chance to be done by each moment, for the leading options.
plot_chance <- function(choice) {
  several <- choice$plan$kind != "one"
  at <- leading_options(choice, if (several) 4 else 5)
  series <- lapply(at, function(i) option_rows(choice$forecast, i)[["finish_s"]])
  names(series) <- choice$options[["option"]][at]
  if (several) series <- c(stats::setNames(list(choice$plan$draws[["finish_s"]]),
                                           plan_name(choice$plan)), series)
  x <- do.call(rbind, lapply(names(series), function(name) {
    finish <- sort(series[[name]])
    chance <- seq_along(finish) / length(finish)
    keep <- unique(round(seq(1, length(finish), length.out = 200)))
    data.frame(option = name, finish = finish[keep], chance = chance[keep])
  }))
  x <- x[is.finite(x$finish), , drop = FALSE]
  if (!nrow(x)) refuse_unfinished("no option")
  x$option <- factor(x$option, names(series))
  ends <- x[!duplicated(x$option, fromLast = TRUE), , drop = FALSE]
  nearly_all <- vapply(split(x$finish, x$option),
                       function(f) if (length(f)) f[ceiling(0.95 * length(f))] else 0, 0)
  late <- 1.5 * max(nearly_all)
  unit <- if (late > 6 * 3600) 3600 else if (late > 600) 60 else 1
  ggplot2::ggplot(x, ggplot2::aes(.data[["finish"]] / unit, .data[["chance"]],
                                  colour = .data[["option"]], linetype = .data[["option"]])) +
    ggplot2::geom_hline(yintercept = choice$confidence, colour = "grey70") +
    ggplot2::geom_step(linewidth = 0.9) +
    (if (is.finite(choice$deadline_s))
     ggplot2::geom_vline(xintercept = choice$deadline_s / unit, linetype = 2,
                         colour = "grey40")) +
    ggplot2::scale_colour_manual(values = series_colours, name = NULL) +
    ggplot2::scale_linetype_manual(values = c(1, 2, 4, 5, 6, 3, 1, 2), name = NULL) +
    ggplot2::scale_y_continuous(limits = c(0, 1), labels = format_percent) +
    ggplot2::coord_cartesian(xlim = c(0, min(late, max(ends$finish)) / unit)) +
    ggplot2::guides(colour = ggplot2::guide_legend(nrow = 2)) +
    ggplot2::scale_x_continuous(labels = if (is_long(choice)) function(v)
                                moment_labels(choice)(v * unit)
                                         else ggplot2::waiver()) +
    ggplot2::labs(x = if (is_long(choice)) paste("finish", moment_axis(choice))
                      else paste0(c("1" = "seconds", "60" = "minutes",
                                    "3600" = "hours")[[paste(unit)]], " from now"),
                  y = "finished by then",
                  title = answer_title(choice),
                  caption = paste0("Share of ", choice$forecast$n,
                                   " draws finished by each moment. Grey: required, ",
                                   format_percent(choice$confidence), ".",
                                   if (is.finite(choice$deadline_s)) " Dashed: deadline."),
                  alt = paste0("Share of draws finished over time: ", toString(names(series)),
                               ".")) +
    plain_theme()
}

# Components of the cost, by the lines of the bill, in the job's currency.
plot_cost <- function(choice) {
  at <- leading_options(choice)
  rows <- lapply(at, function(i) {
    run <- option_run(choice$forecast, i)
    lines <- stats::setNames(run$lines$mean, sub(" on .*|, tier .*", "", run$lines$item))
    extra <- stats::setNames(run$extra$mean, run$extra$item)
    parts <- c(lines, "up to a minimum" = extra[["minimum"]], tax = extra[["tax"]],
               discount = -extra[["discount"]], gifts = -extra[["gifts"]])
    parts <- parts[abs(parts) > 0.004]
    if (!length(parts)) parts <- c(rendering = 0)
    data.frame(option = choice$options[["option"]][i], part = names(parts),
               cost = unname(parts) * run$rate)
  })
  x <- do.call(rbind, rows)
  x$option <- factor(x$option, rev(choice$options[["option"]][at]))
  x$part <- factor(x$part, unique(x$part))
  totals <- stats::aggregate(cost ~ option, x, sum)
  fills <- rep_len(c("#0072B2", "#E69F00", "#009E73", "#CC79A7", "#56B4E9", "#D55E00", "#999999",
                     "#000000"),
                   nlevels(x$part))
  currency <- choice$forecast$scenario$currency
  # A budget far beyond all of them would only press the bars together.
  near <- is.finite(choice$budget) && choice$budget < 1.5 * max(totals$cost)
  ggplot2::ggplot(x, ggplot2::aes(.data[["cost"]], .data[["option"]])) +
    ggplot2::geom_col(ggplot2::aes(fill = .data[["part"]]), width = 0.6, colour = "white") +
    ggplot2::geom_text(data = totals, ggplot2::aes(x = pmax(.data[["cost"]], 0),
                                                   label = format_money(.data[["cost"]], currency)),
                       hjust = -0.1, size = 3.6) +
    (if (near) ggplot2::geom_vline(xintercept = choice$budget, linetype = 2, colour = "grey40")) +
    ggplot2::scale_fill_manual(values = fills, name = NULL) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0.01, 0.16))) +
    ggplot2::labs(x = paste0("mean cost (", currency, ")"), y = NULL,
                  title = cost_title(totals, choice$options[["option"]][at[1]], currency),
                  caption = paste0(
                    "Means of the draws by line of the bill; reductions are below zero.",
                    if (near) " Dashed: budget."
                    else if (is.finite(choice$budget))
                    paste0(" Budget: ", format_money(choice$budget,
                                                                                       currency),
                           ".")),
                  alt = paste0("Mean cost of ", length(at), " options: ",
                               paste0(totals$option, " ", format_money(totals$cost, currency),
                                      collapse = ", "), ".")) +
    plain_theme()
}

# `option`: the plan's, or the one that misses the limits by least.
cost_title <- function(totals, option, currency) {
  cost <- totals$cost[totals$option == option]
  paste0(option, " costs ", format_money(cost, currency), " on average")
}

# Usable frames at each moment, and where a spend cap stops them.
plot_usable <- function(choice) {
  at <- leading_options(choice, 3)
  x <- do.call(rbind, lapply(at, function(i) {
    run <- option_run(choice$forecast, i)
    data.frame(option = choice$options[["option"]][i], run$frames, total = run$total,
               capped = run$capped)
  }))
  x$option <- factor(x$option, choice$options[["option"]][at])
  capped <- unique(x[x$capped > 0, c("option", "capped")])
  unit <- if (max(x$at) > 6 * 3600) 3600 else if (max(x$at) > 600) 60 else 1
  ggplot2::ggplot(x, ggplot2::aes(.data[["at"]] / unit, .data[["middle"]])) +
    ggplot2::geom_hline(yintercept = x$total[1], colour = "grey70") +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data[["low"]], ymax = .data[["high"]]),
                         fill = "#56B4E9", alpha = 0.4) +
    ggplot2::geom_line(colour = "#0072B2", linewidth = 0.9) +
    (if (is.finite(choice$deadline_s))
     ggplot2::geom_vline(xintercept = choice$deadline_s / unit, linetype = 2,
                         colour = "grey40")) +
    ggplot2::facet_wrap(ggplot2::vars(.data[["option"]]), ncol = 1, scales = "free_x") +
    ggplot2::labs(x = paste0(c("1" = "seconds", "60" = "minutes", "3600" = "hours")[[paste(unit)]],
                             " from now"),
                  y = "usable frames at home",
                  title = if (nrow(capped)) paste0("A spend cap stops ", capped$option[1], " in ",
                                                   format_percent(capped$capped[1]), " of draws")
                          else paste0("Frames as they come home, of ", x$total[1]),
                  caption = paste0("Line: median; band: middle 80 % of draws; grey: all frames.",
                                   if (is.finite(choice$deadline_s)) " Dashed: deadline."),
                  alt = paste0("Usable frames against time for ",
                               toString(choice$options[["option"]][at]), ".")) +
    plain_theme()
}

figure_basis <- function(forecast) {
  doubts <- doubt_words(forecast$scenario)
  lines <- c(paste("Points: medians; ranges: middle 80 % of", forecast$n, "draws."),
             paste0("Frame times: ", evidence_line(main_job(forecast$scenario)), "."),
             if (length(doubts)) paste0(doubts, "."))
  paste(unlist(lapply(lines, strwrap, width = 130, exdent = 2)), collapse = "\n")
}

choice_alt <- function(x) {
  t <- as_frame(x$options)
  paste0("Cost against finish time of ", nrow(t), " options. ", answer_title(x), ". ",
         paste0(t[["option"]], ": ", format_duration(t[["finish_p50"]]), ", ",
                format_money(t[["cost_p50"]], t[["currency"]][1]),
                ifelse(t[["fits"]], ", fits", ", does not fit"),
                collapse = "; "), ".")
}
