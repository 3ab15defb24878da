# What is known of a shot's frame times beforehand.

#' Prior of the frames of a shot
#'
#' How log frame times vary along a shot before any is measured: their standard deviation along the shot (`sd`), the
#' length over which they stay alike, as a share of the shot (`range`), the spread of each frame for itself (`own`), all
#' log-normal, and the share of frames that stand out (`rate`, beta), each slower by a factor of exp(0.6) on average,
#' with a standard deviation of 0.5 of its log. With a cheap pass the first three are of what the cheap times leave.
#'
#' The default is weak and assumed; [learn_curve_prior()] replaces it by what complete shots teach.
#'
#' @param sd,range,own,cheap_sd,cheap_range,cheap_own Each `c(median, sd of the log)`.
#' @param rate `c(mean, weight in frames)` of the share of frames that stand out.
#' @return A list of class `curve_prior`.
#' @section Conditions: `clockpigeon_error_type` when a number is not above 0.
#' @examples
#' calm <- curve_prior(sd = c(0.1, 0.3))
#' total_time(frame_curve(10, 3, 1:60, prior = calm))
#' @export
curve_prior <- function(sd = c(0.35, 0.6), range = c(0.3, 0.8), own = c(0.05, 0.6), cheap_sd = c(0.12, 0.7),
                        cheap_range = c(0.3, 0.8), cheap_own = c(0.07, 0.6), rate = c(0.005, 20)) {
  pair <- function(x, name) {
    if (!is.numeric(x) || length(x) != 2 || !all(is.finite(x)) || any(x <= 0)) {
      stop_input("type", paste("got", show_value(x)), argument(name), "Give two numbers above 0.")
    }
    as.numeric(x)
  }
  structure(list(
    full = list(sd = pair(sd, "sd"), range = pair(range, "range"), own = pair(own, "own")),
    cheap = list(sd = pair(cheap_sd, "cheap_sd"), range = pair(cheap_range, "cheap_range"),
                 own = pair(cheap_own, "cheap_own")),
    rate = pair(rate, "rate"), heavy = c(0.6, 0.5), shots = 0L
  ), class = "curve_prior")
}

# As the compiled model takes it, for a shot of these frames.
prior_of_shot <- function(prior, frames, cheap) {
  of <- if (cheap) prior$cheap else prior$full
  long <- max(diff(range(frames)), 2)
  list(mean = log(c(of$sd[1], of$range[1] * long, of$own[1])), spread = c(of$sd[2], of$range[2], of$own[2]),
       rate = prior$rate[2] * c(prior$rate[1], 1 - prior$rate[1]), heavy = prior$heavy)
}

# Points of the prior of (sd, range, own), evenly in its quantiles (Halton 1960), and rate: a matrix of n rows.
prior_points <- function(beforehand, n) {
  halton <- function(base) {
    vapply(seq_len(n), function(i) {
      f <- 1
      at <- 0
      while (i > 0) {
        f <- f / base
        at <- at + f * (i %% base)
        i <- i %/% base
      }
      at
    }, 0)
  }
  at <- vapply(c(2, 3, 5), halton, numeric(n))
  z <- stats::qnorm(at)
  cbind(exp(t(beforehand$mean + beforehand$spread * t(z))), 0)
}

#' Learn the prior from complete shots
#'
#' Every shot of which nearly all frames were measured in one setting (scene, engine, version, limit, size, features,
#' node) tells its own spread, smoothness and share of odd frames; the prior is what these say of the next shot: their
#' log values are normal with unknown mean and spread, the weak default counted as one shot more (the predictive
#' distribution of a normal sample with conjugate prior: Gelman et al. 2013, *Bayesian data analysis*, section 3.3, by
#' its mean and spread). A shot that was complete in two settings, one at most a fifth as dear as the other, tells the
#' same of what a cheap pass leaves.
#'
#' @param timings Timings, as [timings()] returns them.
#' @param least Share of the frames between a shot's first and last that must be there, and at least 40 of them.
#' @param prior The default to start from.
#' @return A [curve_prior()] whose `shots` says how many shots taught it; the default itself when there are none.
#' @section Conditions: `clockpigeon_error_type` when columns are missing.
#' @examples
#' learn_curve_prior(example_timings())$shots
#' @export
learn_curve_prior <- function(timings, least = 0.8, prior = curve_prior()) {
  check_columns(timings, argument("timings"), names(timing_keys))
  taught_by_shots(complete_shots(as_frame(timings), least), prior)
}

