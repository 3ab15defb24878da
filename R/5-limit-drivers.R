# Drivers of the render time: features and sizes, each in turn.

#' Drivers of the render time
#'
#' From probes that crossed features or sizes: what each change of one of them alone does to the
#' time of a sample, to the noise, and to the time of equal noise (the product of the time of a
#' sample and of the noise variance, since samples make up for noise one for one in variance). Where
#' several features were crossed the change is shown in each company, and whether it differs between
#' them by more than its error does: then they interact.
#'
#' For sizes the time of a sample is a power of the pixels; 1 would be proportional.
#'
#' @param study From [study_limit()].
#' @param level Level of the intervals.
#' @return A tibble, one row a change, frame and company: `what` (the feature, or `size`), `from`,
#'   `to`, `others` (the features held, as JSON), `frame`, `time`, `time_lower`, `time_upper` (new
#'   time of a sample over old), `noise` (new over old at equal samples), `equal_noise` (time of
#'   equal noise, new over old), `interacts` (chance of so unlike changes in other company; `NA`
#'   when there is none). For `size` also `power`.
#' @section Conditions: `clockpigeon_error_limit` when the probes have one setting.
#' @noRd
time_drivers <- function(study, level = 0.95) {
  check_class(study, argument("study"), "cp_study", "study_limit()")
  level <- check_number(level, argument("level"), above = 0, most = 1)
  frames <- as_frame(study$frames)
  sets <- feature_table(frames[["features"]])
  sets$size <- paste0(frames$width, "x", frames$height)
  rows <- do.call(rbind, lapply(names(sets),
                                function(name) changes_of(name, sets, frames, study$fits, level)))
  if (is.null(rows)) {
    stop_input("limit", "the probes have one setting", argument("study"),
               "Cross features or sizes in the probes.")
  }
  rows$interacts <- vapply(seq_len(nrow(rows)), function(i) interaction_chance(rows, i), 0)
  as_table(rows[setdiff(names(rows), "se")])
}

# One column a feature; absent is NA.
feature_table <- function(features) {
  parsed <- lapply(features, function(x) if (is.na(x)) list() else
                   jsonlite::parse_json(x, simplifyVector = TRUE))
  names <- unique(unlist(lapply(parsed, names)))
  out <- lapply(names, function(name)
                vapply(parsed, function(p) as.character(or_else(p[[name]], NA)), ""))
  names(out) <- names
  list2DF(out, nrow = length(features))
}

# Each level of one column compared with its first, all other columns and the frame equal.
changes_of <- function(name, sets, frames, fits, level) {
  others <- sets[setdiff(names(sets), name)]
  group <- row_key(cbind(others, frame = frames$frame), c(names(others), "frame"))
  levels <- unique(sets[[name]])
  if (name == "size") levels <- levels[order(frames$width[match(levels, sets$size)])]
  changes_in <- function(g) {
    at <- which(group == g)
    old <- at[sets[[name]][at] == levels[1]]
    held <- others[at[1], , drop = FALSE]
    held <- if (length(held)) to_json(as.list(held)) else ""
    changes <- lapply(levels[-1], function(to) {
      new <- at[sets[[name]][at] == to]
      if (!length(old) || !length(new)) return(NULL)
      one_change(name, levels[1], to, held, frames, old, new, fits, level)
    })
    do.call(rbind, changes)
  }
  do.call(rbind, lapply(unique(group), changes_in))
}

# Effect of one changed feature on time and noise, with intervals.
one_change <- function(name, from, to, others, frames, old, new, fits, level) {
  each <- function(i) fits[[i]]$time$estimate[["each"]]
  share <- function(i) sqrt(fits[[i]]$time$covariance[2, 2]) / each(i)
  variance <- function(i) fits[[i]]$curve$estimate[["per_sample"]]
  log_time <- log(each(new) / each(old))
  se <- sqrt(share(old)^2 + share(new)^2)
  t <- stats::qt((1 + level) / 2, min(fits[[old]]$time$df, fits[[new]]$time$df))
  pixels <- function(i) frames$width[i] * frames$height[i]
  data.frame(what = name, from = from, to = to, others = others, frame = frames$frame[old],
             time = exp(log_time), time_lower = exp(log_time - t * se),
             time_upper = exp(log_time + t * se), noise = sqrt(variance(new) / variance(old)),
             equal_noise = exp(log_time) * variance(new) / variance(old),
             power = if (name == "size") log_time / log(pixels(new) / pixels(old)) else NA_real_,
             se = se)
}

# Chance of so unlike changes of the same thing in other company of the same frame, were they equal.
interaction_chance <- function(rows, i) {
  same <- rows$what == rows$what[i] & rows$to == rows$to[i] & rows$frame == rows$frame[i]
  if (sum(same) < 2) return(NA_real_)
  x <- log(rows$time[same])
  w <- 1 / rows$se[same]^2
  stats::pchisq(sum(w * (x - sum(w * x) / sum(w))^2), sum(same) - 1, lower.tail = FALSE)
}
