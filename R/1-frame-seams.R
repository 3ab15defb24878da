# Seams: lines across a whole picture where its parts do not fit.

# A line across the whole width where brightness steps or rows do not match, and that the neighbours
# do not have.
seam_findings <- function(looks, edges = integer()) {
  n <- nrow(looks$facts)
  none <- frame_finding(integer(), "", "", "")
  if (n < 3 || length(looks$step[[1]]) < 16) return(none)
  height <- looks$facts[["height"]][1]
  reach <- max(3, round(0.04 * height))
  step <- seam_excess(looks$step, looks$slope, reach)
  jag <- seam_excess(looks$jag, looks$fold, reach)
  out <- lapply(list(step = step, jag = jag), function(excess) {
    worst <- apply(excess, 2, max)
    row <- apply(excess, 2, which.max)
    scale <- stats::quantile(worst, 0.75, names = FALSE)
    known <- row %in% edges
    bound <- ifelse(known, 0.008, pmax(0.012, 4 * scale))
    bad <- which(worst > bound)
    frame_finding(bad, "seam", "has a seam across it",
                  paste0("between rows ", row[bad], " and ", row[bad] + 1, " it ",
                         if (identical(excess, step)) "steps by " else "breaks by ",
                         format_share(worst[bad]),
                         " of white, and the pictures beside it do not",
                         ifelse(known[bad], "; bands meet there", "")),
                  top = row[bad], bottom = row[bad] + 1, left = 1L,
                  right = looks$facts[["width"]][bad], size = worst[bad], bound = bound[bad],
                  sure = finding_confidence(worst[bad] / bound[bad]))
  })
  out <- rbind(slip_findings(looks$facts), do.call(rbind, out))
  out <- out[order(out$index, -out$size / out$bound), , drop = FALSE]
  out[!duplicated(out$index), , drop = FALSE]
}

# Two rows that match once one of them is shifted, and in this picture alone: brickwork does so in
# every picture.
slip_findings <- function(x) {
  n <- nrow(x)
  gain <- x[["slip_gain"]]
  near <- neighbours_of(n, 1)
  beside <- pmax(gain[near[, 1]], gain[near[, 2]], na.rm = TRUE)
  bound <- pmax(0.01, 3 * beside, 0.35 * x[["slip_whole"]], 4 * stats::median(gain))
  bad <- which(gain > bound)
  frame_finding(bad, "seam", "has a part that is moved aside",
                paste0("above row ", x[["slip_row"]][bad] + 1, " pixels lie ",
                       abs(x[["slip_by"]][bad]), " columns to the ",
                       ifelse(x[["slip_by"]][bad] > 0, "right", "left"), " of those below"),
                top = x[["slip_row"]][bad], bottom = x[["slip_row"]][bad] + 1, left = 1L,
                right = x[["width"]][bad], size = gain[bad], bound = bound[bad],
                sure = finding_confidence(gain[bad] / bound[bad]))
}

# By how much each row exceeds 1.5 times what the neighbours have within `reach` rows. `spread`
# holds the same measure over three rows, since an edge that is sharp in one picture may be spread
# over rows in the next.
seam_excess <- function(sharp, spread, reach) {
  x <- abs(do.call(cbind, sharp))
  n <- ncol(x)
  wide <- running_maximum(abs(do.call(cbind, spread)), reach)
  # At the ends of a sequence the two nearest are on one side.
  before <- c(3, seq_len(n - 1))
  after <- c(2:n, n - 2)
  pmax(x - 1.5 * pmax(wide[, before, drop = FALSE], wide[, after, drop = FALSE]), 0)
}

# Largest value of each column within a number of rows, by doubling the stretch.
running_maximum <- function(x, reach) {
  n <- nrow(x)
  seen <- 0
  while (seen < reach) {
    by <- min(max(1, seen), reach - seen)
    up <- x[pmin(seq_len(n) + by, n), , drop = FALSE]
    down <- x[pmax(seq_len(n) - by, 1), , drop = FALSE]
    x <- pmax(x, up, down)
    seen <- seen + by
  }
  x
}
