# Learning from complete shots.

#' Learn the prior from complete shots
#'
#' Every shot of which nearly all frames were measured in one setting (scene, engine, version,
#' limit, size, features, node) tells its own spread, smoothness and share of odd frames; the prior
#' is what these say of the next shot: their log values are normal with unknown mean and spread, the
#' weak default counted as one shot more (the predictive distribution of a normal sample with
#' conjugate prior: Gelman et al. 2013, *Bayesian data analysis*, section 3.3, by its mean and
#' spread). Scenes are counted, not settings: one shot timed in twelve versions is one shot. A shot
#' that was complete in two settings, one at most a fifth as dear as the other, tells the same of
#' what a cheap pass leaves.
#'
#' @param timings Timings, as [timings()] returns them.
#' @param least Share of the frames between a shot's first and last that must be there, and at least
#'   40 of them.
#' @param prior The default to start from.
#' @param most Scenes that teach at most, the newest: each takes half a second.
#' @return A `curve_prior()` whose `shots` says how many scenes taught it; the default itself when
#'   there are none.
#' @section Conditions: `clockpigeon_error_type` when columns are missing.
#' @examples
#' learn_curve_prior(example_timings())$shots
#' @export
learn_curve_prior <- function(timings, least = 0.8, prior = curve_prior(), most = 8) {
  timings <- filled_timings(timings, argument("timings"))
  most <- check_count(most, argument("most"))
  rows <- as_frame(timings)
  whole <- complete_shots(rows, least)
  scenes <- unique(vapply(whole, function(p) p[["scene"]][1], ""))
  if (length(scenes) > most) {
    newest <- utils::head(intersect(rev(rows[["scene"]]), scenes), most)
    whole <- Filter(function(p) p[["scene"]][1] %in% newest, whole)
  }
  taught_by_shots(whole, prior)
}

# Shots of which nearly all frames were measured in one setting: data frames of frame, seconds, what
# two settings of one shot have in common (`subject`), and how to name it.
complete_shots <- function(rows, least = 0.8) {
  rows <- rows[is_evidence(rows) & !is.na(rows[["frame"]]) & is.na(rows[["piece"]]), , drop = FALSE]
  if (!nrow(rows)) return(list())
  place <- ifelse(is.na(rows[["site"]]), rows[["node"]], rows[["site"]])
  parts <- data.frame(frame = rows[["frame"]],
                      seconds = ifelse(is.na(rows[["compute_s"]]), rows[["wall_s"]],
                                       rows[["compute_s"]]),
                      scene = ifelse(is.na(rows[["scene"]]), "unknown", rows[["scene"]]),
                      subject = row_key(rows, c("scene", "engine", "engine_version", "node",
                                                "site")),
                      place = ifelse(is.na(place), "unknown", place),
                      label = paste0(rows[["scene"]], " with ", rows[["engine"]], " at ",
                                     rows[["width"]], "x", rows[["height"]], ", ",
                                     rows[["limit_kind"]], " ", rows[["limit_value"]]))
  parts <- split(parts, row_key(rows, names(timing_keys)[timing_keys]))
  Filter(function(p) is_complete(p[["frame"]], least), unname(parts))
}

# For each complete shot which other is a cheap pass over it (a fifth of its cost at most); NULL
# where none is.
cheap_partners <- function(shots) {
  cost <- vapply(shots, function(p) mean(p[["seconds"]]), 0)
  subject <- vapply(shots, function(p) p[["subject"]][1], "")
  lapply(seq_along(shots), function(k) {
    cheaper <- which(subject == subject[k] & cost <= cost[k] / 5)
    if (length(cheaper)) cheaper[which.min(cost[cheaper])]
  })
}

# Columns that are looked at, and whether they tell settings apart.
timing_keys <- c(scene = TRUE, engine = TRUE, engine_version = TRUE, limit_kind = TRUE,
                 limit_value = TRUE, width = TRUE,
                 height = TRUE, features = TRUE, node = TRUE, site = TRUE, frame = FALSE,
                 piece = FALSE, wall_s = FALSE, compute_s = FALSE)

is_complete <- function(frame, least) {
  seen <- sort(unique(frame))
  if (length(seen) < 40) return(FALSE)
  length(seen) >= least * (diff(range(seen)) / stats::median(diff(seen)) + 1)
}

taught_by_shots <- function(whole, prior) {
  if (!length(whole)) return(prior)
  told <- lapply(whole, shot_information, prior = prior)
  scene <- vapply(whole, function(p) p[["scene"]][1], "")
  prior <- prior_with_scene(prior, "full", told, scene)
  pairs <- cheap_partners(whole)
  dear <- which(lengths(pairs) > 0)
  left <- lapply(dear, function(k) shot_information(whole[[k]], prior, whole[[pairs[[k]]]]))
  prior_with_scene(prior, "cheap", left, scene[dear])
}

# Log sd, log range over the shot's length, log own (posterior means under a prior made wider), and
# odd frames.
shot_information <- function(shot, prior, cheap = NULL) {
  kind <- if (is.null(cheap)) "full" else "cheap"
  for (name in names(prior[[kind]])) prior[[kind]][[name]][2] <- 2 * prior[[kind]][[name]][2]
  frames <- sort(unique(c(shot[["frame"]])))
  if (length(cheap)) cheap <- cheap[cheap[["frame"]] %in% frames, , drop = FALSE]
  at <- tapply(shot[["seconds"]], shot[["frame"]], mean)
  curve <- frame_curve(frames, as.numeric(at), frames, cheap = cheap, run_sd = 0, prior = prior)
  p <- curve$chain$parameters
  c(colMeans(log(p[, 1:3])) - c(0, log(max(diff(range(frames)), 2)), 0), mean(p[, 4]),
    heavy_times(log(as.numeric(at))))
}

# How many times as slow as their neighbours the frames are that stand out, on average; 1 where none
# does.
heavy_times <- function(log_s) {
  rest <- log_s - as.numeric(stats::runmed(log_s, 9))
  heavy <- rest > max(odd_times * stats::mad(rest), 0.4)
  if (any(heavy)) mean(exp(rest[heavy])) else 1
}

# Several settings of one scene are one shot: their mean counts once. The spread is that of a shot
# to come: the normal sample's predictive distribution, Student's t by the factor that its 90 %
# point has over the normal's, and at most e-fold: what a prior claims beyond that no shot has
# shown.
prior_with_scene <- function(prior, kind, told, scene) {
  if (!length(told)) return(prior)
  told <- rowsum(do.call(rbind, told), scene) / as.vector(rowsum(rep(1, length(scene)), scene))
  n <- nrow(told)
  for (k in 1:3) {
    weak <- prior[[kind]][[k]]
    mean <- (log(weak[1]) + sum(told[, k])) / (n + 1)
    # One shot's worth of the default spread; the mean itself is known from n + 1 shots.
    variance <- (weak[2]^2 + (log(weak[1]) - mean)^2 / (n + 1) + sum((told[, k] - mean)^2)) /
      (n + 1) * (1 + 1 / (n +
        1))
    few <- stats::qt(0.9, n + 1) / stats::qnorm(0.9)
    prior[[kind]][[k]] <- c(exp(mean), min(sqrt(variance) * few, 1))
  }
  if (kind == "full") {
    prior$rate[1] <- (prior$rate[1] + sum(told[, 4])) / (n + 1)
    prior$heavy_factor <- (prior$heavy_factor + sum(told[, 5])) / (n + 1)
    prior$shots <- n
  }
  prior
}
