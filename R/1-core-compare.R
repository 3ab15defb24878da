# Comparing: log ratios of matched cells.

#' Compare timings, like with like
#'
#' Pairs the timings that agree in everything but one factor and compares them on the log scale.
#'
#' The k-th run of a cell at one level is paired with the k-th at the other, in order of measurement, so that with
#' blocked plans drift hits both alike. Within a scene the mean log ratio has a t interval over its pairs. Over scenes
#' the geometric mean takes each scene as one with a Welch-Satterthwaite interval (Satterthwaite 1946, Biometrics
#' Bulletin 2:110), and the total-work ratio weighs scenes by the time they take (delta method). Regressions come first.
#'
#' Only finished renders count; warm-up runs and first frames of a process do not, nor do timings that do not say the
#' factor (their site, say). The first level, in version order, is the old one; each other level is compared with it.
#'
#' A cell whose ratio lies far from all others of the pair (over 4 robust standard deviations by the median absolute
#' deviation, Hampel 1974, and by a factor of 1.5) is named in `note`: a wrong device or a changed setting is likelier.
#'
#' @param x Timings, a data frame as [timings()] returns it; or a ledger, all of which is then compared, with the work
#'   of filtering done in the database: the way for a million rows.
#' @param by The factor studied: `"engine_version"`, `"engine"`, `"limit"`, `"size"`, `"features"`, `"threads"`,
#'   `"capacity"` (share of the devices used), `"device"`, `"device_count"`, `"node"` or `"site"`.
#' @param smallest Smallest difference of interest, as a share (0.02 is 2 %): a smaller one is never called faster or
#'   slower.
#' @param level Confidence level of the intervals.
#' @param across `TRUE` to compare timings that agree in activity, scene and frame only (in scene only where no frames
#'   agree); each difference is then said in `note`.
#' @param weights The user's own mix of scenes: a named vector of weights, for a row `all scenes` of basis `own mix`.
#' @return A tibble of class `timing_comparison`: for each pair of levels, the one with the lowest ratio first, one row
#'   a scene and then `all scenes` by total work and by geometric mean: `engine`, `scene`, `old`, `new`, `pairs`,
#'   `old_s`, `new_s` (mean wall seconds), `old_ms`, `new_ms` (ms per frame), `old_per_min`, `new_per_min` (frames per
#'   minute), `ratio` (old / new), `lower`, `upper`, `time_saved`, `speed_gain`, `verdict` (`faster`, `slower`,
#'   `no clear difference`), `basis`, `note`. Timings that were left out are counted in `note`.
#' @section Conditions: `clockpigeon_error_compare` when there is nothing to compare: no finished render, one level
#'   only, or sets that differ in more than `by`; the message names what differs. `clockpigeon_error_choice` for a
#'   weight of a scene that is not there.
#' @examples
#' x <- example_timings()
#' compare_timings(x[x$engine == "sundew", ], by = "engine_version")
#' @export
compare_timings <- function(x, by, smallest = 0.02, level = 0.95, across = FALSE, weights = NULL) {
  by <- check_choice(by, argument("by"), names(compare_factors))
  smallest <- check_number(smallest, argument("smallest"), least = 0, most = 1)
  level <- check_number(level, argument("level"), above = 0, most = 0.9999)
  across <- check_flag(across, argument("across"))
  runs <- as_runs(x)
  if (!length(runs$wall_s)) {
    stop_input("compare", "no finished render among the timings", instead = "Measure some first: clockpigeon bench.")
  }
  x <- runs$settings
  x[["level"]] <- level_labels(x, by)
  x[["context"]] <- if (by == "engine" || across) "" else x[["engine"]]
  if (all(is.na(x[["level"]]))) {
    stop_input("compare", paste("no timing says its", factor_label(by)),
               instead = "Compare by another factor, or write it into the timings.")
  }
  if (length(weights)) weights <- check_weights(weights, unique(x[["scene"]]))
  match_by <- function(columns) {
    unlist(lapply(unique(x[["context"]]), match_cells, x = x, runs = runs, columns = columns), recursive = FALSE)
  }
  pairs <- match_by(if (across) c("activity", "scene", "frame") else cell_columns(by))
  if (!length(pairs) && across) pairs <- match_by(c("activity", "scene"))
  said <- x[!is.na(x[["level"]]), , drop = FALSE]
  if (!length(pairs)) refuse_unlike(said, by)
  unsaid <- table(x[["context"]][runs$setting[is.na(x[["level"]])[runs$setting]]])
  rows <- lapply(pairs, function(p) {
    context <- p[["context"]][1]
    silent <- unsaid[names(unsaid) == context]
    about <- list(
      left_out = if (length(silent)) paste(silent, "timings without a", factor_label(by)),
      apart = if (across) {
        differences(said[said[["context"]] == context, , drop = FALSE], by, p[["old"]][1], p[["new"]][1], any = TRUE)
      }
    )
    compare_levels(p, smallest, level, about, weights)
  })
  overall <- vapply(rows, function(r) r[["ratio"]][nrow(r)], 0)
  out <- as_table(bind_tables(rows[order(overall)]), class = "timing_comparison")
  attr(out, "by") <- by
  attr(out, "smallest") <- smallest
  attr(out, "level") <- level
  out
}

