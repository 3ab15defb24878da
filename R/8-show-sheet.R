# Contact sheets: crops of the worst tiles at each count, side by side, and difference pictures.

#' A contact sheet of the worst tiles
#'
#' Crops of a frame's worst tiles, one row a tile and one column a count of samples, all at one
#' exposure, with noise and time under each. A blind sheet shows the columns of each row in random
#' order under letters, without samples, noise or time; its key tells which letter is which.
#'
#' @param study From [study_limit()], its pictures still at hand.
#' @param path PNG file to write.
#' @param frame Frame to show; the one that governs when `NULL`.
#' @param tiles Number of worst tiles.
#' @param blind `TRUE` for a blind sheet.
#' @param seed Seed of its order.
#' @return A tibble, one row a crop, invisibly: `letter` (`NA` on an open sheet), `tile` (its rank),
#'   `row`, `column`, `samples`, `seconds`, `noise` (`seen` of the tile), `label` (what was written
#'   below the crop).
#' @section Conditions: `clockpigeon_error_picture` when a picture is not there any more;
#'   `clockpigeon_error_choice` for a frame that was not probed.
#' @noRd
contact_sheet <- function(study, path, frame = NULL, tiles = 3, blind = FALSE, seed = 1) {
  check_class(study, argument("study"), "cp_study", "study_limit()")
  path <- check_text(path, argument("path"))
  tiles <- check_count(tiles, argument("tiles"))
  blind <- check_flag(blind, argument("blind"))
  frames <- as_frame(study$frames)
  if (is.null(frame)) frame <- frames[["frame"]][frames[["governs"]]]
  check_choice(paste(frame), argument("frame"), paste(unique(frames[["frame"]])))
  at <- which(study$probes$pairs[["frame"]] == frame)
  pairs <- as_frame(study$probes$pairs)[at, , drop = FALSE]
  first <- pairs$width == pairs$width[1] & pairs$height == pairs$height[1] &
    pairs$features %in% pairs$features[1]
  crops <- sheet_crops(pairs[first, , drop = FALSE], study$probes$maps[at[first]], tiles)
  if (blind) crops <- blind_order(crops, check_count(seed, argument("seed"), least = 0))
  draw_sheet(crops, path, sheet_title(study, frame, blind))
  invisible(as_table(crops[c("letter", "tile", "row", "column", "samples", "seconds", "noise",
                             "label")]))
}

sheet_title <- function(study, frame, blind) {
  probes <- study$probes
  paste0(probes$shot$shot, ", frame ", frame, ", ", probes$engine$engine, " ",
         or_unknown(probes$version), ": ", if (blind) "which of these are clean enough?"
         else "its worst tiles, one render at each count of samples, one exposure")
}

# The tiles that are noisiest brought to one sample, each at every count.
sheet_crops <- function(pairs, maps, tiles) {
  score <- rowMeans(vapply(seq_along(maps), function(k) pairs$samples[k] * maps[[k]][["seen"]]^2,
                           maps[[1]][["seen"]]))
  best <- utils::head(order(-score), tiles)
  map <- as_frame(maps[[1]])
  pictures <- lapply(pairs$picture, read_picture)
  exposure <- stats::quantile(brightness_of(pictures[[length(pictures)]]), 0.98, names = FALSE)
  crops <- expand.grid(count = seq_along(maps), tile = seq_along(best))
  seconds <- rowMeans(cbind(pairs$seconds, pairs$seconds_2), na.rm = TRUE)
  noise <- mapply(function(k, t) maps[[k]][["seen"]][best[t]], crops$count, crops$tile)
  crops <- data.frame(letter = NA_character_, tile = crops$tile, row = map$row[best[crops$tile]],
                      column = map$column[best[crops$tile]], samples = pairs$samples[crops$count],
                      seconds = seconds[crops$count], noise = noise, place = crops$count)
  crops$label <- paste0(crops$samples, " samples, noise ", noise_text(crops$noise), ", ",
                        format_duration(crops$seconds))
  crops$side <- paste0("tile ", crops$tile, ": rows ", map$top[best[crops$tile]], "-",
                       map$bottom[best[crops$tile]], ", columns ", map$left[best[crops$tile]], "-",
                       map$right[best[crops$tile]])
  crops$crop <- lapply(seq_len(nrow(crops)), function(i) {
    tile <- map[best[crops$tile[i]], ]
    x <- pictures[[crops$place[i]]][tile$top:tile$bottom, tile$left:tile$right, , drop = FALSE]
    screen_raster(x, exposure)
  })
  crops
}

# As a raster for the screen: brightness `white` is white.
screen_raster <- function(x, white) {
  channels <- dim(x)[3]
  x <- x[, , if (channels >= 3) 1:3 else rep(1, 3), drop = FALSE]
  grDevices::as.raster(array(display_light(as.vector(x) / max(white, 1e-9)), dim(x)))
}

