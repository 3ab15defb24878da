# Sampling time under a noise limit, for engines that stop each pixel separately.

#' Samples that a noise limit will take
#'
#' An engine with a noise limit goes on with a pixel until the standard error of its brightness is
#' at most the target times the mean brightness of the frame. One pair of renders tells how many
#' samples that takes: the variance of a pixel from a single sample is `samples * (a - b)^2 / 2`,
#' and the pixel needs `min(max(least, variance / target^2), most)`. One difference is a poor
#' estimate of one pixel's variance (a chi-squared of one degree of freedom), and least and most are
#' no straight lines: so the variance is averaged over a window first.
#'
#' @param a,b Two renders as for `noise_between()`, with the same samples and different seeds; or
#'   lists of them, pair by pair, whose variances are pooled.
#' @param samples Samples of each; one number a pair.
#' @param noise Target: standard error of a pixel over the frame's mean brightness.
#' @param least,most Samples that a pixel gets at least and at most.
#' @param window Side of the window in pixels, odd.
#' @return A tibble of one row a target: `noise`, `samples` (mean over pixels), `at_least`,
#'   `at_most` (shares of pixels held at `least` and at `most`), `noise_reached` (root mean square
#'   over pixels, as engines report it).
#' @section Conditions: as for `noise_between()`; `clockpigeon_error_type` for numbers out of range.
#' @noRd
noise_limit_samples <- function(a, b, samples, noise, least = 8, most = Inf, window = 5) {
  if (!is.list(a)) {
    a <- list(a)
    b <- list(b)
  }
  if (length(samples) != length(a)) {
    stop_input("type", paste("got", length(samples), "for", length(a), "pairs"),
               argument("samples"), "Write one each.")
  }
  samples <- vapply(samples, check_number, 0, where = argument("samples"), above = 0)
  least <- check_number(least, argument("least"), above = 0)
  if (!is.numeric(noise) || !length(noise) || !all(is.finite(noise)) || any(noise <= 0)) {
    stop_input("type", paste("got", show_value(noise)), argument("noise"),
               "Write noise targets, each above 0.")
  }
  window <- check_count(window, argument("window"))
  for (k in seq_along(a)) noise_between(a[[k]], b[[k]])  # refuses what says nothing
  squares <- Reduce(`+`, Map(function(x, y, n) n^2 * brightness_difference(x, y)^2 / 2, a, b,
                             samples))
  variance <- window_mean(squares, window) / sum(samples)
  light <- frame_brightness(a[[length(a)]], b[[length(b)]])
  rows <- lapply(noise, function(target) {
    wanted <- variance / (target * light)^2
    n <- pmin(pmax(wanted, least), most)
    list(noise = target, samples = mean(n), at_least = mean(wanted <= least),
         at_most = mean(wanted >= most), noise_reached = sqrt(mean(variance / n)) / light)
  })
  as_table(do.call(rbind, lapply(rows, as.data.frame)))
}

# Weights of red, green and blue in brightness (Rec. 709); of a picture with other channels, all
# alike.
channel_weights <- function(channels) if (channels == 3) c(0.2126, 0.7152, 0.0722) else
  rep(1 / channels, channels)

brightness_of <- function(x) {
  size <- c(dim(x), 1L)[1:3]
  channels <- if (size[3] %in% c(2L, 4L)) size[3] - 1L else size[3]
  w <- channel_weights(channels)
  flat <- matrix(as.vector(x), ncol = size[3])[, seq_len(channels), drop = FALSE]
  matrix(drop(flat %*% w), size[1], size[2])
}

brightness_difference <- function(a, b) brightness_of(a) - brightness_of(b)
frame_brightness <- function(a, b) mean(brightness_of(a) + brightness_of(b)) / 2

# Mean over a window around each pixel, cut off at the border: by running sums along both sides.
window_mean <- function(x, window) {
  half <- (window - 1) %/% 2
  along <- function(m) {
    n <- nrow(m)
    total <- rbind(0, apply(m, 2, cumsum))
    from <- pmax(seq_len(n) - half, 1)
    to <- pmin(seq_len(n) + half, n)
    (total[to + 1, , drop = FALSE] - total[from, , drop = FALSE]) / (to - from + 1)
  }
  t(along(t(along(x))))
}