# Shots of which nearly all frames were measured in one setting: data frames of frame, seconds, what two settings of one
# shot have in common (`subject`), and how to name it.
complete_shots <- function(rows, least = 0.8) {
  rows <- rows[is_evidence(rows) & !is.na(rows[["frame"]]) & is.na(rows[["piece"]]), , drop = FALSE]
  if (!nrow(rows)) return(list())
  place <- ifelse(is.na(rows[["site"]]), rows[["node"]], rows[["site"]])
  parts <- data.frame(frame = rows[["frame"]],
                      seconds = ifelse(is.na(rows[["compute_s"]]), rows[["wall_s"]], rows[["compute_s"]]),
                      subject = row_key(rows, c("scene", "engine", "engine_version", "node", "site")),
                      place = ifelse(is.na(place), "unknown", place),
                      label = paste0(rows[["scene"]], " with ", rows[["engine"]], " at ", rows[["width"]], "x",
                                     rows[["height"]], ", ", rows[["limit_kind"]], " ", rows[["limit_value"]]))
  parts <- split(parts, row_key(rows, names(timing_keys)[timing_keys]))
  Filter(function(p) is_complete(p[["frame"]], least), unname(parts))
}

# For each complete shot which other is a cheap pass over it (a fifth of its cost at most); NULL where none is.
cheap_partners <- function(shots) {
  cost <- vapply(shots, function(p) mean(p[["seconds"]]), 0)
  subject <- vapply(shots, function(p) p[["subject"]][1], "")
  lapply(seq_along(shots), function(k) {
    cheaper <- which(subject == subject[k] & cost <= cost[k] / 5)
    if (length(cheaper)) cheaper[which.min(cost[cheaper])]
  })
}

# Columns that are looked at, and whether they tell settings apart.
timing_keys <- c(scene = TRUE, engine = TRUE, engine_version = TRUE, limit_kind = TRUE, limit_value = TRUE,
                 width = TRUE,
                 height = TRUE, features = TRUE, node = TRUE, site = TRUE, frame = FALSE, piece = FALSE, wall_s = FALSE,
                 compute_s = FALSE)

is_complete <- function(frame, least) {
  seen <- sort(unique(frame))
  if (length(seen) < 40) return(FALSE)
  length(seen) >= least * (diff(range(seen)) / stats::median(diff(seen)) + 1)
}

taught_by_shots <- function(whole, prior) {
  if (!length(whole)) return(prior)
  told <- lapply(whole, told_by_shot, prior = prior)
  prior <- taught(prior, "full", told)
  pairs <- cheap_partners(whole)
  dear <- which(lengths(pairs) > 0)
  left <- lapply(dear, function(k) told_by_shot(whole[[k]], prior, whole[[pairs[[k]]]]))
  taught(prior, "cheap", left)
}

# Log sd, log range over the shot's length, log own (posterior means under a prior made wider), and odd frames.
told_by_shot <- function(shot, prior, cheap = NULL) {
  kind <- if (is.null(cheap)) "full" else "cheap"
  for (name in names(prior[[kind]])) prior[[kind]][[name]][2] <- 2 * prior[[kind]][[name]][2]
  frames <- sort(unique(c(shot[["frame"]])))
  if (length(cheap)) cheap <- cheap[cheap[["frame"]] %in% frames, , drop = FALSE]
  at <- tapply(shot[["seconds"]], shot[["frame"]], mean)
  curve <- frame_curve(frames, as.numeric(at), frames, cheap = cheap, run_sd = 0, prior = prior)
  p <- curve$chain$parameters
  c(colMeans(log(p[, 1:3])) - c(0, log(max(diff(range(frames)), 2)), 0), mean(p[, 4]))
}

taught <- function(prior, kind, told) {
  n <- length(told)
  if (!n) return(prior)
  told <- do.call(rbind, told)
  for (k in 1:3) {
    weak <- prior[[kind]][[k]]
    mean <- (log(weak[1]) + sum(told[, k])) / (n + 1)
    # One shot's worth of the default spread; the mean itself is known from n + 1 shots.
    variance <- (weak[2]^2 + (log(weak[1]) - mean)^2 / (n + 1) + sum((told[, k] - mean)^2)) / (n + 1) * (1 + 1 / (n +
                                                                                                                  1))
    prior[[kind]][[k]] <- c(exp(mean), sqrt(variance))
  }
  if (kind == "full") {
    prior$rate[1] <- (prior$rate[1] + sum(told[, 4])) / (n + 1)
    prior$shots <- n
  }
  prior
}
