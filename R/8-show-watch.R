# How a placed job stands, as text.

# `x` from watch_job(); `wide` columns; `unicode` where the terminal can show blocks.
watch_lines <- function(x, width = terminal_width(), unicode = cli::is_utf8_output()) {
  parts <- as_frame(x$parts)
  clock <- function(seconds) by_clock(seconds, x$state$scenario)
  body <- data.frame(part = parts[["option"]],
                     frames = paste(parts[["here"]], "of", parts[["frames"]]),
                     "of the work" = format_percent(parts[["work"]]),
                     "last frame" = ifelse(is.finite(parts[["last"]]), clock(parts[["last"]]),
                                           "none yet"),
                     finish = clock(parts[["finish_p50"]]), check.names = FALSE)
  said <- watch_words(x)
  placed <- clock_text(x$placed, first_of(x$state$scenario$time_zone, "UTC"), date = TRUE)
  sites <- unique(parts[["site"]])
  c(paste0(x$job, " at ", paste(sites, collapse = " and "), ", started ", placed), "",
    unlist(Map(labelled_lines, names(said), said, 10, width), use.names = FALSE), "",
    text_table(body, right = c("frames", "of the work", "last frame", "finish"),
               spare = "last frame", width = width), "",
    strip_lines(x, width, unicode), node_lines(x, width), alarm_lines(x, width))
}

# Progress, finish, cost and next action, each a sentence.
watch_words <- function(x) {
  parts <- as_frame(x$parts)
  scenario <- x$state$scenario
  asked <- x$state$asked
  clock <- function(seconds) by_clock(seconds, scenario)
  finish <- clock(quantile_of(x$draws[["finish_s"]], c(0.5, 0.1, 0.9)))
  cost <- x$draws[["cost"]]
  about <- function(v) format_about(v, stats::sd(cost) / sqrt(length(cost)))
  range <- about(quantile_of(cost, c(0.1, 0.9)))
  there <- sum(parts[["here"]])
  ready <- sum(parts[["there"]]) - there
  ended <- there == sum(parts[["frames"]])
  c(
    Progress = progress_words(x, parts, there, ready),
    Finish = finish_words(x, finish, asked, clock),
    Cost = paste0(about(x$mean), " ", scenario$currency, " on average",
                  if (range[1] != range[2])
                  paste0(" (80 % range ", format_span(range[1], range[2]), ")"),
                  ". Forecast at the start: ", about(x$promised$cost_mean), ".",
                  if (is.finite(asked$budget)) paste0(" Budget: ", about(asked$budget), ".")),
    "Do now" = if (ended) "All frames are received." else next_action(x, ready),
    "Site says" = if (!is.na(x$happened$claim) && !ended && finish[1] != "never") {
      paste0(clock(x$happened$claimed_at + x$happened$claim), ", reported ",
             format_duration(x$passed_s - x$happened$claimed_at), " ago.")
    }
  )
}

# `there`: received frames; `ready`: further frames that a site has ready.
progress_words <- function(x, parts, there, ready) {
  last <- max(c(parts[["last"]][is.finite(parts[["last"]])], -Inf))
  held <- if (isTRUE(x$happened$stopped)) " The job was stopped." else
    if (isTRUE(x$happened$paused)) " The job is paused."
  work <- if (nrow(parts) == 1 && there + ready > 0)
    paste0(" (", format_percent(parts[["work"]]), " of the work)")
  paste0(whole_number(there + ready), " of ", whole_number(sum(parts[["frames"]])),
         " frames rendered", work,
         if (ready) paste0(", ", whole_number(there), " downloaded"), ".",
         if (last > -Inf) paste0(" Last frame ", format_duration(x$passed_s - last), " ago."),
         held,
         if (x$unknown) paste0(" Other files: ", x$unknown, "."))
}

# `finish`: median and ends of the range, as texts.
finish_words <- function(x, finish, asked, clock) {
  if (finish[1] == "never") return("Never at this rate: see below.")
  chance <- if (is.finite(asked$deadline_s)) {
    paste0(" On time for ", clock(asked$deadline_s), ": ",
           format_chance_near(x$p_deadline, asked$confidence), " (at the start: ",
           format_percent(x$promised$p_deadline), ").")
  }
  paste0(finish[1],
         if (finish[2] != finish[3]) paste0(" (80 % range ", clock_range(finish), ")"), ".",
         chance)
}

