# Pictures: read as linear light, written as PNG.

#' Read a picture as linear light
#'
#' Noise falls by the square root of the samples only in linear light. So pictures made for a
#' display (8 and 16 bit PNG, whole-number TIFF) are brought back to it through the sRGB curve (IEC
#' 61966-2-1); float pictures (PFM, TIFF with 32 bit float) are linear already.
#'
#' OpenEXR cannot be read on R 4.2 (the package that can, libopenexr, asks for R 4.3): have the
#' renderer write PFM or float TIFF for probes. With that package installed it is read.
#'
#' @param path A PNG, TIFF, PFM or OpenEXR file.
#' @param light `"linear"` or `"display"`, where the file's kind is wrong about it; `NULL` to go by
#'   the kind.
#' @return An array height x width x channels of numbers, the first row on top, with attributes
#'   `light` (how the file holds it: `linear` or `display`) and `depth` (bits of a value).
#' @section Conditions: `clockpigeon_error_picture` when the file is missing, cut off or no picture;
#'   `clockpigeon_error_package` when the package that reads its kind is not installed.
#' @examplesIf requireNamespace("png", quietly = TRUE)
#' path <- tempfile(fileext = ".png")
#' png::writePNG(matrix(c(0, 0.5, 1, 1), 2), path)
#' read_picture(path)
#' @export
read_picture <- function(path, light = NULL) {
  path <- check_text(path, argument("path"))
  if (!is.null(light)) check_choice(light, argument("light"), c("linear", "display"))
  if (!file.exists(path) || dir.exists(path))
    stop_input("picture", "there is no such file", path, "Check the path.")
  kind <- picture_kind(path)
  extent <- picture_extent(path, kind)
  if (length(extent$fault)) {
    stop_input("picture", paste("cannot be read: it", extent$fault), short_path(path),
               "Render it again, or name another file.")
  }
  read <- switch(kind, png = read_png, tiff = read_tiff, pfm = read_pfm, exr = read_exr)
  refuse <- function(e) {
    if (inherits(e, "clockpigeon_error")) stop(e)
    stop_input("picture", paste("cannot be read:", first_text_line(conditionMessage(e))),
               short_path(path), "Render it again, or name another file.",
               parent = e)
  }
  found <- tryCatch(read(path), error = refuse, warning = refuse)
  x <- found$values
  if (length(dim(x)) == 2) dim(x) <- c(dim(x), 1L)
  said <- if (is.null(light)) found$light else light
  if (said == "display") x <- linear_light(x)
  structure(x, light = said, depth = found$depth)
}

first_text_line <- function(text) strsplit(trimws(text), "\n", fixed = TRUE)[[1]][1]

picture_kind <- function(path) {
  kind <- detect_picture_kind(path)
  if (is.null(kind)) {
    stop_input("picture", "is no PNG, TIFF, PFM or OpenEXR", short_path(path),
               "Name a picture of these kinds.")
  }
  kind
}

# sRGB to linear light and back, on 0 to 1.
linear_light <- function(x) {
  low <- x <= 0.04045
  x[low] <- x[low] / 12.92
  x[!low] <- ((x[!low] + 0.055) / 1.055)^2.4
  x
}

display_light <- function(x) {
  x <- pmin(pmax(x, 0), 1)
  low <- x <= 0.0031308
  x[low] <- 12.92 * x[low]
  x[!low] <- 1.055 * x[!low]^(1 / 2.4) - 0.055
  x
}

read_png <- function(path) {
  need_package("png", "PNG pictures")
  x <- png::readPNG(path, info = TRUE)
  depth <- attr(x, "info")[["bit.depth"]]
  list(values = strip_attributes(x), light = "display", depth = if (length(depth)) depth else 8L)
}

read_tiff <- function(path) {
  need_package("tiff", "TIFF pictures")
  x <- tiff::readTIFF(path, info = TRUE)
  depth <- attr(x, "bits.per.sample")
  float <- identical(attr(x, "sample.format"), "float")
  list(values = strip_attributes(x), light = if (float) "linear" else "display", depth = depth)
}

read_exr <- function(path) {
  need_package("libopenexr", "OpenEXR pictures")
  x <- getExportedValue("libopenexr", "read_exr")(path)
  list(values = array(unlist(x[c("r", "g", "b")]), c(dim(x$r), 3L)), light = "linear", depth = 16L)
}

strip_attributes <- function(x) array(as.vector(x), dim(x))

# Portable float map: three lines of text (PF or Pf, size, scale whose sign is the byte order), then
# 4-byte floats, the bottom row first (P. Debevec's format, as common tools write it).
read_pfm <- function(path) {
  file <- file(path, "rb")
  on.exit(close(file))
  head <- pfm_header(file)
  n <- prod(unlist(head[c("channels", "width", "height")]))
  seek(file, head$at)
  values <- readBin(file, "numeric", n, size = 4, endian = if (head$scale < 0) "little" else "big")
  if (length(values) < n) stop("is cut off")
  x <- aperm(array(values, c(head$channels, head$width, head$height)), 3:1)
  list(values = x[rev(seq_len(head$height)), , , drop = FALSE], light = "linear", depth = 32L)
}
