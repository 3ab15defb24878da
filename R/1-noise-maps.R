# Noise of pictures, measured from pairs of renders.

#' Noise between two renders of one frame
#'
#' Two renders of a frame that differ only in their seeds have the same expectation, so the noise of
#' one follows from their difference, without any reference: its variance is `mean((a - b)^2) / 2`.
#'
#' Everything is in the noise: what falls as one over the root of the samples is the whole of it.
#' Outlying single values are counted separately: largest first, a difference that is over twelve
#' times the root mean square of the rest of its tile and of the pixels two away from it (the order
#' of Rosner 1983, Technometrics 25, 165-172). They are rare bright paths, and what people see
#' first; `noise_usual` is the noise without them. It is not for fitting: more samples turn a few
#' glaring values into many small ones, which are then counted in.
#'
#' Pictures must be linear light for the noise to fall by the square root of the samples;
#' [read_picture()] gives that. An alpha channel (the second of two, the fourth of four) is left
#' out.
#'
#' @param a,b Pictures: arrays height x width x channels, or matrices, of linear light. Noise-free
#'   black is 0.
#' @param against What `b` is: another `"render"`, as noisy as `a`, or a `"reference"` so good that
#'   its own noise does not count. The variance of `a` is then the mean square of the difference.
#' @param tile Side of a tile in pixels.
#' @return `noise_between()`: a tibble of one row: `noise` (`sd / brightness`), `sd` of one picture,
#'   `brightness` (mean over pixels and channels), `outliers` (pixels), `noise_all` (the same as
#'   `noise`), `noise_usual` (outliers left out), `worst` (the largest outlier's difference, over
#'   brightness), `correlation` (of the differences of neighbouring pixels, median over tiles: near
#'   0 when the pixels are independent), `pixels`, `error` (relative standard error of `noise`, from
#'   upright strips of a quarter of a tile: what is alike in neighbours and channels is in them).
#'
#'   `noise_map()`: a tibble of class `cp_noise_map`, one row a tile: `row`, `column` (of the tile),
#'   `top`, `bottom`, `left`, `right` (pixels, from 1, inclusive), `noise`, `sd`, `brightness`,
#'   `outliers`, `correlation`, and `seen`: sd over the geometric mean of the tile's and the frame's
#'   brightness. `seen` ranks tiles as the eye does: in the square-root encoding, which displays
#'   come close to, it is proportional to the noise on the screen.
#' @section Conditions: `clockpigeon_error_picture` when sizes, depths or channel counts differ, or
#'   a value is not finite, or all is black; `clockpigeon_error_noise` when the two are equal (one
#'   seed twice), or the noise of neighbours is so alike that the pair was denoised or blurred: it
#'   then says nothing about the samples.
#' @examples
#' set.seed(1)
#' render <- function() array(0.5 + rnorm(64 * 64 * 3, sd = 0.01), c(64, 64, 3))
#' noise_between(render(), render())
#' noise_map(render(), render(), tile = 32)[c("row", "column", "noise")]
#' @export
noise_between <- function(a, b, against = "render")
  noise_of_map(noise_map(a, b, against = against), against)

# The frame's noise out of its map.
noise_of_map <- function(map, against) {
  sums <- map[["sums"]]
  brightness <- sum(sums[["sum_a"]] + sums[["sum_b"]]) / (2 * sum(sums[["values"]]))
  halves <- if (against == "render") 2 else 1
  variance <- sum(sums[["squares"]]) / sum(sums[["values"]]) / halves
  usual <- sum(sums[["kept_squares"]]) / sum(sums[["kept"]]) / halves
  channels <- sums[["channels"]][1]
  as_table(list(
    noise = sqrt(variance) / brightness, sd = sqrt(variance), brightness = brightness,
    outliers = as.integer(sum(map[["outliers"]])),
    noise_all = sqrt(variance) / brightness, noise_usual = sqrt(usual) / brightness,
    worst = sqrt(max(sums[["worst"]])) / brightness, correlation = frame_correlation(sums),
    pixels = as.integer(sum(sums[["values"]]) / channels), error = noise_error(sums, channels)
  ))
}

