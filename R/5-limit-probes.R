# The cheapest probes that answer.

new_proposal <- table_type("cp_proposal",
                           c("question", "region", "first_row", "last_row", "width", "height",
                             "samples", "frames", "seconds", "error", "proposed", "asked", "power",
                             "power_se"))

#' Propose the cheapest probes
#'
#' From a scouting run at two small sizes: which probes tell the count that a noise target takes,
#' within an error, for the least time. Weighed are whole frames at full, half and quarter size, and
#' at full size the band of rows that holds the worst tile (for engines that render bands); pairs at
#' a count and four times it.
#'
#' Errors are relative, of the count: twice that of the noise (which falls as one over the root of
#' the pixels) and, for frames smaller than the shot's, what the scouting sizes differ by in noise,
#' or its standard error if that is more, for each halving. Seconds are `start + each * N`, with
#' `each` a power of the pixels fitted to the sizes: it is not taken to be proportional.
#'
#' @param scout From [probe_limit()] at two sizes (the `sizes` of [bench_options()]), each below the
#'   shot's.
#' @param error Relative error required of the count.
#' @return A tibble of class `cp_proposal`: `question` (frame or worst tile), `region`, `first_row`,
#'   `last_row`, `width`, `height`, `samples` (the two counts, as text), `frames`, `seconds` (of all
#'   its renders), `error`, `proposed`. Its attribute `power`: the power of the pixels with its
#'   standard error.
#' @section Conditions: `clockpigeon_error_limit` when the scout has not two sizes.
#' @noRd
propose_probes <- function(scout, error = 0.1) {
  check_class(scout, argument("scout"), "cp_probes", "probe_limit()")
  error <- check_number(error, argument("error"), above = 0, most = 1)
  known <- scout_summary(scout)
  size <- unname(unlist(scout$shot$size))
  designs <- expand.grid(count = c(2, 4, 8, 16, 32), scale = c(1, 2, 4))
  rows <- lapply(seq_len(nrow(designs)), function(i) {
    whole_frame_design(known, size, designs$count[i], designs$scale[i])
  })
  if (isTRUE(scout$engine$bands))
    rows <- c(rows, lapply(c(2, 4, 8, 16, 32), band_design, known = known, size = size))
  x <- do.call(rbind, rows)
  x$frames <- format_frames(sort(unique(scout$pairs[["frame"]])))
  x$proposed <- FALSE
  for (question in unique(x$question)) {
    good <- which(x$question == question & x$error <= error)
    pick <- if (length(good)) good[which.min(x$seconds[good])]
            else which(x$question == question)[which.min(x$error[x$question == question])]
    x$proposed[pick] <- TRUE
  }
  x <- x[order(x$question, !x$proposed, x$error > error, x$seconds), , drop = FALSE]
  x <- x[c("question", "region", "first_row", "last_row", "width", "height", "samples", "frames",
           "seconds", "error", "proposed")]
  new_proposal(data.frame(x, asked = error, power = known$power[["power"]],
                          power_se = known$power[["se"]], row.names = NULL))
}

# Results of a scouting run: time and noise at the larger of its sizes, and how both change with the
# size.
scout_summary <- function(scout) {
  pairs <- as_frame(scout$pairs)
  pixels <- pairs$width * pairs$height
  sizes <- sort(unique(pixels))
  if (length(sizes) < 2) {
    stop_input("limit", "has one size", argument("scout"),
               "Scout at two sizes, such as a half and a quarter of the shot's.")
  }
  frames <- length(unique(pairs$frame))
  fits <- lapply(sizes, function(p) fit_pairs(pairs[pixels == p, , drop = FALSE], floor = FALSE))
  ends <- c(1, length(sizes))
  # Power of the pixels: log seconds a sample over log pixels.
  each <- vapply(fits[ends], function(f) f$time$estimate[["each"]], 0)
  each_error <- vapply(fits[ends], function(f) sqrt(f$time$covariance[2, 2]) /
                       f$time$estimate[["each"]], 0)
  span <- log(sizes[ends[2]] / sizes[ends[1]])
  noise <- vapply(fits[ends], function(f) f$curve$estimate[["per_sample"]], 0)
  unsure <- vapply(fits[ends], function(f) sqrt(f$curve$covariance[2, 2]) /
                   f$curve$estimate[["per_sample"]], 0)
  halvings <- span / log(4)
  large <- which(pixels == max(sizes))
  worst <- worst_tile(scout$maps[large], pairs[large, , drop = FALSE], floor = FALSE)
  list(
    pixels = max(sizes), height = max(pairs$height), frames = frames,
    start = fits[[ends[2]]]$time$estimate[["start"]], each = each[2],
    power = c(power = log(each[2] / each[1]) / span, se = sqrt(sum(each_error^2)) / span),
    noise_error = mean(pairs$error[large]),
    transfer = max(abs(log(noise[2] / noise[1])), sqrt(sum(unsure^2))) / halvings,
    tile = worst$place,
    tile_error = mean(vapply(scout$maps[large], noise_error_of, 0, at = worst$at))
  )
}

# Seconds of pairs at a count and at four times it, for pixels (the rendered part of the whole
# frame).
probe_seconds <- function(known, pixels, count, share = 1) {
  each <- known$each * (pixels / known$pixels)^known$power[["power"]]
  known$frames * sum(2 * (known$start + each * share * c(count, 4 * count)))
}

whole_frame_design <- function(known, size, count, scale) {
  pixels <- prod(size) / scale^2
  # Twice the error of the noise, of two counts together; heavier tails at fewer samples are in the
  # scout's error.
  own <- 2 * known$noise_error * sqrt(known$pixels / pixels) / sqrt(2)
  shown <- round(size / scale)
  data.frame(question = "frame", region = "whole frame", first_row = 1L,
             last_row = as.integer(shown[2]), width = as.integer(shown[1]),
             height = as.integer(shown[2]), samples = paste(count, 4 * count, sep = ", "),
             seconds = probe_seconds(known, pixels, count),
             error = sqrt(own^2 + (known$transfer * log2(scale))^2))
}

# The band of rows around the worst tile of the scout, at full size.
band_design <- function(count, known, size) {
  grow <- size[2] / known$height
  first <- as.integer(floor((known$tile$top - 1) * grow) + 1)
  last <- as.integer(min(ceiling(known$tile$bottom * grow), size[2]))
  own <- 2 * known$tile_error / sqrt(grow^2) / sqrt(2)
  data.frame(question = "worst tile", region = "band", first_row = first, last_row = last,
             width = as.integer(size[1]), height = as.integer(size[2]),
             samples = paste(count, 4 * count, sep = ", "),
             seconds = probe_seconds(known, prod(size), count, (last - first + 1) / size[2]),
             error = own)
}
