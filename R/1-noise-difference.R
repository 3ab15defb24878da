# Do two pictures show the same thing?

#' Compare two pictures
#'
#' Times of two nodes or versions may be compared only when both make the same picture. The two are
#' the same picture when no value differs by more than rounding does; the same but for noise when
#' the differences have no place: in each tile their mean is as near zero, and their neighbours as
#' unlike, as independent noise would have it; and different otherwise. The bounds are those of
#' normal deviates for the largest of all tiles (Bonferroni), at a `chance` for two renders of one
#' scene.
#'
#' @param a,b Pictures as for [noise_between()].
#' @param tile Side of a tile in pixels.
#' @param chance Of calling two renders of one scene different.
#' @return A tibble of one row: `verdict` (`same picture`, `same but for noise`, `different`),
#'   `difference` (root mean square over brightness), `largest` (largest difference of a value, over
#'   brightness), `shift` (difference of the mean brightness, over brightness), and of the tile that
#'   noise explains least: `row`, `column`, `top`, `bottom`, `left`, `right`, `tile_shift` (of its
#'   mean, over the frame's brightness), `why`.
#' @section Conditions: `clockpigeon_error_picture` as for [noise_between()].
#' @examples
#' set.seed(1)
#' scene <- array(0.5, c(64, 64, 3))
#' render <- function() scene + rnorm(64 * 64 * 3, sd = 0.01)
#' compare_pictures(render(), render())$verdict
#' scene[1:20, 1:20, ] <- 0.55
#' compare_pictures(render(), array(0.5, c(64, 64, 3)) + rnorm(64 * 64 * 3, sd = 0.01))$verdict
#' @export
compare_pictures <- function(a, b, tile = 32, chance = 0.01) {
  tile <- check_count(tile, argument("tile"), least = 2)
  size <- check_pair(a, b)
  sums <- tile_noise_sums(a, b, size[1], size[2], size[3], tile, Inf)
  check_finite(sums, a, b)
  light <- sum(sums[["sum_a"]] + sums[["sum_b"]]) / (2 * sum(sums[["values"]]))
  if (light <= 0) light <- 1
  shift <- (sums[["sum_a"]] - sums[["sum_b"]]) / sums[["values"]]
  largest <- max(abs(as.vector(a) - as.vector(b)))
  # The channels of a pixel share their noise: a tile has as many independent values as pixels.
  pixels <- sums[["values"]] / size[3]
  of_noise <- sqrt(sums[["squares"]] / sums[["values"]] / pixels)
  z_shift <- ifelse(of_noise > 0, abs(shift) / of_noise, 0)
  alike <- tile_correlation(sums)
  alike[is.na(alike)] <- 0
  z_alike <- pmax(alike - max(frame_correlation(sums), 0) - 0.1, 0) *
    sqrt(pmax(sums[["near_values"]] / size[3], 1))
  bound <- stats::qnorm(1 - chance / (4 * nrow(sums)))
  seen <- abs(shift) > least_shift * light
  against <- pmax(ifelse(seen, z_shift, 0), ifelse(of_noise > 0, z_alike, 0))
  worst <- which.max(against)
  columns <- ceiling(size[2] / tile)
  row <- (worst - 1) %/% columns + 1
  column <- (worst - 1) %% columns + 1
  verdict <- if (largest <= rounding_noise(a, light)) "same picture"
             else if (against[worst] > bound || frame_correlation(sums) > most_correlation)
               "different"
             else "same but for noise"
  why <- if (verdict == "same picture") "no value differs by more than rounding"
         else if (verdict == "same but for noise") "the differences have no place"
         else if (against[worst] <= bound)
           "the differences of neighbouring pixels are alike throughout"
         else if (z_shift[worst] >= z_alike[worst] && seen[worst])
           "a tile is brighter in one than noise explains"
         else "a tile differs in shapes, not in noise"
  as_table(list(
    verdict = verdict, difference = sqrt(sum(sums[["squares"]]) / sum(sums[["values"]])) / light,
    largest = largest / light,
    shift = sum(sums[["sum_a"]] - sums[["sum_b"]]) / sum(sums[["values"]]) / light,
    row = as.integer(row), column = as.integer(column), top = as.integer((row - 1) * tile + 1),
    bottom = as.integer(min(row * tile, size[1])), left = as.integer((column - 1) * tile + 1),
    right = as.integer(min(column * tile, size[2])), tile_shift = shift[worst] / light, why = why
  ))
}

# Ignore a shift of a tile below half a percent of the brightness: heavy tails cause such shifts.
least_shift <- 0.005

# How far two values may lie apart by rounding: half a step of 8 or 16 bit pictures each, in linear
# light at white; of float pictures, a few parts in a hundred thousand, which the order of sums may
# bring.
rounding_noise <- function(a, light) {
  depth <- attr(a, "depth")
  if (length(depth) && depth < 32) 2.4 / (2^depth - 1) * 1.01 else 5e-5 * light
}

# Noise at which half of the answers accept. If answers overlap, a logistic regression on log noise;
# if all accepted lie below all refused, the geometric mean of the two next to the border; the
# noisiest accepted if none was refused; NULL if none was accepted.
acceptable_noise <- function(noise, accepted) {
  if (!length(noise) || !any(accepted)) return(NULL)
  if (all(accepted)) return(max(noise))
  top <- max(noise[accepted])
  bottom <- min(noise[!accepted])
  if (top < bottom) return(sqrt(top * bottom))
  fit <- suppressWarnings(stats::glm(accepted ~ log(noise), family = stats::binomial()))
  slope <- stats::coef(fit)[[2]]
  # answers that follow no noise: the most careful one
  if (is.na(slope) || slope >= 0) return(min(noise[accepted]))
  exp(-stats::coef(fit)[[1]] / slope)
}

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