new_noise_map <- table_type("cp_noise_map",
                            c("row", "column", "top", "bottom", "left", "right", "noise", "sd",
                              "brightness", "outliers", "correlation", "seen", "sums"))

#' @rdname noise_between
#' @export
noise_map <- function(a, b, tile = 32, against = "render") {
  against <- check_choice(against, argument("against"), c("render", "reference"))
  tile <- check_count(tile, argument("tile"), least = 2)
  size <- check_pair(a, b)
  sums <- tile_noise_sums(a, b, size[1], size[2], size[3], tile,
                          if (against == "render") outlier_times else outlier_times * sqrt(2))
  check_sums(sums, a, b, against)
  halves <- if (against == "render") 2 else 1
  rows <- ceiling(size[1] / tile)
  columns <- ceiling(size[2] / tile)
  row <- rep(seq_len(rows), each = columns)
  column <- rep(seq_len(columns), rows)
  sd <- sqrt(sums[["squares"]] / sums[["values"]] / halves)
  brightness <- (sums[["sum_a"]] + sums[["sum_b"]]) / (2 * sums[["values"]])
  frame <- sum(sums[["sum_a"]] + sums[["sum_b"]]) / (2 * sum(sums[["values"]]))
  sums[["channels"]] <- size[3]
  new_noise_map(list(
    row = row, column = column, top = (row - 1L) * tile + 1L,
    bottom = as.integer(pmin(row * tile, size[1])), left = (column - 1L) * tile + 1L,
    right = as.integer(pmin(column * tile, size[2])), noise = ifelse(sd == 0, 0, sd / brightness),
    sd = sd, brightness = brightness, outliers = as.integer(sums[["outliers"]]),
    correlation = tile_correlation(sums),
    seen = ifelse(sd == 0, 0, sd / sqrt(pmax(brightness, 1e-9 * frame) * frame)),
    sums = as_frame(sums)
  ))
}

# Root mean squares beyond which a difference of two renders is an outlier. At 8 the noise of the
# built-in scenes came out up to 5 % too small and fell slower than the law; at 16 single bright
# pixels in smooth tiles were still let through.
outlier_times <- 12

# Height, width and channels that count, of two pictures that can be compared.
check_pair <- function(a, b) {
  size <- picture_size(a, "a")
  other <- picture_size(b, "b")
  if (!identical(size, other)) {
    shown <- function(s)
      paste0(s[2], "x", s[1], " with ", s[3], if (s[3] == 1) " channel" else " channels")
    stop_input("picture", paste("are", shown(size), "and", shown(other)), "arguments `a` and `b`",
               "Give two pictures of one size and kind.")
  }
  for (said in c("depth", "light")) {
    of_a <- attr(a, said)
    of_b <- attr(b, said)
    if (length(of_a) && length(of_b) && !identical(of_a, of_b)) {
      stop_input("picture", paste0("differ in ", said, ": ", of_a, " and ", of_b),
                 "arguments `a` and `b`", "Give two pictures that were written alike.")
    }
  }
  size[3] <- if (size[3] %in% c(2L, 4L)) size[3] - 1L else size[3]
  size
}

picture_size <- function(x, name) {
  if (!is.numeric(x) || !length(dim(x)) %in% 2:3 || !length(x)) {
    stop_input("picture", paste("got", a_kind(x)), argument(name),
               "Give an array height x width x channels of numbers.")
  }
  size <- c(dim(x), 1L)[1:3]
  as.integer(size)
}

# Values that are not finite, looked for only once the sums show that there is one.
check_finite <- function(sums, a, b) {
  if (!all(is.finite(sums[["squares"]]) & is.finite(sums[["sum_a"]] + sums[["sum_b"]]))) {
    for (name in c("a", "b")) {
      x <- if (name == "a") a else b
      at <- which(!is.finite(x))[1]
      if (is.na(at)) next
      place <- arrayInd(at, c(dim(x), 1L)[1:3])
      stop_input("picture", paste0("has the value ", x[at], " at row ", place[1], ", column ",
                                   place[2]),
                 argument(name), "Mend or render again: noise cannot be told with it.")
    }
  }
  invisible(sums)
}