# The action of the gravest alarm that is due now; else what could be fetched.
next_action <- function(x, ready) {
  alarms <- as_frame(x$alarms)
  now <- alarms[alarms[["level"]] == "now", , drop = FALSE]
  command <- function(name) paste0("\n  clockpigeon ", name, " ", x$job)
  if (nrow(now)) {
    does <- c(money = "stop", halted = "fetch", behind = "fetch")[now[["code"]][1]]
    return(paste0(now[["action"]][1], if (!is.na(does)) command(does)))
  }
  if (ready) paste0("Nothing. To download rendered frames:", command("fetch")) else "Nothing."
}

# Jobs that run, a line each.
running_jobs_lines <- function(x, width = terminal_width()) {
  x <- as_frame(x)
  if (!nrow(x)) return("No job is running. To place a recorded decision: clockpigeon place JOB")
  clock <- function(text) ifelse(is.na(text), "unknown", substr(sub("T", " ", text), 6, 16))
  there <- ifelse(is.na(x[["frames"]]), "", paste(x[["there"]], "of", x[["frames"]]))
  body <- data.frame(job = x[["job"]], frames = there, finish = clock(x[["p50"]]),
                     "90 % by" = clock(x[["p90"]]), "on time" = format_percent(x[["p_deadline"]]),
                     alarm = ifelse(is.na(x[["alarm"]]), "", x[["alarm"]]), check.names = FALSE)
  told <- which(!is.na(x[["says"]]))
  c(text_table(body, right = c("frames", "finish", "90 % by", "on time"), width = width),
    "Times are UTC.",
    unlist(lapply(paste0(x[["job"]], ": ", x[["says"]], ".")[told], wrap_lines, width = width)))
}

# The job's frames in their order, one mark for as many as fit: what the worst of them is, and how
# many are there.
strip_marks <- function(came, states, cells, unicode = TRUE) {
  n <- length(came)
  cell <- pmin(cells, floor((seq_len(n) - 1) * cells / n) + 1)
  there <- tapply(is.finite(came), cell, mean)
  has <- function(state) tapply(states %in% state, cell, any)
  marks <- if (unicode) c("\u2591", "\u2592", "\u2588") else c(".", "+", "#")
  out <- marks[1 + (there > 0) + (there == 1)]
  out[has("rendering")] <- "r"
  out[has("failed") & there < 1] <- "x"
  paste(out, collapse = "")
}

strip_lines <- function(x, width, unicode) {
  cells <- min(length(x$came), width - 8)
  states <- frame_states_of(x)
  marks <- if (unicode) c("\u2588", "\u2592", "\u2591") else c("#", "+", ".")
  c(paste0("Frames  ", strip_marks(x$came, states, cells, unicode)),
    paste0("        ", wrap_lines(paste0(marks[1], " received, ", marks[2],
                                         " in part, r rendering, x failed, ", marks[3],
                                         " not started"),
                                  width - 8)))
}

# The state of each frame of the job, by its place in it.
frame_states_of <- function(x) {
  columns <- job_columns(x$state$job)
  x$frames[["state"]][match(paste(columns[["shot"]], columns[["frame"]]),
                            paste(x$frames[["shot"]], x$frames[["frame"]]))]
}

# Nodes that said something of themselves.
node_lines <- function(x, width, most = 12) {
  nodes <- x$nodes
  if (!NROW(nodes)) return(NULL)
  open <- x$frames[x$frames[["state"]] == "rendering", , drop = FALSE]
  at <- match(nodes[["node"]], open[["node"]])
  doing <- ifelse(!nodes[["up"]], "gone",
                  ifelse(is.na(at), "idle", paste(open[["shot"]][at], open[["frame"]][at])))
  body <- data.frame(node = nodes[["node"]], frames = paste(nodes[["frames"]]),
                     "per frame" = format_duration(nodes[["busy_s"]] / pmax(nodes[["frames"]], 1)),
                     "last report" = paste(format_duration(pmax(x$passed_s - nodes[["last"]], 0)),
                                           "ago"),
                     doing = doing,
                     check.names = FALSE)
  c("", text_table(utils::head(body, most), right = c("frames", "per frame", "last report"),
                   width = width),
    if (nrow(body) > most) paste("and", nrow(body) - most, "more"))
}

# Alarms, each with its mark: ! now, * soon, - to know.
alarm_lines <- function(x, width) {
  alarms <- as_frame(x$alarms)
  if (!nrow(alarms)) return(NULL)
  marks <- c(now = "!", soon = "*", note = "-")[alarms[["level"]]]
  until <- ifelse(is.na(alarms[["until_s"]]) | alarms[["until_s"]] <= x$passed_s, "",
                  paste0(" (until ", by_clock(alarms[["until_s"]], x$state$scenario), ")"))
  c("", unlist(lapply(paste0(marks, " ", capital_text(alarms[["says"]]), ". ", alarms[["action"]],
                             until), wrap_lines,
                      width = width)))
}

