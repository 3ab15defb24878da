# Timings by group: how many there are, and what they took.

# `x`: timings; `by`: names of its columns. A data frame, one row a group, the largest first: the
# columns, `runs`, `ended` (share that ended well), `median_s`, `p10_s` and `p90_s` of the wall
# times of those.
grouped_times <- function(x, by) {
  check_columns(x, argument("x"), c(by, "wall_s", "status"))
  x <- as_frame(x)
  if (!nrow(x)) return(NULL)
  good <- x[["status"]] %in% "ok" & !is.na(x[["wall_s"]])
  key <- row_key(x, by)
  of <- split(seq_len(nrow(x)), factor(key, unique(key)))
  rows <- lapply(of, function(at) {
    took <- x[["wall_s"]][at[good[at]]]
    q <- if (length(took)) stats::quantile(took, c(0.5, 0.1, 0.9), type = 1, names = FALSE) else
      rep(NA_real_, 3)
    data.frame(x[at[1], by, drop = FALSE], runs = length(at), ended = mean(good[at]),
               median_s = q[1], p10_s = q[2], p90_s = q[3], row.names = NULL)
  })
  out <- do.call(rbind, unname(rows))
  out[order(-out[["runs"]]), , drop = FALSE]
}
