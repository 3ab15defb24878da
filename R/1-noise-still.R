# The noise of two pictures that follow each other, from those parts of them in which nothing moves.

# Pictures as for noise_between(), of one shot and settings. A tile stands still where its mean
# shifts, and the differences of neighbouring pixels go together, no more than independent noise
# makes of it. Returns a list: `noise` (the standard deviation of one picture in these tiles over
# their brightness), its `error` (standard, from how the tiles differ), `share` (of the tiles that
# stand still); `NULL` where these are too few, or the noise of both is the same.
noise_of_still <- function(a, b, tile = 16, least = 8) {
  size <- check_pair(a, b)
  sums <- tile_noise_sums(a, b, size[1], size[2], size[3], tile, Inf)
  pixels <- sums[["values"]] / size[3]
  of_noise <- sqrt(sums[["squares"]] / sums[["values"]] / pixels)
  shift <- abs(sums[["sum_a"]] - sums[["sum_b"]]) / sums[["values"]]
  alike <- tile_correlation(sums)
  still <- which(sums[["squares"]] > 0 & shift < 3 * of_noise & alike < 0.15 &
                 pixels >= 0.5 * tile^2)
  share <- length(still) / nrow(sums)
  if (length(still) < least || share < 0.1) return(NULL)
  kept <- as_frame(sums)[still, , drop = FALSE]
  variance <- kept[["squares"]] / kept[["values"]] / 2
  light <- sum(kept[["sum_a"]] + kept[["sum_b"]]) / (2 * sum(kept[["values"]]))
  if (light <= 0) return(NULL)
  mean <- sum(kept[["squares"]]) / sum(kept[["values"]]) / 2
  error <- stats::sd(variance) / sqrt(length(still)) / (2 * sqrt(mean))
  list(noise = sqrt(mean) / light, error = error / light, share = share)
}