capital_text <- function(text) paste0(toupper(substr(text, 1, 1)), substring(text, 2))

# Present alternatives as a table; `ways` from job_alternatives() or job_what_if().
alternatives_lines <- function(x, ways = job_alternatives(x), width = terminal_width(), most = 8) {
  ways <- as_frame(ways)
  clock <- function(seconds) by_clock(seconds, x$state$scenario)
  kept <- ways[unique(c(seq_len(min(most, nrow(ways) - 1)), nrow(ways))), , drop = FALSE]
  stop <- kept[["option"]] == "stop"
  body <- data.frame(alternative = ifelse(is.na(kept[["site"]]) |
                                          startsWith(kept[["option"]], "add "),
                                  kept[["option"]],
                                  paste("rest to", kept[["option"]])),
                     finish = ifelse(stop, paste(kept[["frames"]], "frames"),
                                   clock(kept[["finish_p50"]])),
                     "90 % by" = ifelse(stop, "", clock(kept[["finish_p90"]])),
                     cost = format_money(kept[["cost_mean"]], x$state$scenario$currency),
                     likely = ifelse(stop, "", format_percent(kept[["p_both"]])),
                     check.names = FALSE)
  under_way <- sum(x$frames[["state"]] == "rendering")
  c("", text_table(body, right = c("finish", "90 % by", "cost", "likely"), width = width),
    unlist(lapply(which(!is.na(kept[["note"]])), function(k) {
      wrap_lines(paste0("First: ", body[["alternative"]][k], ": ", kept[["note"]][k], "."), width)
    })),
    wrap_lines(paste0(if (all(is.na(x$at_sites[["charged"]])))
                      "The cost so far is estimated from the finished work."
                      else "The cost so far is what the site charged.", if (under_way) paste0(
      " ", under_way, if (under_way == 1) " running frame" else " running frames",
      " would be paid twice elsewhere, and would be lost at a stop.")), width))
}

#' @export
print.cp_watch <- function(x, ...) {
  show_lines(watch_lines(x))
  invisible(x)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
# nolint: object_name_linter.
autoplot.cp_watch <- function(object, show = c("belief", "frames"), ...) {
  show <- check_choice(show[1], argument("show"), c("belief", "frames"))
  if (show == "belief") plot_belief(object) else plot_arrivals(object)
}

# Seconds from the placing as the clock's times, at round ones.
watch_axis <- function(x, scale = ggplot2::scale_x_continuous, ...) {
  scenario <- x$state$scenario
  label <- function(seconds) by_clock(seconds, scenario)
  round <- function(range) {
    as.numeric(pretty(as.POSIXct(x$placed + range, tz = first_of(scenario$time_zone, "UTC")), 6)) -
      as.numeric(x$placed)
  }
  scale(labels = label, breaks = round, ...)
}

# When it is done, as it was believed at each moment: a range that narrows, the deadline, and where
# the two meet, the end.
plot_belief <- function(x) {
  b <- as_frame(belief_of(x))
  asked <- x$state$asked
  label <- function(seconds) by_clock(seconds, x$state$scenario)
  last <- b[nrow(b), ]
  top <- max(b[["p90"]][is.finite(b[["p90"]])], x$passed_s, 1)
  # A distant deadline would press the ranges flat: it is then stated, not drawn.
  far <- is.finite(asked$deadline_s) && asked$deadline_s > 2 * top
  deadline <- if (is.finite(asked$deadline_s) && !far)
    data.frame(y = asked$deadline_s, text = "deadline")
  top <- max(top, deadline$y)
  events <- watch_marks(x)
  ggplot2::ggplot(b, ggplot2::aes(.data[["at_s"]])) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data[["p10"]], ymax = .data[["p90"]]),
                         fill = "#56B4E9", alpha = 0.35) +
    ggplot2::geom_line(ggplot2::aes(y = .data[["p50"]]), colour = "#0072B2") +
    ggplot2::geom_abline(slope = 1, intercept = 0, linetype = 3, colour = "grey50") +
    (if (length(deadline))
     ggplot2::geom_hline(yintercept = deadline$y, colour = "#D55E00", linetype = 2)) +
    (if (length(deadline))
     ggplot2::annotate("text", x = 0, y = deadline$y, label = "deadline", hjust = 0, vjust = -0.5,
                       colour = "#D55E00", size = 3.5)) +
    (if (nrow(events))
     ggplot2::geom_vline(data = events, ggplot2::aes(xintercept = .data[["at_s"]]),
                         colour = "grey60")) +
    (if (nrow(events))
     ggplot2::geom_text(data = events, ggplot2::aes(.data[["at_s"]], 0, label = .data[["what"]]),
                        angle = 90, hjust = 0, vjust = -0.4, size = 3, colour = "grey35")) +
    watch_axis(x) + watch_axis(x, ggplot2::scale_y_continuous, limits = c(0, top)) +
    ggplot2::labs(x = "time", y = "finish",
                  title = paste0("Job ", x$job, ": ", done_title(x, label(last[["p50"]]))),
                  caption = paste0(
                    "Line and band: median and 80 % range of the finish, as forecast over time.",
                    "\nDotted line: now. The job finishes where the two meet.",
                    if (far) paste0(" Deadline: ", label(asked$deadline_s), ", above the figure.")),
                  alt = paste0("When job ", x$job,
                               " is done, as believed at each moment: at last between ",
                               label(last[["p10"]]), " and ", label(last[["p90"]]), ".")) +
    plain_theme()
}

