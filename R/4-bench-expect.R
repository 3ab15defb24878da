# What a plan will take, before anything runs.

#' What the trials of a plan are expected to take
#'
#' From timings that are there already: the median of the same setting and frame, or else of the same setting on other
#' frames of the shot. Nothing is run.
#'
#' @param plan A plan from [plan_bench()] or [project_plan()].
#' @param timings Timings as [timings()] returns them.
#' @return The plan's trials as a tibble, with `expected_s` (s, wall) and `basis`: `same setting`, `same shot` or
#'   `unknown`, where `expected_s` is `NA`.
#' @section Conditions: `clockpigeon_error_type` and `clockpigeon_error_columns` for arguments of the wrong kind.
#' @noRd
expected_trials <- function(plan, timings) {
  check_class(plan, argument("plan"), "cp_bench_plan", "plan_bench()")
  rows <- as_frame(filled_timings(timings, argument("timings")))
  rows <- rows[rows[["status"]] %in% "ok" & rows[["activity"]] == "render" & !is.na(rows[["wall_s"]]), , drop = FALSE]
  trials <- as_frame(plan$trials)
  limits <- lapply(seq_len(nrow(trials)), function(i) {
    trial <- trials[i, ]
    as.data.frame(limit_columns(
      list(samples = null_if_na(trial$samples), noise = null_if_na(trial$noise), time = null_if_na(trial$time_s)),
      if (!is.na(trial$features)) jsonlite::fromJSON(trial$features)
    ))
  })
  asked <- data.frame(trials[c("scene", "frame", "engine", "width", "height")], do.call(rbind, limits),
                      engine_version = trials[["version"]])
  columns <- setdiff(names(asked), c("frame", if (all(is.na(trials[["version"]]))) "engine_version"))
  typical <- function(columns) {
    medians <- tapply(rows[["wall_s"]], row_key(rows, columns), stats::median)
    as.vector(medians[row_key(asked, columns)])
  }
  same <- typical(c(columns, "frame"))
  near <- typical(columns)
  out <- as_table(trials)
  out[["expected_s"]] <- ifelse(is.na(same), near, same)
  out[["basis"]] <- ifelse(!is.na(same), "same setting", ifelse(!is.na(near), "same shot", "unknown"))
  out
}
