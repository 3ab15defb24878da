# Bands of pictures, each against the same rows of those before and after it: rougher, in other
# light, or of something else.

# Rows that are rougher than those of the pictures around them: all of a picture is noisier, or a
# band of it has other samples.
rough_findings <- function(looks) {
  n <- nrow(looks$facts)
  columns <- looks$facts[["columns"]][1]
  bins <- looks$facts[["rows"]][1]
  if (n < 5 || bins < 4) return(frame_finding(integer(), "", "", ""))
  rough <- do.call(cbind, looks$rough)
  log_rough <- log(rough + rough_floor)
  near <- nearest_of(n)
  # Excess of each block over each of its four neighbours, row of blocks by row of blocks.
  above <- lapply(seq_len(ncol(near)), function(k) {
    other <- rough[, near[, k], drop = FALSE]
    apart <- log_rough - log_rough[, near[, k], drop = FALSE]
    apart[rough < rough_floor & other < rough_floor] <- NA
    block_row_medians(apart, columns, ceiling(columns / 8))
  })
  known <- !is.na(above[[1]])
  each <- vapply(above, function(x) apply(x, 2, stats::median, na.rm = TRUE), numeric(n))
  each[is.na(each)] <- 0
  level <- apply(each, 1, stats::median)
  weakest <- apply(each, 1, function(v) sort(v)[2])
  spread <- max(stats::mad(level, 0), 0.01)
  bound <- max(log(1.25), 8 * spread)
  by_row <- block_row_medians(rough, columns, 1)
  above <- lapply(above, function(x) ifelse(is.na(x), 0, x))
  gain <- level_gain(by_row, middle_of(above), known)
  noisy <- which(level > bound & weakest > 0.5 * bound & gain > least_gain)
  out <- frame_finding(noisy, "noisy", "is noisier than those around it",
                       paste0("its noise is ", format(round(exp(level[noisy]), 2), nsmall = 1),
                              " times theirs, +/- ", format_share(exp(spread) - 1)),
                       size = level[noisy], bound = bound,
                       sure = finding_confidence(level[noisy] / bound))
  centred <- lapply(seq_along(above),
                    function(k) (above[[k]] - rep(each[, k], each = bins)) * known)
  rbind(out, band_findings(looks, centred, middle_of(above), by_row, noisy))
}

# By how much the roughness of whole pictures grew.
level_gain <- function(rough, more, known) {
  gain <- rough * (1 - exp(-more))
  gain[!known] <- NA
  out <- apply(gain, 2, stats::median, na.rm = TRUE)
  ifelse(is.na(out), 0, out)
}

# Four neighbours of each of n pictures: two on either side, where there is one only that one twice;
# of the first and the last those on the one side.
nearest_of <- function(n) {
  t(vapply(seq_len(n), function(i) {
    side <- function(at) if (length(at) == 1) c(at, at) else at[1:2]
    before <- if (i > 1) side(rev(seq_len(i - 1)))
    after <- if (i < n) side((i + 1):n)
    if (length(before) && length(after)) return(c(before, after))
    rep(c(before, after), 2)
  }, numeric(4)))
}

# Effect of 8-bit steps on the Laplacian, and the smallest visible change of it.
rough_floor <- 0.008
least_gain <- 0.012

# Median of four matrices, element by element, without NA.
middle_of <- function(x) {
  all <- do.call(rbind, lapply(x, as.vector))
  matrix(block_row_medians(all, nrow(all), 1), nrow(x[[1]]))
}

# The run of rows of each picture whose roughness is most unlike that of the rest of it, as against
# its neighbours.
band_findings <- function(looks, above, raw, rough, noisy) {
  n <- ncol(rough)
  band <- band_search(above)
  # By how much the roughness of the run and of the rest changed.
  changed <- rough * (1 - exp(-raw))
  gain <- vapply(seq_len(n), function(i) {
    at <- band$from[i]:band$to[i]
    max(abs(mean(changed[at, i])), abs(mean(changed[-at, i])))
  }, 0)
  bad <- which(band$strength > band$bound & abs(band$times) > log(1.3) & gain > least_gain &
               !seq_len(n) %in% noisy)
  band_finding(looks, band, bad, "band", "has a band of other samples", " the noise of the rest")
}

# A band in other light.
light_findings <- function(looks) {
  n <- nrow(looks$facts)
  if (n < 5 || looks$facts[["rows"]][1] < 4) return(frame_finding(integer(), "", "", ""))
  grid <- do.call(cbind, looks$grid)
  columns <- looks$facts[["columns"]][1]
  near <- nearest_of(n)
  above <- lapply(seq_len(ncol(near)), function(k) {
    other <- grid[, near[, k], drop = FALSE]
    apart <- log(grid + 0.02) - log(other + 0.02)
    apart[grid < 0.02 & other < 0.02] <- NA
    x <- block_row_medians(apart, columns, ceiling(columns / 8))
    x[is.na(x)] <- 0
    x - rep(apply(x, 2, stats::median), each = nrow(x))
  })
  band <- band_search(above)
  bad <- which(band$strength > band$bound & abs(band$times) > log(1.03))
  band_finding(looks, band, bad, "seam", "has a band in other light", " the brightness of the rest")
}