# When it is done, or that it will not be as it stands.
done_title <- function(x, done) {
  ended <- x$at_sites[["site"]][!is.na(x$at_sites[["halted_s"]])]
  lost <- sum(is.infinite(x$came))
  if (!length(ended) || !lost) return(paste("done", done))
  paste0("not done, ", ended[1], " ended it with ", lost, " frames to come")
}

# Events worth showing, at most a dozen: lost nodes, the checkpoint, alarms of the pace.
watch_marks <- function(x, most = 12) {
  nodes <- x$nodes
  gone <- nodes[!nodes[["up"]], , drop = FALSE]
  parts <- as_frame(x$parts)
  slow <- parts[parts[["slowed"]] & parts[["factor"]] >= worth_telling, , drop = FALSE]
  look <- x$look$at_s[x$look$at_s <= x$passed_s]
  ended <- which(!is.na(x$at_sites[["halted_s"]]))
  out <- data.frame(at_s = c(gone[["last"]], slow[["since_s"]], look,
                             x$at_sites[["halted_s"]][ended]),
                    what = c(sprintf("%s gone", gone[["node"]]),
                             sprintf("%s slower", slow[["site"]]),
                             rep("look", length(look)),
                             sprintf("%s ended it", x$at_sites[["site"]][ended])))
  utils::head(out[order(out[["at_s"]]), , drop = FALSE], most)
}

# Frames that had come by each moment, by part.
plot_arrivals <- function(x) {
  parts <- as_frame(x$parts)
  events <- watch_marks(x)
  all <- sum(parts[["frames"]])
  # A job that ended long ago needs no empty room.
  last <- max(c(x$came[is.finite(x$came)], x$at_sites[["halted_s"]], 1), na.rm = TRUE)
  end <- if (all(is.finite(x$came)) || any(!is.na(x$at_sites[["halted_s"]])))
    min(x$passed_s, 1.05 * last)
         else x$passed_s
  rows <- do.call(rbind, lapply(seq_along(x$going$runs), function(k) {
    at <- sort(x$came[x$going$runs[[k]]])
    at <- at[is.finite(at)]
    data.frame(part = parts[["option"]][k], at_s = c(0, at, max(end, at)),
               there = x$going$early[k] + c(0, seq_along(at), length(at)))
  }))
  ggplot2::ggplot(rows, ggplot2::aes(.data[["at_s"]], .data[["there"]], colour = .data[["part"]],
                                     linetype = .data[["part"]])) +
    ggplot2::geom_step() +
    ggplot2::scale_colour_manual(values = series_colours) +
    ggplot2::geom_hline(yintercept = all, colour = "grey50", linetype = 3) +
    ggplot2::annotate("text", x = 0, y = all, label = paste("all", all), hjust = 0, vjust = 1.4,
                      size = 3.5, colour = "grey35") +
    (if (nrow(events)) ggplot2::geom_vline(xintercept = events[["at_s"]], colour = "grey60")) +
    (if (nrow(events))
     ggplot2::annotate("text", x = events[["at_s"]], y = 0, label = events[["what"]], angle = 90,
                       hjust = 0, vjust = -0.4, size = 3, colour = "grey35")) +
    watch_axis(x) + ggplot2::expand_limits(y = c(0, max(parts[["frames"]]))) +
    ggplot2::labs(x = "now", y = "frames there", colour = NULL, linetype = NULL,
                  title = paste0("Job ", x$job, ": ", sum(parts[["there"]]), " of ",
                                 sum(parts[["frames"]]), " frames"),
                  alt = paste0("Frames of job ", x$job, " that had come by each moment.")) +
    plain_theme()
}
