# Timings of the same frames at several numbers of threads or devices, as points over that number.

# `x`: timings; `unit`: the column that counts, `threads` or `device_count`. A list, one entry a
# scene, engine, version, limit, size, features and node (the one with most numbers first): `of` (a
# row with these), `n`, `seconds`, `frames`. Frames that were timed at one number only say nothing
# of it and are left out; the others are brought to their usual time (an additive model of log
# times, frame and number).
counted_times <- function(x, unit, most = 4) {
  check_choice(unit, argument("unit"), c("threads", "device_count"))
  x <- as_frame(filled_timings(x, argument("x")))
  x <- x[is_evidence(x) & !is.na(x[[unit]]) & x[["wall_s"]] > 0, , drop = FALSE]
  kept <- setdiff(c("scene", "engine", "engine_version", "limit_kind", "limit_value", "width",
                    "height", "features", "node", "site", "device"),
                  if (unit == "device_count") "device")
  groups <- split(x, factor(row_key(x, kept), unique(row_key(x, kept))))
  found <- Filter(length, lapply(unname(groups), group_by_count, unit = unit, kept = kept))
  order <- order(-vapply(found, function(g) length(unique(g$n)), 0L),
                 -vapply(found, function(g) length(g$n), 0L))
  utils::head(found[order], most)
}

# Seconds by number of threads or devices from frames that ran with several; frame effects removed.
group_by_count <- function(rows, unit, kept) {
  several <- tapply(rows[[unit]], rows[["frame"]], function(n) length(unique(n))) > 1
  rows <- rows[rows[["frame"]] %in% as.numeric(names(several)[several]), , drop = FALSE]
  if (!nrow(rows)) return(NULL)
  log_s <- log(rows[["wall_s"]])
  frame <- factor(rows[["frame"]])
  count <- factor(rows[[unit]])
  if (nlevels(frame) > 1) {
    fitted <- stats::lm(log_s ~ frame + count)
    of_frame <- c(0, stats::coef(fitted)[paste0("frame", levels(frame)[-1])])
    log_s <- log_s - of_frame[as.integer(frame)] + mean(of_frame)
  }
  list(of = rows[1, kept, drop = FALSE], n = rows[[unit]], seconds = unname(exp(log_s)),
       frames = nlevels(frame))
}
