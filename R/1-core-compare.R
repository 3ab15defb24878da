# Comparing: log ratios of matched cells.

# For each factor that can be compared: the columns whose values name a level, the columns that follow from it and
# therefore cannot be held equal (a device sits in its node, a version belongs to its engine), and what a missing value
# means where it means something.
compare_factors <- list(
  engine_version = list(level = "engine_version", follows = character()),
  engine = list(level = c("engine", "engine_version"), follows = character()),
  limit = list(level = c("limit_kind", "limit_value"), follows = character()),
  size = list(level = c("width", "height"), follows = "shot"),
  features = list(level = "features", follows = character(), missing = "none"),
  threads = list(level = "threads", follows = character()),
  device = list(level = "device", follows = c("node", "site", "tier")),
  device_count = list(level = "device_count", follows = c("node", "site", "tier")),
  node = list(level = "node", follows = c("device", "device_count", "threads", "site", "tier")),
  site = list(level = "site", follows = c("tier", "node", "device", "device_count", "threads"))
)

#' Compare timings, like with like
#'
#' Pairs the timings that agree in everything but one factor and compares them on the log scale.
#'
#' The k-th run of a cell at one level is paired with the k-th at the other, in order of measurement, so that with
#' blocked plans drift hits both alike. Within a scene the mean log ratio has a t interval over its pairs. Over scenes
#' the geometric mean takes each scene as one with a Welch-Satterthwaite interval (Satterthwaite 1946, Biometrics
#' Bulletin 2:110), and the total-work ratio weighs scenes by the time they take (delta method). Regressions come first.
#'
#' Only finished renders count; warm-up runs (repeat 0) do not, nor do timings that do not say the factor (their site,
#' say). The first level, in version order, is the old one; each other level is compared with it.
#'
#' @param x Timings, a data frame as [timings()] returns it.
#' @param by The factor studied: `"engine_version"`, `"engine"`, `"limit"`, `"size"`, `"features"`, `"threads"`,
#'   `"device"`, `"device_count"`, `"node"` or `"site"`.
#' @param smallest Smallest difference of interest, as a share (0.02 is 2 %): a smaller one is never called faster or
#'   slower.
#' @param level Confidence level of the intervals.
#' @return A tibble of class `timing_comparison`: for each pair of levels, the one with the lowest ratio first, one row
#'   a scene and then `all scenes` by total work and by geometric mean: `engine`, `scene`, `old`, `new`, `pairs`,
#'   `old_s`, `new_s` (mean wall seconds), `ratio` (old / new), `lower`, `upper`, `time_saved`, `speed_gain`, `verdict`
#'   (`faster`, `slower`, `no clear difference`), `basis`, `note`. Timings that were left out are counted in `note`.
#' @section Conditions: `clockpigeon_error_compare` when there is nothing to compare: no finished render, one level
#'   only, or sets that differ in more than `by`; the message names what differs.
#' @examples
#' x <- example_timings()
#' compare_timings(x[x$engine == "sundew", ], by = "engine_version")
#' @export
compare_timings <- function(x, by, smallest = 0.02, level = 0.95) {
  check_columns(x, argument("x"), names(timing_columns))
  by <- check_choice(by, argument("by"), names(compare_factors))
  smallest <- check_number(smallest, argument("smallest"), least = 0, most = 1)
  level <- check_number(level, argument("level"), above = 0, most = 0.9999)
  x <- as_frame(x)
  x <- x[is_evidence(x), , drop = FALSE]
  if (!nrow(x)) {
    stop_input("compare", "no finished render among the timings", instead = "Measure some first: clockpigeon bench.")
  }
  x[["level"]] <- level_labels(x, by)
  x[["context"]] <- if (by == "engine") "" else x[["engine"]]
  silent <- table(x[["context"]][is.na(x[["level"]])])
  x <- x[!is.na(x[["level"]]), , drop = FALSE]
  if (!nrow(x)) {
    stop_input("compare", paste("no timing says its", factor_label(by)),
               instead = "Compare by another factor, or write it into the timings.")
  }
  x <- x[order(x[["measured_at"]], x[["run_order"]]), , drop = FALSE]
  contexts <- split(x, x[["context"]])
  pairs <- do.call(rbind, lapply(contexts, match_cells, by = by))
  if (is.null(pairs)) refuse_unlike(x, by)
  rows <- lapply(split(pairs, row_key(pairs, c("context", "old", "new"))), function(p) {
    unsaid <- silent[names(silent) == p[["context"]][1]]
    compare_levels(p, smallest, level, if (length(unsaid)) paste(unsaid, "timings without a", factor_label(by)))
  })
  overall <- vapply(rows, function(r) r[["ratio"]][nrow(r)], 0)
  out <- as_table(bind_tables(rows[order(overall)]), class = "timing_comparison")
  attr(out, "by") <- by
  attr(out, "smallest") <- smallest
  attr(out, "level") <- level
  out
}

factor_label <- function(by) gsub("_", " ", by)

# The level of each timing as text; NA where it is not known.
level_labels <- function(x, by) {
  factor <- compare_factors[[by]]
  parts <- lapply(factor[["level"]], function(column) {
    value <- x[[column]]
    text <- if (is.numeric(value)) format(value, trim = TRUE, drop0trailing = TRUE, digits = 7) else value
    ifelse(is.na(value), "unknown", text)
  })
  labels <- do.call(paste, c(parts, sep = if (by == "size") "x" else " "))
  unsaid <- is.na(x[[factor[["level"]][1]]])
  labels[unsaid] <- if (length(factor[["missing"]])) factor[["missing"]] else NA_character_
  labels
}