check_weights <- function(weights, scenes) {
  where <- argument("weights")
  if (!is.numeric(weights) || is.null(names(weights)) || !all(is.finite(weights)) || any(weights < 0) ||
        sum(weights) <= 0) {
    stop_input("type", paste("got", show_value(weights)), where,
               "Write a weight of at least 0 for each scene, by name.")
  }
  for (name in names(weights)) check_choice(name, where, scenes)
  weights
}

# What is to be said when the runs of a pair did not do the same work: under a time or noise limit, or a changed scene.
unequal_work <- function(s) {
  both <- is.finite(s[["old_samples"]]) & is.finite(s[["new_samples"]])
  if (!any(both)) return(NULL)
  done <- c(mean(s[["old_samples"]][both]), mean(s[["new_samples"]][both]))
  if (max(done) <= 1.02 * min(done)) return(NULL)
  paste0("unequal work: ", format(done[1], digits = 3), " samples against ", format(done[2], digits = 3))
}

# Cells whose log ratio lies far from all others of the pair, with theirs.
far_cells <- function(p) {
  d <- log(p[["old_s"]] / p[["new_s"]])
  if (length(d) < 6) return(NULL)
  off <- abs(d - stats::median(d))
  far <- off > pmax(4 * stats::mad(d), log(1.5))
  if (!any(far)) return(NULL)
  worst <- which.max(off)
  paste0(sum(far), if (sum(far) == 1) " pair" else " pairs", " far from the others (", p[["scene"]][worst], " frame ",
         p[["frame"]][worst], ": ", format(exp(d[worst]), digits = 3), ", median ",
         format(exp(stats::median(d)), digits = 3), "): wrong device or changed setting?")
}

