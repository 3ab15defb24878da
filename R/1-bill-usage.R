# Usage: what a job used at a site, checked and put into whole numbers.

usage_columns <- c("node", "activity", "status", "seconds", "frames", "megapixels", "devices",
                   "cores", "score", "watts",
                   "gb", "days", "began", "own")

# A usage as columns of whole numbers, one row a row: `node` (a number), `ms`, `frames`,
# `frame_pixels`, `bytes`, `byte_days`, the weights `devices`, `cores`, `score` (thousandths),
# `watts`, and `activity`, `status` (places in their lists of words), `began`.
# `defaults` are the weights where the usage has none; `group` numbers the usages when there are
# many.
whole_usage <- function(usage, defaults, zone = "UTC", group = rep(1L, nrow(usage))) {
  n <- nrow(usage)
  column <- function(name, default) if (is.null(usage[[name]])) rep(default, n) else usage[[name]]
  amount <- function(...) usage_amount(usage, ...)
  out <- list(ms = amount("seconds", 0, 1000), frames = amount("frames", 0, whole = TRUE),
              bytes = amount("gb", 0, 1e9),
              devices = amount("devices", defaults$devices, whole = TRUE),
              cores = amount("cores", defaults$cores, whole = TRUE),
              score = amount("score", defaults$score, 1000),
              watts = amount("watts", defaults$watts))
  out$frame_pixels <- out$frames * amount("megapixels", 0, 1e6)
  out$byte_days <- out$bytes * amount("days", 0, whole = TRUE)
  out$one <- rep(1, n)
  out$activity <- usage_word(usage, "activity", "render", usage_activities)
  out$status <- usage_word(usage, "status", "ok", timing_words$status)
  node <- column("node", "-")
  out$node <- match(node, unique(node))
  out$own <- column("own", FALSE) %in% TRUE
  # A charge must not take an unknown amount for nothing.
  unknown <- function(...) Reduce(`|`, lapply(c(...), function(name) is.na(column(name, 0))))
  out$unknown <- list(ms = unknown("seconds"), frames = unknown("frames"),
                      frame_pixels = unknown("frames", "megapixels"), bytes = unknown("gb"),
                      byte_days = unknown("gb", "days"))
  out$began <- start_moments(column("began", NA), zone)
  check_node_weights(out, intersect(c("devices", "cores", "score", "watts"), names(usage)), node,
                     group)
  out
}

# A column of amounts in units of 1 / `times`; the default where it is missing or unknown.
usage_amount <- function(usage, name, default, times = 1, whole = FALSE) {
  x <- usage[[name]]
  if (is.null(x)) return(rep(round(default * times), nrow(usage)))
  if (anyNA(x)) x[is.na(x)] <- default
  if (!is_amount(x, times, whole)) {
    stop_input("type", paste("got", show_value(utils::head(x, 5))),
               paste0("column `", name, "` of `usage`"),
               paste0("Write ", if (whole) "whole ", "numbers, each at least 0."))
  }
  if (whole) as.numeric(x) else round(x * times)
}

# A column of words as places in their list.
usage_word <- function(usage, name, default, words) {
  x <- usage[[name]]
  if (is.null(x)) return(rep(match(default, words), nrow(usage)))
  at <- match(x, words)
  odd <- is.na(at) & !is.na(x)
  if (any(odd)) {
    check_choice(as.character(x[odd][1]), paste0("column `", name, "` of `usage`"), words)
  }
  at[is.na(at)] <- match(default, words)
  at
}

# A node has one value of each weight in a usage.
check_node_weights <- function(columns, given, node, group) {
  if (!length(given)) return(invisible())
  key <- group * (max(columns$node) + 1) + columns$node
  first <- match(key, key)
  for (name in given) {
    other <- which(columns[[name]] != columns[[name]][first])
    if (!length(other)) next
    stop_input("type",
               paste0("node ", show_value(node[other[1]]), " has two values of `", name, "`"),
               argument("usage"), "Give the two their own names.")
  }
}

unknown_names <- list(ms = "seconds", frames = "frames", frame_pixels = "frames and megapixels",
                      bytes = "gb", byte_days = "gb and days")

# Moments a stretch began at; texts are local times of the site.
start_moments <- function(x, zone) {
  if (inherits(x, "POSIXct")) return(x)
  moment <- as.POSIXct(rep(NA_real_, length(x)), origin = "1970-01-01", tz = zone)
  said <- !is.na(x)
  if (!any(said)) return(moment)
  read <- as.POSIXct(as.character(x[said]), tz = zone, format = "%Y-%m-%d %H:%M")
  if (anyNA(read)) {
    stop_input("type", paste("got", show_value(as.character(x[said])[is.na(read)][1])),
               "column `began` of `usage`",
               "Write a local date and time, such as 2026-11-03 22:00.")
  }
  moment[said] <- read
  moment
}

# Which rows a charge counts, and how much of each in counted things.
charged_values <- function(u, charge, statuses, zone) {
  value <- u[[charge$value]]
  if (length(charge$hours)) {
    if (anyNA(u$began[u$ms > 0])) {
      stop_input("type", "has no `began`, and the card charges by the hour of the day",
                 argument("usage"),
                 "Write a column `began` with the local date and time of each row.")
    }
    value <- ms_within(u$began, u$ms, charge$hours, zone)
  }
  counts <- (usage_activities %in% charge$activities)[u$activity] &
    (timing_words$status %in% statuses)[u$status]
  if (charge$own_free) counts <- counts & !u$own
  lost <- which(counts & or_else(u$unknown[[charge$value]], FALSE))
  if (length(lost)) {
    stop_input("type", paste0("row ", lost[1], " has no known ", unknown_names[[charge$value]],
                              ", and the card charges for that (", charge$item, ")"),
               argument("usage"),
               "Write how much it was; 0 where it was nothing.")
  }
  value * counts
}

# A meter from boot to release rounds a node's whole stretch as one run: its rows become one.
node_stretches <- function(usage, card) {
  if (card$meter != "boot to release" || !identical(card$price$rounded, "run") || !nrow(usage))
    return(usage)
  timed <- usual_activities("node-hour", card$meter)
  of <- usage[["activity"]] %in% timed
  rows <- lapply(split(which(of), usage[["node"]][of]), function(at) {
    row <- usage[at[1], , drop = FALSE]
    row$seconds <- sum(usage[["seconds"]][at])
    row$frames <- sum(usage[["frames"]][at])
    row$activity <- "render"
    row$status <- "ok"
    row$megapixels <- sum(usage[["megapixels"]][at] * usage[["frames"]][at]) / max(1, row$frames)
    row$began <- min(usage[["began"]][at])
    row
  })
  do.call(rbind, c(unname(rows), list(usage[!of, , drop = FALSE]), make.row.names = FALSE))
}

# Are these amounts of at least 0 that stay exact in units of 1 / `times`?
is_amount <- function(x, times, whole) {
  if (!length(x)) return(TRUE)
  fits <- is.numeric(x) && min(x) >= 0 && max(x) * times <= 2^53
  fits && (!whole || is.integer(x) || all(x == round(x)))
}