# Levels in the order old to new: versions by number, numbers by size, the rest by name.
order_levels <- function(levels) {
  numbers <- lapply(regmatches(levels, gregexpr("[0-9]+", levels)), as.numeric)
  width <- max(lengths(numbers), 1)
  stem <- gsub("[0-9.]+", "", levels)
  digits <- t(vapply(numbers, function(v) c(v, rep(-1, width - length(v))), numeric(width)))
  if (width == 1) digits <- t(digits)
  levels[do.call(order, c(list(stem), lapply(seq_len(width), function(k) digits[, k])))]
}

match_cells <- function(x, by) {
  factor <- compare_factors[[by]]
  levels <- order_levels(unique(x[["level"]]))
  if (length(levels) < 2) return(NULL)
  cell <- row_key(x, setdiff(setting_columns, c(factor[["level"]], factor[["follows"]])))
  run <- stats::ave(seq_len(nrow(x)), cell, x[["level"]], FUN = seq_along)
  x[["cell"]] <- paste(cell, run, sep = "\x1f")
  old <- x[x[["level"]] == levels[1], , drop = FALSE]
  do.call(rbind, lapply(levels[-1], function(new_level) {
    new <- x[x[["level"]] == new_level, , drop = FALSE]
    at <- match(old[["cell"]], new[["cell"]])
    hit <- !is.na(at)
    if (!any(hit)) return(NULL)
    partner <- at[hit]
    data.frame(
      context = old[["context"]][hit], scene = old[["scene"]][hit], frame = old[["frame"]][hit],
      cell = cell_of(old[["cell"]][hit]), old = levels[1], new = new_level,
      old_s = old[["wall_s"]][hit], new_s = new[["wall_s"]][partner],
      sample = is_sample(old)[hit] | is_sample(new)[partner],
      alone = sum(!hit) + nrow(new) - sum(hit)
    )
  }))
}

cell_of <- function(key) sub("\x1f[0-9]+$", "", key)

refuse_unlike <- function(x, by) {
  factor <- compare_factors[[by]]
  levels <- order_levels(unique(x[["level"]]))
  other <- either(differing(x, by))
  if (length(levels) < 2) {
    stop_input("compare", paste0("all timings that say it have one ", factor_label(by), ", ", levels),
               instead = paste0("Measure with another, or compare by ", other, "."))
  }
  others <- setdiff(setting_columns, c(factor[["level"]], factor[["follows"]]))
  a <- x[x[["level"]] == levels[1], , drop = FALSE]
  b <- x[x[["level"]] == levels[2], , drop = FALSE]
  apart <- Filter(function(column) !length(intersect(as.character(a[[column]]), as.character(b[[column]]))), others)
  shown <- vapply(apart, function(column) {
    paste0(column, " (", some_values(a[[column]]), " against ", some_values(b[[column]]), ")")
  }, "")
  stop_input("compare", paste0(levels[1], " and ", levels[2], " have no two timings alike; they also differ in ",
                               if (length(shown)) toString(shown) else "which combinations were measured"),
             instead = paste0("Measure both under one setting, or compare by ", other, "."))
}

some_values <- function(x) {
  x <- unique(x)
  paste0(toString(ifelse(is.na(x), "unknown", x)[seq_len(min(3, length(x)))]), if (length(x) > 3) ", ...")
}

# The factors that have at least two levels in these timings, other than `but`.
differing <- function(x, but = character()) {
  many <- vapply(names(compare_factors), function(by) length(setdiff(level_labels(x, by), NA)) > 1, NA)
  found <- setdiff(names(compare_factors)[many], but)
  if (length(found)) found else "a factor that was varied"
}

# One pair of levels: a row a scene, the slowest change first, then the rows of all scenes.
compare_levels <- function(p, smallest, level, silent = NULL) {
  scenes <- split(p, p[["scene"]])
  each <- lapply(scenes, function(s) c(log_ratio(s[["old_s"]], s[["new_s"]]), list(work = work_of(s))))
  row <- function(scene, total, basis, est, s) {
    ratio <- exp(est$mean)
    half <- if (is.finite(est$se)) stats::qt((1 + level) / 2, est$df) * est$se else NA_real_
    alone <- s[["alone"]][1]
    left_out <- if (total || length(scenes) == 1) {
      c(if (alone == 1) "1 timing without a partner", if (alone > 1) paste(alone, "timings without a partner"), silent)
    }
    note <- c(if (nrow(s) == 1) "single run: no interval", if (length(left_out)) paste("left out:", toString(left_out)),
              if (any(s[["sample"]])) sample_mark)
    data.frame(
      engine = p[["context"]][1], scene = scene, old = p[["old"]][1], new = p[["new"]][1], pairs = nrow(s),
      old_s = mean(s[["old_s"]]), new_s = mean(s[["new_s"]]), ratio = ratio, lower = exp(est$mean - half),
      upper = exp(est$mean + half), time_saved = 1 - 1 / ratio, speed_gain = ratio - 1,
      verdict = verdict(est$mean, half, smallest), basis = basis, note = paste(note, collapse = "; ")
    )
  }
  rows <- do.call(rbind, Map(function(name, est) row(name, FALSE, "matched runs", est, scenes[[name]]),
                             names(scenes), each))
  rows <- rows[order(rows[["ratio"]]), , drop = FALSE]
  if (length(scenes) == 1) return(rows)
  rbind(rows, row("all scenes", TRUE, "total work", total_work(each), p),
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
  if (is.na(half)) return("no clear difference")
  if (mean_log - half > 0 && mean_log >= log1p(smallest)) return("faster")
  if (mean_log + half < 0 && mean_log <= -log1p(smallest)) return("slower")
  "no clear difference"
}
