# How a placed job stands, as text.

# `name` of the job; `x` from watch_frames(); `promised`: the decision's chance and mean cost; `asked` and `scenario` as
# it was given.
watch_lines <- function(name, x, promised, asked, scenario, width = terminal_width()) {
  parts <- as_frame(x$parts)
  clock <- function(seconds) by_clock(seconds, scenario)
  finish <- clock(quantile_of(x$draws[["finish_s"]], c(0.5, 0.1, 0.9)))
  cost <- x$draws[["cost"]]
  about <- function(v) format_about(v, stats::sd(cost) / sqrt(length(cost)))
  range <- about(quantile_of(cost, c(0.1, 0.9)))
  there <- sum(parts[["there"]])
  ended <- there == sum(parts[["frames"]])
  said <- c(
    Stands = paste0(there, " of ", sum(parts[["frames"]]), " frames are there",
                    if (any(is.finite(parts[["last"]]))) paste0(", the last ", format_duration(x$passed_s -
                                                                  max(parts[["last"]])), " ago"), ".",
                    if (x$unknown) paste0(" Other files: ", x$unknown, ".")),
    Done = paste0(finish[1], if (!ended) paste0(" (8 in 10: ", finish[2], " to ", finish[3], ")"),
                  if (is.finite(asked$deadline_s)) paste0(", by the deadline ", clock(asked$deadline_s),
                                                          " with a chance of ",
                                                          chance_beside(x$p_deadline, asked$confidence), " (",
                                                          percent(promised$p_deadline), " when it was decided)")),
    Cost = paste0(about(x$mean), " ", scenario$currency, " on average",
                  if (range[1] != range[2]) paste0(" (8 in 10: ", range[1], " to ", range[2], ")"),
                  "; it was decided on ", about(promised$cost_mean)),
    Now = watch_advice(x, clock)
  )
  said[c("Done", "Cost")] <- paste0(said[c("Done", "Cost")], ".")
  body <- data.frame(part = parts[["option"]], frames = paste(parts[["there"]], "of", parts[["frames"]]),
                     "of the work" = percent(parts[["work"]]),
                     last = ifelse(is.finite(parts[["last"]]), clock(parts[["last"]]), "none yet"),
                     done = clock(parts[["finish_p50"]]), check.names = FALSE)
  placed <- clock_text(scenario$now, first_of(scenario$time_zone, "UTC"), date = TRUE)
  c(paste0("Job ", name, ", placed ", placed), "",
    unlist(Map(labelled_lines, names(said), said, 10, width), use.names = FALSE), "",
    text_table(body, right = c("frames", "of the work", "last", "done"), spare = "last", width = width))
}

# What there is to do: the look of a fallback, and what does not come although it should have.
watch_advice <- function(x, clock) {
  look <- x$look
  parts <- as_frame(x$parts)
  silent <- which(parts[["overdue"]] >= 0.99 & parts[["there"]] < parts[["frames"]])
  out <- c(
    if (identical(look$due, "send")) {
      paste0("Send the frames that are not begun to ", look$rescue, ": by ", clock(look$at_s), " there were ",
             look$there, ", fewer than the ", look$fewer, " that the plan asks for.")
    },
    if (identical(look$due, "go on")) {
      paste0("Go on: by ", clock(look$at_s), " there were ", look$there, " frames, and the plan asks for ", look$fewer,
             ".")
    },
    if (length(silent)) {
      paste0("See what is wrong at ", toString(parts[["site"]][silent]), ": in 99 of 100 cases another frame would ",
             "have come by now.")
    },
    if (identical(look$due, "later")) {
      paste0("Look ", clock(look$at_s), ": fewer than ", look$fewer, " frames by then go on at ", look$rescue, ".")
    }
  )
  if (length(out)) paste(out, collapse = " ") else "Nothing to do."
}
