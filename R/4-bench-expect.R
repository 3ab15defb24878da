# Expected duration of a plan, before anything runs.

#' Expected duration of a plan's trials
#'
#' From existing timings: the median of the same setting and frame, or else of the same setting on
#' other frames of the shot. Nothing is run.
#'
#' @param plan A plan from [plan_bench()].
#' @param timings Timings as [timings()] returns them, or a ledger.
#' @return The plan's trials as a tibble, with `expected_s` (s, wall) and `basis`: `same setting`,
#'   `same shot` or `unknown`, where `expected_s` is `NA`.
#' @section Conditions: `clockpigeon_error_type` and `clockpigeon_error_columns` for arguments of
#'   the wrong kind.
#' @noRd
expected_trials <- function(plan, timings) {
  check_class(plan, argument("plan"), "cp_bench_plan", "plan_bench()")
  runs <- as_runs(timings)
  trials <- as_frame(plan$trials)
  key <- row_key(trials, c("samples", "noise", "time_s", "features"))
  first <- which(!duplicated(key))
  limits <- lapply(first, function(i) {
    as.data.frame(limit_columns(
      list(samples = null_if_na(trials$samples[i]), noise = null_if_na(trials$noise[i]),
           time = null_if_na(trials$time_s[i])),
      if (!is.na(trials$features[i]))
      jsonlite::parse_json(trials$features[i], simplifyVector = TRUE)
    ))
  })
  asked <- data.frame(trials[c("scene", "frame", "engine", "width", "height")],
                      do.call(rbind, limits)[match(key, key[first]), , drop = FALSE],
                      engine_version = trials[["version"]])
  columns <- setdiff(names(asked),
                     c("frame", if (all(is.na(trials[["version"]]))) "engine_version"))
  typical <- function(columns) {
    known <- row_key(runs$settings, columns)
    distinct <- unique(known)
    group <- match(known, distinct)[runs$setting]
    grouped_median(runs$wall_s, group, length(distinct))[match(row_key(asked, columns), distinct)]
  }
  same <- typical(c(columns, "frame"))
  near <- typical(columns)
  out <- as_table(trials)
  out[["expected_s"]] <- ifelse(is.na(same), near, same)
  out[["basis"]] <- ifelse(!is.na(same), "same setting",
                           ifelse(!is.na(near), "same shot", "unknown"))
  out
}

# The median of each of n groups, of many numbers at once.
grouped_median <- function(x, group, n) {
  at <- order(group, x)
  x <- x[at]
  size <- tabulate(group, n)
  before <- cumsum(size) - size
  low <- pmax(before + (size + 1) %/% 2, 1)
  ifelse(size == 0, NA_real_, (x[low] + x[before + size %/% 2 + 1]) / 2)
}
