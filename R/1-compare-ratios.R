# Comparing: log ratios of matched cells.

new_comparison <- table_type("cp_comparison",
                             c("old", "new", "pairs", "ratio", "lower", "upper", "verdict", "basis",
                               "by", "smallest", "level"))

#' Compare timings, like with like
#'
#' Pairs the timings that agree in everything but one factor and compares them on the log scale.
#'
#' A pair is the same repeat of one session (a plan, or a day where no plan is known) at both
#' levels, so that drift hits both alike, and a failed run costs its own pair only. Levels that were
#' never measured in one session are compared across sessions: by how much these differ, estimated
#' from sessions that repeat a level or assumed (10 %), is then in the interval, and there is no
#' verdict unless it was measured.
#'
#' The ratio of a scene is that of the total work of its frames, with a t interval: over its frames
#' where there are five or more or one run of each, otherwise over the runs of these frames alone,
#' which the note says. If the frames' own ratios (`frame_ratio`, their geometric mean) point the
#' other way, the note names the frames that decide. Runs that drift together count for fewer, and
#' times of few digits vary by their last digit at least. Over scenes the geometric mean takes each
#' scene as one with a Welch-Satterthwaite interval (Satterthwaite 1946, Biometrics Bulletin 2:110),
#' and the total-work ratio weighs scenes by the time they take (delta method). Regressions come
#' first.
#'
#' Verdicts of scenes are adjusted for their number (Holm 1979); intervals and `chance` are not.
#'
#' Only finished renders count; warm-up runs and first frames of a process do not, nor do timings
#' that do not say the factor (their site, say). The first level, in version order, is the old one;
#' each other level is compared with it.
#'
#' A pair whose ratio lies far from the others of its scene (over 4 robust standard deviations by
#' the median absolute deviation, Hampel 1974, and by a factor of 1.5) is named in `note`: a wrong
#' device or a changed setting is likelier. The verdict then rests on the robust interval (Hodges &
#' Lehmann 1963 with Wilcoxon's from six pairs on, a trimmed mean of five, none of fewer).
#'
#' @param x Timings, a data frame as [timings()] returns it; or a ledger, all of which is then
#'   compared, with the work of filtering done in the database: the way for a million rows. Of more
#'   than a million those of some frames of each scene (eight at least, where it has them) in some
#'   stretches of the history, which `note` says.
#' @param by The factor studied: `"engine_version"`, `"engine"`, `"limit"`, `"size"`, `"features"`,
#'   `"threads"`, `"capacity"` (share of the devices used), `"device"`, `"device_count"`, `"node"`
#'   or `"site"`.
#' @param smallest Smallest difference of interest, as a share (0.02 is 2 %): a smaller one is never
#'   called faster or slower.
#' @param level Confidence level of the intervals.
#' @param across `TRUE` to compare timings that agree in activity, scene and frame only (in scene
#'   only where no frames agree); each difference is then said in `note`.
#' @param weights The user's own mix of scenes: a named vector of weights, for a row `all scenes` of
#'   basis `own mix`.
#' @param activity What was timed: `"render"`, `"playback"`, `"prepass"`, ...; those of
#'   [record_timing()].
#' @param time `"wall"` seconds, or `"cpu"` seconds, which other programs on the machine move less.
#' @return A tibble of class `cp_comparison`: for each pair of levels, the one with the lowest ratio
#'   first, one row a scene and then `all scenes` by total work and by geometric mean: `engine`,
#'   `scene`, `old`, `new`, `pairs`, `old_s`, `new_s` (mean seconds of the time asked for),
#'   `old_ms`, `new_ms` (ms per frame), `old_per_min`, `new_per_min` (frames per minute), `ratio`
#'   (old / new), `lower`, `upper`, `time_saved`, `speed_gain`, `verdict` (`faster`, `slower`,
#'   `no clear difference`), `basis`, `frame_ratio`, `robust_ratio`, `robust_lower`, `robust_upper`,
#'   `work_ratio` (old / new of what the engines counted of their own work: a witness without the
#'   clock's noise), `chance` (of a ratio as far from 1 where there is no difference),
#'   `adjusted_chance`, `note`. Timings that were left out are counted in `note`.
#' @section Conditions: `clockpigeon_error_compare` when there is nothing to compare: no finished
#'   render, one level only, or sets that differ in more than `by`; the message names what differs.
#'   `clockpigeon_error_choice` for a weight of a scene that is not there.
#' @examples
#' x <- example_timings()
#' compare_timings(x[x$engine == "sundew", ], by = "engine_version")
#' @export
compare_timings <- function(x, by, smallest = 0.02, level = 0.95, across = FALSE, weights = NULL,
                            activity = "render", time = c("wall", "cpu")) {
  by <- check_choice(by, argument("by"), names(compare_factors))
  smallest <- check_number(smallest, argument("smallest"), least = 0, most = 1)
  level <- check_number(level, argument("level"), above = 0, most = 0.9999)
  across <- check_flag(across, argument("across"))
  activity <- check_choice(activity, argument("activity"), timing_words$activity)
  time <- check_choice(time[1], argument("time"), c("wall", "cpu"))
  runs <- as_runs(x, activity, time)
  if (!length(runs$wall_s)) {
    stop_input("compare",
               paste0("no finished ", activity, if (time == "cpu") " with its CPU time",
                      " among the timings"),
               instead = "Measure some first: clockpigeon bench.")
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
    unlist(lapply(unique(x[["context"]]), match_cells, x = x, runs = runs, columns = columns),
           recursive = FALSE)
  }
  pairs <- match_by(if (across) c("activity", "scene", "frame") else cell_columns(by))
  if (!length(pairs) && across) pairs <- match_by(c("activity", "scene"))
  said <- x[!is.na(x[["level"]]), , drop = FALSE]
  if (!length(pairs)) refuse_unlike(said, by)
  unsaid <- table(x[["context"]][runs$setting[is.na(x[["level"]])[runs$setting]]])
  rows <- lapply(pairs, function(p) {
    context <- p$rows[["context"]][1]
    silent <- unsaid[names(unsaid) == context]
    about <- list(
      left_out = c(runs$left_out,
                   if (length(silent)) paste(silent, "timings without a", factor_label(by)),
                   if (length(p$lost))
                   paste0(toString(p$lost), " (no timing like one of ", p$rows[["old"]][1], ")")),
      apart = if (across) {
        factor_pairs(said[said[["context"]] == context, , drop = FALSE], by, p$rows[["old"]][1],
                     p$rows[["new"]][1], any = TRUE)
      }
    )
    compare_levels(p$rows, p$sessions, smallest, level, about, weights)
  })
  overall <- vapply(rows, function(r) r[["ratio"]][nrow(r)], 0)
  out <- as_frame(bind_tables(rows[order(overall)]))
  new_comparison(data.frame(out, by = by, smallest = smallest, level = level))
}