# A band that shows something else than the pictures around lead to: of another frame, or moved
# aside.
shift_findings <- function(looks) {
  n <- nrow(looks$facts)
  bins <- looks$facts[["rows"]][1]
  if (n < 7 || bins < 4) return(frame_finding(integer(), "", "", ""))
  grid <- do.call(cbind, looks$grid)
  columns <- looks$facts[["columns"]][1]
  inner <- 2:(n - 1)
  off <- abs(grid[, inner] - 0.5 * (grid[, inner - 1] + grid[, inner + 1]))
  # The mean of each row of blocks, as far as it is from its place between its neighbours.
  energy <- matrix(colMeans(matrix(off, columns)), bins)
  energy <- cbind(energy[, 1], energy, energy[, n - 2])
  far <- function(k) energy[, pmin(pmax(seq_len(n) + k, 1), n), drop = FALSE]
  above <- lapply(c(-2, 2, -3, 3), function(k) log(energy + 0.003) - log(far(k) + 0.003))
  band <- complement_run(band_search(above), bins)
  gain <- vapply(seq_len(n), function(i) {
    at <- band$from[i]:band$to[i]
    beside <- pmax(far(-1)[at, i], far(1)[at, i])
    if (mean(energy[at, i]) > 1.1 * mean(beside)) mean(energy[at, i]) -
      mean(pmax(far(-2)[at, i], far(2)[at, i])) else 0
  }, 0)
  bad <- which(band$strength > band$bound & band$times > log(1.12) & gain > 0.002)
  bad <- setdiff(bad, c(1, n))
  band_finding(looks, band, bad, "seam", "has a band that does not fit", " the change of the rest")
}

band_finding <- function(looks, band, bad, code, what, of) {
  height <- looks$facts[["height"]][1]
  bins <- looks$facts[["rows"]][1]
  edge <- function(k) floor((k - 1) * height / bins) + 1
  top <- edge(band$from[bad])
  bottom <- edge(band$to[bad] + 1) - 1
  frame_finding(bad, code, what,
                paste0("its rows ", top, " to ", bottom, " have ",
                       format(round(exp(band$times[bad]), 2), nsmall = 1), " times", of,
                       ", beside the same rows of the pictures around"),
                top = top, bottom = bottom, left = 1L, right = looks$facts[["width"]][bad],
                size = band$strength[bad], bound = band$bound[bad],
                sure = finding_confidence(band$strength[bad] / band$bound[bad]))
}

# The run of rows of each picture that differs most from its other rows. `above`: four matrices,
# rows x pictures, the difference to one neighbour each. Only what at least three neighbours agree
# on counts: content that moves through the picture differs from those before in one direction and
# from those behind in the other. Returns `from`, `to` (rows of blocks), `times` (log of how much),
# `strength`, and the `bound` it has to exceed.
band_search <- function(above) {
  more <- common_of(above)
  bins <- nrow(more)
  n <- ncol(more)
  runs <- expand.grid(from = seq_len(bins), to = seq_len(bins))
  runs <- runs[runs$to - runs$from >= 1 & runs$to - runs$from < bins - 2, ]
  size <- runs$to - runs$from + 1
  sums <- rbind(0, apply(more, 2, cumsum))
  inside <- (sums[runs$to + 1, , drop = FALSE] - sums[runs$from, , drop = FALSE]) / size
  apart <- inside - (rep(sums[bins + 1, ], each = nrow(runs)) - inside * size) / (bins - size)
  score <- apart * sqrt(size * (bins - size) / bins)
  best <- max.col(t(abs(score)), "first")
  pick <- cbind(best, seq_len(n))
  strength <- abs(score[pick])
  usual <- stats::quantile(strength, 0.75, names = FALSE)
  spread <- stats::mad(above[[1]] - above[[2]]) / 2
  bound <- rep(max(4 * usual, 4 * spread, 0.2), n)
  # The first and the last picture have neighbours on one side only, where movement looks like
  # damage.
  bound[c(1, n)] <- 3 * bound[c(1, n)]
  list(from = runs$from[best], to = runs$to[best], times = apart[pick], strength = strength,
       bound = bound)
}

# Runs at the top or bottom with less than the rest, turned into the complementary run with more.
complement_run <- function(band, bins) {
  top <- band$times < 0 & band$from == 1
  bottom <- band$times < 0 & band$to == bins & !top
  from <- ifelse(top, band$to + 1, ifelse(bottom, 1, band$from))
  to <- ifelse(top, bins, ifelse(bottom, band$from - 1, band$to))
  utils::modifyList(band, list(from = from, to = to,
                               times = ifelse(top | bottom, -band$times, band$times)))
}

# Value on which at least three of four matrices agree, element by element: the second smallest if
# positive, the second largest if negative, else 0.
common_of <- function(x) {
  low <- pmax(pmin(x[[1]], x[[2]]), pmin(x[[3]], x[[4]]))
  high <- pmin(pmax(x[[1]], x[[2]]), pmax(x[[3]], x[[4]]))
  second <- pmin(low, high)
  third <- pmax(low, high)
  ifelse(second > 0, second, ifelse(third < 0, third, 0))
}

# PNG files of bands become one of `height` rows, their values as they are; `first`, `last`: the
# rows that each has in it, in order. Returns "", or what is in the way.
join_png_rows <- function(paths, first, last, height, to) {
  join_png_bands(paths, as.integer(first), as.integer(last), as.integer(height), to)
}
