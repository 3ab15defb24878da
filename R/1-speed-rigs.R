# Results of a speed fit for scenes and rigs: forecasts, the table of rigs, the next trial.

#' @rdname fit_speeds
#' @param object A speed fit.
#' @param scene,rig Scenes and rigs, one forecast for each pair; a name never seen gets the width of
#'   what is unknown.
#' @param level Level of the interval.
#' @param run Whether the interval is for one run (its own spread included) or for the mean of many;
#'   1 / n for that of n.
#' @param ... Not used.
#' @return `predict()`: a tibble: `scene`, `rig`, `seconds` (median), `lower`, `upper`, `runs`
#'   (timings of just that cell), `evidence` (`measured` there, or `transferred`).
#' @section Conditions: `predict()`: `clockpigeon_error_speeds` when scene and rig lie on two
#'   islands.
#' @rawNamespace S3method(stats::predict, cp_speed_fit)
predict.cp_speed_fit <- function(object, scene, rig, level = 0.8, run = TRUE, ...) {
  level <- check_number(level, argument("level"), above = 0, most = 0.9999)
  asked <- data.frame(scene = as.character(scene), rig = as.character(rig))
  i <- match(asked[["scene"]], object$scenes, nomatch = 0L)
  j <- match(asked[["rig"]], object$rigs, nomatch = 0L)
  check_one_island(object, asked, i, j)
  parts <- lapply(seq_along(object$weight),
                  function(k) cell_forecast(object, exp(object$theta[k, ]), i, j, run))
  points <- mixture_points(vapply(parts, `[[`, numeric(length(i)), "mean"),
                           vapply(parts, function(p) sqrt(p$variance), numeric(length(i))),
                           object$weight,
                           c(0.5, (1 - level) / 2, (1 + level) / 2), length(i))
  at <- match(paste(i, j), paste(object$cells$i, object$cells$j))
  runs <- ifelse(is.na(at), 0L, object$cells$n[at])
  as_table(list(scene = asked[["scene"]], rig = asked[["rig"]], seconds = exp(points[, 1]),
                lower = exp(points[, 2]), upper = exp(points[, 3]), runs = as.integer(runs),
                  evidence = ifelse(runs > 0, "measured", "transferred")))
}

# Quantiles of mixtures of normals: one row a mixture, one column a probability; bisection.
mixture_points <- function(mean, sd, weight, probs, m) {
  mean <- matrix(mean, m)
  sd <- matrix(sd, m)
  points <- vapply(probs, function(p) {
    low <- apply(mean - 8 * sd, 1, min)
    high <- apply(mean + 8 * sd, 1, max)
    for (step in 1:50) {
      at <- (low + high) / 2
      below <- drop(stats::pnorm((at - mean) / sd) %*% weight) < p
      low[below] <- at[below]
      high[!below] <- at[!below]
    }
    (low + high) / 2
  }, numeric(m))
  matrix(points, m)
}

check_one_island <- function(fit, asked, i, j) {
  apart <- which(i > 0 & j > 0 & fit$islands$scene[pmax(i, 1)] != fit$islands$rig[pmax(j, 1)])
  if (!length(apart)) return(invisible())
  k <- apart[1]
  island <- fit$islands$rig[j[k]]
  there <- fit$scenes[fit$islands$scene == island]
  stop_input("speeds", paste0("nothing connects scene ", asked[["scene"]][k], " with rig ",
                              asked[["rig"]][k],
                              ": no chain of timings leads from one to the other"), "the timings",
             paste0("Run ", if (length(there)) paste0(asked[["scene"]][k], " on it, or ", there[1],
                                                      " on a rig that ran ",
                                                      asked[["scene"]][k]) else
                    "any known scene on it", "."))
}

new_speed_table <- table_type("cp_speed_table", c("rig", "ratio", "lower", "upper", "scenes",
                                                  "runs", "for_a_scene", "evidence"))

#' Speed of each rig relative to one of them
#'
#' @param object A [fit_speeds()].
#' @param relative_to A rig; the one with the most scenes (of those whose device is known) when
#'   `NULL`.
#' @param level Level of the intervals.
#' @param ... Not used.
#' @return A tibble, one row a rig of the same island, fastest first: `rig`, `ratio` (time on
#'   `relative_to` over time on it, for the typical scene: above 1 is faster), `lower`, `upper`,
#'   `scenes` (that ran on it), `runs`, `for_a_scene` (factor either way within which the ratio for
#'   a single scene lies at that level), `evidence` (`measured` or `claimed`).
#' @section Conditions: `clockpigeon_error_speeds` when the rig is not in the table.
#' @examples
#' known <- data.frame(scene = c("a", "a", "b", "b"), rig = c("old", "new", "old", "new"),
#'                     wall_s = c(100, 52, 40, 19))
#' summary(fit_speeds(known), relative_to = "old")
#' @export
summary.cp_speed_fit <- function(object, relative_to = NULL, level = 0.8, ...) {
  fit <- object
  scenes <- tabulate(fit$cells$j, length(fit$rigs))
  known <- !startsWith(fit$rigs, unknown_device)
  base <- if (is.null(relative_to)) which.max(scenes + 1e6 * known) else
    match(relative_to, fit$rigs)
  if (is.na(base)) {
    stop_input("speeds", paste0("no timing or claim speaks of ", relative_to),
               argument("relative_to"),
               paste0("Choose from ", toString(utils::head(fit$rigs, 5)), "."))
  }
  here <- which(fit$islands$rig == fit$islands$rig[base])
  parts <- lapply(seq_along(fit$weight), function(k) {
    eq <- speed_equations(fit, exp(fit$theta[k, ]), full = TRUE)
    inverse <- chol2inv(eq$root)[-1, -1]
    list(mean = eq$beta[1 + base] - eq$beta[1 + here],
         sd = sqrt(pmax(diag(inverse)[here] + inverse[base, base] - 2 * inverse[base, here],
                        1e-12)))
  })
  points <- mixture_points(vapply(parts, `[[`, numeric(length(here)), "mean"),
                           vapply(parts, `[[`, numeric(length(here)), "sd"), fit$weight,
                           c(0.5, (1 - level) / 2, (1 + level) / 2), length(here))
  points[here == base, ] <- 0
  runs <- residual_scatter(fit$cells$n, fit$cells$j, length(fit$rigs))
  z <- stats::qnorm((1 + level) / 2)
  # A new scene adds its interaction to the spread of the mean ratio.
  mean_sd <- (points[, 3] - points[, 2]) / (2 * z)
  scene_sd <- sqrt(mean_sd^2 + 2 * exp(2 * fit$mode[3]))
  table <- new_speed_table(list(
    rig = fit$rigs[here], ratio = exp(points[, 1]),
    lower = exp(points[, 2]), upper = exp(points[, 3]),
    scenes = scenes[here], runs = as.integer(runs[here]),
    for_a_scene = ifelse(here == base, 1, exp(z * scene_sd)),
    evidence = ifelse(scenes[here] > 0, "measured", "claimed")
  ))
  table[order(-points[, 1]), ]
}

# `x`: timings; `unit`: the column that counts, `threads` or `device_count`. A list, one entry per
# scene, engine, version, limit, size, features and node (the one with most numbers first): `of` (a
# row with these), `n`, `seconds`, `frames`. Frames that were timed at one number only are excluded;
# the others are scaled to their usual time (an additive model of log times, frame and number).
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