check_weights <- function(weights, scenes) {
  where <- argument("weights")
  if (!is.numeric(weights) || is.null(names(weights)) || !all(is.finite(weights)) ||
      any(weights < 0) ||
        sum(weights) <= 0) {
    stop_input("type", paste("got", show_value(weights)), where,
               "Write a weight of at least 0 for each scene, by name.")
  }
  for (name in names(weights)) check_choice(name, where, scenes)
  weights
}

# Note for a pair whose runs did not do the same work: under a time or noise limit, or a changed
# scene.
unequal_work <- function(s) {
  both <- is.finite(s[["old_samples"]]) & is.finite(s[["new_samples"]])
  if (!any(both)) return(NULL)
  done <- c(mean(s[["old_samples"]][both]), mean(s[["new_samples"]][both]))
  if (max(done) <= 1.02 * min(done)) return(NULL)
  paste0("unequal work: ", format(done[1], digits = 3), " samples against ",
         format(done[2], digits = 3))
}

distance_sentence <- function(p, far) {
  if (!any(far)) return(NULL)
  d <- log(p[["old_s"]] / p[["new_s"]])
  worst <- which(far)[which.max(abs(d - stats::median(d))[far])]
  paste0(sum(far), if (sum(far) == 1) " pair" else " pairs", " far from the others (",
         p[["scene"]][worst], " frame ", p[["frame"]][worst], ": ",
         format(exp(d[worst]), digits = 3), ", median ", format(exp(stats::median(d)), digits = 3),
         "): wrong device or changed setting?")
}

