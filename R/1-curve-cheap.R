# Cheap times: what they say of the full ones.

# Cheap times by frame, checked: one log mean for each frame.
check_cheap <- function(cheap, frames) {
  if (is.numeric(cheap) && length(names(cheap))) {
    cheap <- data.frame(frame = as.integer(names(cheap)), seconds = as.numeric(cheap))
  }
  check_columns(cheap, argument("cheap"), c("frame", "seconds"))
  seconds <- check_seconds(cheap[["seconds"]], "argument `cheap`, seconds")
  at <- check_counts(cheap[["frame"]], "argument `cheap`, frame", least = -1e7)
  outside <- setdiff(at, frames)
  if (length(outside)) {
    stop_input("curve", paste("cheap frame", toString(utils::head(outside, 3)),
                              "is not in the shot"),
               argument("cheap"), paste0("The shot has frames ", format_frames(frames), "."))
  }
  logs <- tapply(log(seconds), at, mean)
  data.frame(frame = as.integer(names(logs)), log_s = as.numeric(logs))
}

# The cheap times taken apart: their smooth course along the shot, each frame's rest about it, and
# what of the rest stands out. The smoothed course is used, since a single cheap time is mostly
# timer noise; a frame that stands out is a heavy one. Frames without a cheap time are filled in
# from the course, with the variance of that.
with_cheap <- function(curve, cheap) {
  if (nrow(cheap) < 5) {
    stop_input("curve", paste("has", nrow(cheap), "of", length(curve$frames), "frames"),
               argument("cheap"), "Time at least five frames cheaply, best all of them.")
  }
  whole <- nrow(cheap) == length(curve$frames)
  if (!curve$known_cuts && whole) curve$breaks <- cheap_breaks(curve$frames, cheap[["log_s"]])
  course <- list(frames = curve$frames, run_sd = 0, seed = curve$seed, prior = curve$prior,
                 breaks = curve$breaks,
                 rows = data.frame(frame = cheap[["frame"]], seconds = exp(cheap[["log_s"]]),
                                   scaled = 0))
  course <- curve_model(course)
  p <- course_parameters(course)
  at <- course$shot$probed
  rest_of <- function(course) cheap[["log_s"]] - curve_moments_at(course, p, own = FALSE)$mean[at]
  # Frames that stand out would bend the course: found by a first look, and then not counted.
  first <- rest_of(course)
  course$data$extra[abs(first) > odd_times * stats::mad(first, 0)] <- 4
  smooth <- curve_moments_at(course, p, own = FALSE)
  rest <- rest_of(course)
  edge <- max(odd_times * stats::mad(rest, 0), 0.1)
  full <- function(x) replace(numeric(length(curve$frames)), at, x)
  filled <- replace(smooth$variance + p[3]^2, at, 0)
  curve$cheap <- list(log_s = replace(smooth$mean, at, cheap[["log_s"]]), course = smooth$mean,
                      rest = full(pmax(pmin(rest, edge), -edge)),
                      beyond = full(pmax(rest - edge, 0)),
                      variance = filled, timed = nrow(cheap))
  curve
}

# A rest this many times the usual one stands out.
odd_times <- 4

# Median parameters of the course; of a long shot, three stretches of it tell them.
course_parameters <- function(course, most = 600) {
  n <- length(course$data$at)
  if (n > most) {
    part <- seq_len(most %/% 3)
    keep <- c(part, n %/% 2 + part, n - length(part) + part)
    for (name in c("at", "fresh", "extra", "y", "noise", "design"))
      course$data[[name]] <- course$data[[name]][keep]
    course$data$frame <- seq_along(keep)
  }
  chain <- curve_chain_draws(course$data, course$beforehand, 150L, 2L, 300L,
                             stream_seed(course$seed, "course"))
  apply(chain$parameters, 2, stats::median)
}