# Refuse sums that contain no information about noise.
check_sums <- function(sums, a, b, against) {
  check_finite(sums, a, b)
  if (sum(sums[["sum_a"]] + sums[["sum_b"]]) <= 0) {
    stop_input("picture", "are all black", "arguments `a` and `b`",
               "Noise is relative to brightness, which is zero here.")
  }
  if (all(sums[["squares"]] == 0)) {
    stop_input("noise", "the two pictures are equal in every value, as with one seed twice",
               "arguments `a` and `b`",
               "Render one of them with another seed; this says nothing about noise.")
  }
  alike <- frame_correlation(sums)
  if (against == "render" && alike > most_correlation) {
    stop_input("noise", paste0("the noise of neighbouring pixels is alike (correlation ",
                               format(round(alike, 2)),
                               "): the pair was denoised or blurred"), "arguments `a` and `b`",
               paste0("Switch denoising off for the probes; what is left after it says nothing ",
                      "about the samples."))
  }
}

# Independent pixels have 0; a renderer's own pixel filter may bring up to about 0.3; a blur over 3
# x 3 pixels has 0.67.
most_correlation <- 0.4

# Correlation of the differences of neighbours, down and across; NA where nothing differs.
tile_correlation <- function(sums) {
  pairs <- sums[["down_pairs"]] + sums[["across_pairs"]]
  out <- ((sums[["down"]] + sums[["across"]]) / pairs) /
    (sums[["near_squares"]] / sums[["near_values"]])
  out[!is.finite(out)] <- NA
  out
}

# The median over tiles: an outlier, or one moving object, does not hide that all else is smooth.
frame_correlation <- function(sums) {
  out <- stats::median(tile_correlation(sums), na.rm = TRUE)
  if (is.na(out)) 0 else out
}

# Relative standard error of a frame's noise. The squares of a tile vary as its strips say: `strips`
# of them, with steps of twice a strip's variance between neighbours (the successive differences of
# Neumann et al. 1941, Ann. Math. Stat. 12, 153, which a change of the noise along the tile hardly
# touches). Half of it for the root.
noise_error <- function(sums, channels) {
  told <- sums[["strips"]] > 1
  if (!any(told)) return(sqrt(sum(pixel_variance(sums, channels))) / sum(sums[["squares"]]) / 2)
  s <- sums[told, , drop = FALSE]
  variance <- s[["strips"]] * s[["strip_steps"]] / (2 * (s[["strips"]] - 1))
  # Tiles without strips of their own count as those with.
  share <- sum(sums[["squares"]]) / sum(s[["squares"]])
  sqrt(sum(variance) * share) / sum(sums[["squares"]]) / 2
}

# The variance of each tile's squares if its pixels were independent and the channels of a pixel
# were one: a mean square varies by (kurtosis - 1) / n, the kurtosis taken from the columns whose
# fourth powers are summed.
pixel_variance <- function(sums, channels) {
  kurtosis <- sums[["near_fourths"]] / sums[["near_values"]] /
    (sums[["near_squares"]] / sums[["near_values"]])^2
  kurtosis[!is.finite(kurtosis) | kurtosis < 3] <- 3
  sums[["squares"]]^2 * (kurtosis - 1) * channels / pmax(sums[["values"]], 1)
}

# The same of one tile of a map. Its own few strips say little: its pixels as if independent, times
# what the whole frame's strips show of that.
noise_error_of <- function(map, at) {
  sums <- map[["sums"]]
  channels <- sums[["channels"]][1]
  independent <- pixel_variance(sums, channels)
  frame <- noise_error(sums, channels) / (sqrt(sum(independent)) / sum(sums[["squares"]]) / 2)
  frame * sqrt(independent[at]) / sums[["squares"]][at] / 2
}
