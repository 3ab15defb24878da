# The model of a frame curve, as the compiled core takes it.

# Static coefficients of the model: their columns for the frames, and their prior mean and sd. The
# level is centred on the probes' own mean and wide enough (a factor of 4.5 either way) for the
# probes alone to determine it.
curve_terms <- function(curve) {
  level <- mean(log(curve$rows[["seconds"]]))
  columns <- list(level = rep(1, length(curve$frames)))
  mean <- level
  sd <- 1.5
  if (length(curve$cheap)) {
    terms <- cheap_terms(curve$cheap)
    columns <- c(columns, terms$columns)
    mean <- c(mean, terms$mean)
    sd <- c(sd, terms$sd)
  }
  list(columns = columns, mean = mean, sd = sd)
}

# The lists that the compiled model takes: what was measured, the whole shot, the prior.
curve_model <- function(curve) {
  rows <- curve$rows
  terms <- curve_terms(curve)
  frames <- curve$frames
  probed <- unique(rows[["frame"]])
  at <- match(probed, frames)
  shot_design <- do.call(cbind, terms$columns)
  factors <- setdiff(unique(rows[["scaled"]]), 0)
  shared <- vapply(factors, function(f) as.numeric(rows[["scaled"]] == f), numeric(nrow(rows)))
  design <- cbind(shot_design[match(rows[["frame"]], frames), , drop = FALSE],
                  matrix(shared, nrow(rows)))
  extra <- if (length(curve$cheap)) curve$cheap$variance else numeric(length(frames))
  # Times of another limit vary from run to run as well, also where nothing has told how much.
  noise <- pmax(curve$run_sd, ifelse(rows[["scaled"]] > 0, 0.01, 0))^2 + wild_variance(rows)
  pooled <- pooled_runs(rows, noise)
  between <- findInterval(probed, curve$breaks[["to"]])
  curve$data <- list(
    at = as.numeric(probed), fresh = c(0L, as.integer(diff(between) > 0)), extra = extra[at],
    frame = match(rows[["frame"]][pooled$first], probed), y = pooled$y, noise = pooled$noise,
    design = as.numeric(t(design[pooled$first, , drop = FALSE])),
    mean = c(terms$mean, numeric(length(factors))), sd = c(terms$sd, factors)
  )
  curve$shot <- list(frame = as.numeric(frames), probed = at, extra = extra,
                     design = as.numeric(t(cbind(shot_design,
                                                 matrix(0, length(frames), length(factors))))),
                     cut_from = as.numeric(curve$breaks[["from"]]),
                     cut_to = as.numeric(curve$breaks[["to"]]),
                     run_sd = curve$run_sd)
  curve$beforehand <- prior_of_shot(curve$prior, frames, length(curve$cheap) > 0)
  curve
}

# Runs of a frame as one measurement, which to a normal model tells the same: their mean, each run
# weighed by what it is worth, with the variance of that. Of very many runs the model then takes no
# longer than of one. `first`: the places of the rows that stand for theirs.
pooled_runs <- function(rows, noise) {
  y <- log(rows[["seconds"]])
  # Runs that are taken to vary by nothing stay as they are.
  key <- ifelse(noise > 0, row_key(rows, c("frame", "scaled")), seq_along(y))
  first <- which(!duplicated(key))
  if (length(first) == length(y)) return(list(first = first, y = y, noise = noise))
  group <- match(key, key[first])
  worth <- rowsum(ifelse(noise > 0, 1 / noise, 1), group)[, 1]
  list(first = first, y = rowsum(ifelse(noise > 0, y / noise, y), group)[, 1] / worth,
       noise = ifelse(noise[first] > 0, 1 / worth, 0))
}

# Repeats of a frame that disagree by more than a factor of two: something else happened to one of
# them. Of three or more the one far from the median counts for little; of two it is not known
# which, and both do.
wild_variance <- function(rows) {
  y <- log(rows[["seconds"]])
  middle <- stats::ave(y, rows[["frame"]], FUN = stats::median)
  apart <- stats::ave(y, rows[["frame"]], FUN = function(x) diff(range(x))) > log(2)
  ifelse(apart & rows[["scaled"]] == 0 & abs(y - middle) > log(2) / 2 - 1e-9, (y - middle)^2, 0)
}

chain_of <- function(curve, draws = 1000) {
  curve_chain_draws(curve$data, curve$beforehand, draws, 3L, 600L,
                    stream_seed(curve$seed, "parameters"))
}

curve_moments_at <- function(curve, parameters, own = TRUE) {
  curve_smooth_moments(curve$data, curve$shot, matrix(parameters, 1), own)
}

# Draws of the whole shot, brought to the design of its probes; `keep` also keeps the seconds of
# every frame.
curve_paths <- function(curve, draws, seed = curve$seed, keep = FALSE, before = 0L,
                        design = curve$design) {
  paths <- curve_path_draws(curve$data, curve$shot, curve$beforehand, curve$chain, design,
                            as.integer(draws), stream_seed(seed, "paths"),
                            keep || length(curve$left) > 0, as.integer(before))
  if (length(curve$left)) part_of_paths(paths, curve$left) else paths
}

# Number of draws for questions about the whole shot: fewer for a long one.
enough_draws <- function(curve, draws)
  as.integer(max(min(draws, 4e6 %/% length(curve$frames)), 200))

# Remaining frames of a partly finished shot, by their places.
part_of_paths <- function(paths, left) {
  paths$seconds <- paths$seconds[, left, drop = FALSE]
  paths$total <- rowSums(paths$seconds)
  paths$place <- left[max.col(paths$seconds, ties.method = "first")]
  paths[["slowest"]] <- apply(paths[["seconds"]], 1, max)
  paths
}
frames_left <- function(curve) if (length(curve$left)) curve$frames[curve$left] else curve$frames

# Draws of the seconds of every frame of a pass still to be rendered: a matrix, one row a draw, one
# column a frame. They go on `before` draws after the first.
curve_draws <- function(curve, draws = 2000, seed = curve$seed, before = 0L) {
  curve_paths(curve, draws, seed, keep = TRUE, before = before)$seconds
}

# Terms of the cheap times in the log of the full time, and the prior slopes: along the course about
# one, with a bend; of a frame's residual about a half, since part of it is clock noise; of outliers
# about one again.
cheap_terms <- function(cheap) {
  x <- cheap$course
  list(columns = list(course = x - mean(x), bend = pmax(x - stats::median(x), 0), rest = cheap$rest,
                      beyond = cheap$beyond),
       mean = c(1, 0, 0.5, 1), sd = c(0.2, 0.2, 0.3, 0.4))
}