# Work that the engines counted, old over new; NA if one did not count. It has no clock noise.
work_ratio <- function(s) {
  both <- is.finite(s[["old_work"]]) & is.finite(s[["new_work"]]) & s[["new_work"]] > 0
  if (!any(both)) NA_real_ else sum(s[["old_work"]][both]) / sum(s[["new_work"]][both])
}

work_sentence <- function(s) {
  work <- work_ratio(s)
  if (is.na(work)) return(NULL)
  if (abs(work - 1) < 0.002) return("by the engines' own count both did the same work")
  paste0("by the engines' own count the new did ", format(signif(1 / work, 3)), " times the work")
}

# One pair of levels: a row per scene, the slowest change first, then the rows of all scenes.
# `about` holds the notes on the pair: which rows were excluded, and in which other columns the sets
# differ.
compare_levels <- function(p, sessions, smallest, level, about = list(), weights = NULL) {
  scenes <- split(p, p[["scene"]])
  several <- length(scenes) > 1
  alone <- lapply(scenes, scene_estimate, level = level)
  each <- lapply(alone, with_sessions, sessions = sessions)
  chance <- adjusted_chances(each)
  row <- function(scene, total, basis, est, s) {
    left_out <- if (total || !several) c(unpaired_text(s[["alone"]][1]), about$left_out)
    note <- c(if (nrow(s) == 1) "single run: no interval", if (!total) pairs_say(est, s, smallest),
              unequal_work(s), work_sentence(s), session_sentence(sessions, level),
              list_text("left out:", left_out),
              list_text("not alike, compared across", about$apart),
              if (!total) adjusted_text(chance, scene, est$p),
              if (any(s[["sample"]])) sample_mark)
    comparison_row(p, scene, basis, est, s, level, smallest,
                   chance = if (total) est$p else chance[[scene]],
                   silent = length(sessions) && !sessions$measured,
                   paste(note, collapse = "; "))
  }
  rows <- Map(function(name, est) row(name, FALSE, "matched runs", est, scenes[[name]]),
              names(scenes), each)
  rows <- unname(rows[order(vapply(rows, `[[`, 0, "ratio"))])
  together <- function(basis, est)
    list(row("all scenes", TRUE, basis, with_sessions(est, sessions), p))
  if (several) {
    rows <- c(rows, together("total work", total_work(alone)),
              if (length(weights)) together("own mix", own_mix(alone, weights)),
              together("geometric mean", geometric_mean(alone)))
  }
  as_frame(bind_lists(rows))
}

list_text <- function(label, x) if (length(x)) paste(label, toString(x))

unpaired_text <- function(n) {
  if (n == 1) return("1 timing without a partner")
  if (n > 1) paste(n, "timings without a partner")
}

adjusted_text <- function(chance, scene, p) {
  if (length(chance) > 1 && isTRUE(chance[[scene]] > p))
    paste0("chance adjusted for ", length(chance), " scenes (Holm)")
}

# One row of a comparison table, from the pairs `p` and `s` and their estimate.
comparison_row <- function(p, scene, basis, est, s, level, smallest, chance, silent, note) {
  ratio <- exp(est$mean)
  half <- if (is.finite(est$se)) stats::qt((1 + level) / 2, est$df) * est$se else NA_real_
  robust <- if (length(est$robust)) exp(est$robust) else rep(NA_real_, 3)
  list(
    engine = p[["context"]][1], scene = scene, old = p[["old"]][1], new = p[["new"]][1],
    pairs = nrow(s), old_s = mean(s[["old_s"]]), new_s = mean(s[["new_s"]]),
    old_ms = 1000 * mean(s[["old_s"]]), new_ms = 1000 * mean(s[["new_s"]]),
    old_per_min = 60 / mean(s[["old_s"]]), new_per_min = 60 / mean(s[["new_s"]]), ratio = ratio,
    lower = exp(est$mean - half), upper = exp(est$mean + half), time_saved = 1 - 1 / ratio,
    speed_gain = ratio - 1,
    verdict = if (silent) "no clear difference" else
    ratio_verdict(est, half, smallest, level, chance),
    basis = basis,
    frame_ratio = exp(first_of(est$frames, NA_real_)), robust_ratio = robust[1],
    robust_lower = robust[2], robust_upper = robust[3], work_ratio = work_ratio(s), chance = est$p,
    adjusted_chance = chance, note = note
  )
}