# One pair of levels: a row a scene, the slowest change first, then the rows of all scenes. `about` holds what is to be
# said of the pair beside: what was left out, and in what else the sets differ.
compare_levels <- function(p, smallest, level, about = list(), weights = NULL) {
  scenes <- split(p, p[["scene"]])
  each <- lapply(scenes, function(s) {
    c(log_ratio(s[["old_s"]], s[["new_s"]]), list(work = work_of(s), cells = length(unique(s[["cell"]]))))
  })
  row <- function(scene, total, basis, est, s) {
    ratio <- exp(est$mean)
    half <- if (is.finite(est$se)) stats::qt((1 + level) / 2, est$df) * est$se else NA_real_
    alone <- s[["alone"]][1]
    left_out <- if (total || length(scenes) == 1) {
      c(if (alone == 1) "1 timing without a partner", if (alone > 1) paste(alone, "timings without a partner"),
        about$left_out)
    }
    note <- c(if (nrow(s) == 1) "single run: no interval", unequal_work(s),
              if (length(left_out)) paste("left out:", toString(left_out)),
              if (length(about$apart)) paste("not alike, compared across", toString(about$apart)),
              if (total || length(scenes) == 1) far_cells(p), if (any(s[["sample"]])) sample_mark)
    data.frame(
      engine = p[["context"]][1], scene = scene, old = p[["old"]][1], new = p[["new"]][1], pairs = nrow(s),
      old_s = mean(s[["old_s"]]), new_s = mean(s[["new_s"]]), old_ms = 1000 * mean(s[["old_s"]]),
      new_ms = 1000 * mean(s[["new_s"]]), old_per_min = 60 / mean(s[["old_s"]]), new_per_min = 60 / mean(s[["new_s"]]),
      ratio = ratio, lower = exp(est$mean - half),
      upper = exp(est$mean + half), time_saved = 1 - 1 / ratio, speed_gain = ratio - 1,
      verdict = verdict(est$mean, half, smallest), basis = basis, note = paste(note, collapse = "; ")
    )
  }
  rows <- do.call(rbind, Map(function(name, est) row(name, FALSE, "matched runs", est, scenes[[name]]),
                             names(scenes), each))
  rows <- rows[order(rows[["ratio"]]), , drop = FALSE]
  if (length(scenes) == 1) return(rows)
  rbind(rows, row("all scenes", TRUE, "total work", total_work(each), p),
        if (length(weights)) row("all scenes", TRUE, "own mix", own_mix(each, weights), p),
        row("all scenes", TRUE, "geometric mean", geometric_mean(each), p))
}

log_ratio <- function(old, new) {
  d <- log(old) - log(new)
  list(mean = mean(d), se = if (length(d) > 1) stats::sd(d) / sqrt(length(d)) else NA_real_, df = length(d) - 1)
}

# Mean seconds of one pass over the measured cells of a scene, old and new.
work_of <- function(s) {
  c(old = sum(tapply(s[["old_s"]], s[["cell"]], mean)), new = sum(tapply(s[["new_s"]], s[["cell"]], mean)))
}

geometric_mean <- function(each) {
  combine(vapply(each, `[[`, 0, "mean"), each, weights = rep(1 / length(each), length(each)))
}

# The ratio of a mix of scenes: each weight is how often one mean frame of the scene is rendered.
own_mix <- function(each, weights) {
  each <- each[names(each) %in% names(weights)]
  if (!length(each)) return(list(mean = NA_real_, se = NA_real_, df = NA_real_))
  mixed <- Map(function(e, w) {
    e$work <- e$work * w / e$cells
    e
  }, each, weights[names(each)])
  total_work(mixed[weights[names(each)] > 0])
}

total_work <- function(each) {
  work <- vapply(each, `[[`, numeric(2), "work")
  est <- combine(NULL, each, weights = (work[1, ] / sum(work[1, ]) + work[2, ] / sum(work[2, ])) / 2)
  est$mean <- log(sum(work[1, ]) / sum(work[2, ]))
  est
}

# A weighted sum of independent scene means, with Satterthwaite's degrees of freedom.
combine <- function(means, each, weights) {
  part <- (weights * vapply(each, `[[`, 0, "se"))^2
  df <- vapply(each, `[[`, 0, "df")
  # A spread of exactly zero adds nothing to either sum.
  list(mean = sum(weights * means), se = sqrt(sum(part)),
       df = if (sum(part, na.rm = TRUE) > 0) sum(part)^2 / sum(part^2 / df) else sum(df))
}

verdict <- function(mean_log, half, smallest) {
  if (is.na(half) || is.na(mean_log)) return("no clear difference")
  if (mean_log - half > 0 && mean_log >= log1p(smallest)) return("faster")
  if (mean_log + half < 0 && mean_log <= -log1p(smallest)) return("slower")
  "no clear difference"
}