blind_order <- function(crops, seed) {
  with_seed(seed, {
    for (t in unique(crops$tile)) {
      at <- which(crops$tile == t)
      crops$place[at] <- sample.int(length(at))
    }
  })
  crops <- crops[order(crops$tile, crops$place), , drop = FALSE]
  crops$letter <- LETTERS[seq_len(nrow(crops))]
  crops$label <- crops$letter
  crops$side <- paste("tile", crops$tile)
  crops
}

draw_sheet <- function(crops, path, title) {
  columns <- max(crops$place)
  rows <- max(crops$tile)
  side <- 300
  draw_png(path, 40 + columns * (side + 20), 70 + rows * (side + 56),
           function() put_crops(crops, title, side))
}

# A PNG of this number of pixels; units run right and down.
draw_png <- function(path, width, height, draw) {
  write_whole(path, function(part) {
    grDevices::png(part, width = width, height = height, res = 96)
    on.exit(grDevices::dev.off())
    grid::grid.newpage()
    grid::pushViewport(grid::viewport(xscale = c(0, width), yscale = c(height, 0)))
    draw()
  })
}

put_text <- function(text, x, y, ...) {
  grid::grid.text(text, grid::unit(x, "native"), grid::unit(y, "native"), just = "left",
                  gp = grid::gpar(...))
}

put_crops <- function(crops, title, side) {
  put_text(title, 30, 32, fontsize = 13, fontface = "bold")
  for (i in seq_len(nrow(crops))) {
    x <- 30 + (crops$place[i] - 1) * (side + 20)
    y <- 60 + (crops$tile[i] - 1) * (side + 56)
    if (crops$place[i] == 1) put_text(crops$side[i], x, y + 8, fontsize = 10, col = "grey30")
    size <- dim(crops$crop[[i]]) * side / max(dim(crops$crop[[i]]))
    draw_raster(crops$crop[[i]], x, y + 20, size[2], size[1])
    put_text(crops$label[i], x, y + side + 32, fontsize = 11)
  }
}

# Its upper left corner at x and y, in units that run down the page.
draw_raster <- function(raster, x, y, width, height) {
  grid::grid.raster(raster, grid::unit(x, "native"), grid::unit(y + height, "native"),
                    interpolate = FALSE, width = grid::unit(width, "native"),
                    height = grid::unit(-height, "native"), just = c("left", "bottom"))
}

#' A difference picture
#'
#' Writes the difference of two pictures next to them: grey where they agree, brighter or darker
#' where `b` is, enlarged so that the root mean square is well seen; the tile that speaks loudest
#' against noise is framed.
#'
#' @param a,b Pictures as for `noise_between()`.
#' @param path PNG file to write.
#' @return What [compare_pictures()] returns, invisibly.
#' @section Conditions: as for [compare_pictures()].
#' @noRd
difference_picture <- function(a, b, path) {
  path <- check_text(path, argument("path"))
  found <- compare_pictures(a, b)
  white <- stats::quantile(brightness_of(a), 0.98, names = FALSE)
  d <- brightness_of(b) - brightness_of(a)
  rms <- sqrt(mean(d^2))
  grey <- 0.5 + if (rms > 0) pmin(pmax(d / (8 * rms), -0.5), 0.5) else d
  pictures <- list(screen_raster(keep_dims(a), white), screen_raster(keep_dims(b), white),
                   grDevices::as.raster(grey))
  draw_difference(pictures, as_frame(found), dim(a)[1:2], path)
  invisible(found)
}

keep_dims <- function(x) array(as.vector(x), c(dim(x), 1L)[1:3])

draw_difference <- function(pictures, found, size, path) {
  width <- 400
  height <- round(width * size[1] / size[2])
  draw_png(path, 3 * (width + 20) + 20, height + 110, function() {
    put_difference(pictures, found, size, width, height)
  })
}

# Draw two pictures and their difference side by side.
put_difference <- function(pictures, found, size, width, height) {
  put_text(paste0(found$verdict, ": ", found$why, " (difference ", noise_text(found$difference),
                  " of the brightness)"), 20, 26, fontsize = 13, fontface = "bold")
  under <- c("a", "b", "b less a, grey where they agree")
  for (k in 1:3) {
    x <- 20 + (k - 1) * (width + 20)
    draw_raster(pictures[[k]], x, 50, width, height)
    put_text(under[k], x, height + 66, fontsize = 11)
    if (found$verdict == "different") {
      scale <- width / size[2]
      grid::grid.rect(grid::unit(x + (found$left - 1) * scale, "native"),
                      grid::unit(50 + found$bottom * scale, "native"),
                      grid::unit((found$right - found$left + 1) * scale, "native"),
                      grid::unit(-(found$bottom - found$top + 1) * scale, "native"),
                      just = c("left", "bottom"),
                      gp = grid::gpar(col = "#D55E00", fill = NA, lwd = 2))
    }
  }
  if (found$verdict == "different") {
    put_text(paste0("framed: ", tile_text(found)), 20, height + 90, fontsize = 11, col = "#D55E00")
  }
}