# Notes on one scene: which frames the interval is of, where mean times and frames disagree, odd
# pairs.
pairs_say <- function(est, s, smallest) {
  frames <- length(unique(s[["cell"]]))
  apart <- est$frames * est$mean < 0 && min(abs(c(est$frames, est$mean))) > log1p(smallest)
  c(
    if (est$of_frames && nrow(s) > 1 && frames > 1) paste0("of these ", frames, " frames"),
    if (apart) {
      by_frame <- tapply(log(s[["old_s"]] / s[["new_s"]]), s[["frame"]], mean)
      against <- by_frame[sign(by_frame) == sign(est$mean)]
      paste0("the total is ", if (est$mean > 0) "less" else "more", ", most frames are ",
             if (est$mean > 0) "slower" else "faster", ": the heavy frames decide (",
             toString(utils::head(names(against)[order(-abs(against))], 3)), ")")
    },
    distance_sentence(s, est$far),
    if (est$coarse) "times of few digits: their rounding is in the interval"
  )
}

session_sentence <- function(sessions, level) {
  if (!length(sessions)) return(NULL)
  need <- exp(stats::qt((1 + level) / 2, sessions$df) * sessions$sd *
              sqrt(sum(1 / sessions$of_level)))
  if (sessions$measured) {
    return(paste0("compared across sessions, which differ by ", format_percent(sessions$sd),
                  ": that is in the interval"))
  }
  paste0("old and new were never measured in one session, and sessions differ (by ",
         format_percent(sessions$sd),
         ", assumed): a ratio above ", format(need, digits = 3), " or below ",
         format(1 / need, digits = 2),
         " would be needed, and sessions that repeat one of them; measure both in one plan")
}

# Holm's step-down adjustment of the scenes' chances (Holm 1979, Scand. J. Stat. 6, 65): twenty
# scenes without a difference give a false verdict somewhere as rarely as one does.
adjusted_chances <- function(each) {
  p <- vapply(each, `[[`, 0, "p")
  out <- p
  known <- !is.na(p)
  out[known] <- stats::p.adjust(p[known], "holm")
  out
}

# Each scene counts as one.
geometric_mean <- function(each) {
  combine_scenes(vapply(each, `[[`, 0, "frames"), each,
                 weights = rep(1 / length(each), length(each)))
}

# The ratio of a mix of scenes: each weight is how often one mean frame of the scene is rendered.
own_mix <- function(each, weights) {
  each <- each[names(each) %in% names(weights)]
  if (!length(each)) return(list(mean = NA_real_, se = NA_real_, df = NA_real_, p = NA_real_))
  mixed <- Map(function(e, w) {
    e$work <- e$work * w / e$cells
    e
  }, each, weights[names(each)])
  total_work(mixed[weights[names(each)] > 0])
}

total_work <- function(each) {
  work <- vapply(each, `[[`, numeric(2), "work")
  est <- combine_scenes(NULL, each, weights = (work[1, ] / sum(work[1, ]) +
                                               work[2, ] / sum(work[2, ])) /
                        2)
  est$mean <- log(sum(work[1, ]) / sum(work[2, ]))
  est
}

# A weighted sum of independent scene means, with Satterthwaite's degrees of freedom.
combine_scenes <- function(means, each, weights) {
  part <- (weights * vapply(each, `[[`, 0, "se"))^2
  df <- vapply(each, `[[`, 0, "df")
  # A spread of exactly zero adds nothing to either sum.
  list(mean = sum(weights * means), se = sqrt(sum(part)),
       df = if (sum(part, na.rm = TRUE) > 0) sum(part)^2 / sum(part^2 / df) else sum(df))
}

# The chance (adjusted for the other scenes) and the least difference of interest decide. If a pair
# lies far from the others, the robust interval decides: one bad run must neither create nor hide a
# difference.
ratio_verdict <- function(est, half, smallest, level, chance) {
  clear <- !is.na(half) && !is.na(chance) && chance < 1 - level
  if (any(est$far)) {
    if (anyNA(est$robust)) return("no clear difference")
    clear <- est$robust[2] > 0 || est$robust[3] < 0
    est$mean <- est$robust[1]
  }
  if (!clear || is.na(est$mean)) return("no clear difference")
  if (est$mean >= log1p(smallest)) "faster" else if (est$mean <= -log1p(smallest)) "slower" else
    "no clear difference"
}
