# Pixels of pictures of any kind, looked at: PNG and float maps in C++, TIFF through its package,
# OpenEXR by ffmpeg.

# `paths`: pictures. Returns looks in their order, as look_at_pictures() does. `most_pixels`: a
# larger picture is a finding and is not decoded.
looks_of <- function(paths, threads = 1, most_pixels = usual_pixels) {
  kind <- vapply(paths, function(path) {
    if (!file.exists(path)) return("gone")
    or_else(tryCatch(detect_picture_kind(path), error = function(e) NULL), "none")
  }, "")
  looks <- vector("list", length(paths))
  plain <- which(kind %in% c("png", "pfm"))
  if (length(plain)) {
    found <- look_at_pictures(paths[plain], threads, most_pixels)
    for (k in seq_along(plain)) looks[[plain[k]]] <- pick_looks(found, k)
  }
  for (i in which(!kind %in% c("png", "pfm"))) {
    looks[[i]] <- switch(kind[i], gone = no_look("is not there any more"),
                         tiff = tiff_look(paths[i], most_pixels),
                         exr = exr_look(paths[i], most_pixels),
                         no_look("is no PNG, TIFF, PFM or OpenEXR"))
  }
  bind_looks(looks)
}

# Why a picture is too large to be decoded; NULL where it is not.
large_fault <- function(extent, most_pixels) {
  pixels <- extent$width * extent$height
  if (length(pixels) && !is.na(pixels) && pixels > most_pixels) {
    sprintf("has %.0f x %.0f pixels, too many to look at", extent$width, extent$height)
  }
}

tiff_look <- function(path, most_pixels) {
  fault <- large_fault(picture_extent(path, "tiff"), most_pixels)
  if (length(fault)) return(no_look(fault))
  x <- tryCatch(read_picture(path, "linear"), clockpigeon_error = identity)
  if (inherits(x, "error")) return(no_look(sub("^cannot be read: (it )?", "", x$what)))
  float <- attr(x, "depth") == 32
  look <- look_at_values(x, float)
  look$facts$depth <- attr(x, "depth")
  look
}

# Its values as ffmpeg decodes them: planes of green, blue and red, 32 bits each. Without ffmpeg
# what the header and the file's length say.
exr_look <- function(path, most_pixels) {
  extent <- picture_extent(path, "exr")
  fault <- c(extent$fault, large_fault(extent, most_pixels))
  if (length(fault)) return(no_look(fault[1]))
  if (!nzchar(Sys.which("ffmpeg"))) {
    look <- no_look("")
    look$facts[c("width", "height")] <- extent[c("width", "height")]
    return(look)
  }
  raw <- tempfile(fileext = ".raw")
  on.exit(unlink(raw))
  ran <- processx::run("ffmpeg", c("-v", "error", "-nostdin", "-y", "-i", path, "-f", "rawvideo",
                                   "-pix_fmt", "gbrpf32le", raw), error_on_status = FALSE,
                       timeout = 120)
  n <- extent$width * extent$height
  values <- if (file.exists(raw)) readBin(raw, "numeric", 3 * n, size = 4, endian = "little") else
    numeric()
  if (ran$status != 0 || nzchar(trimws(ran$stderr)) || length(values) < 3 * n) {
    said <- strsplit(trimws(ran$stderr), "\n", fixed = TRUE)[[1]]
    return(no_look(if (length(said)) sub("^\\[[^]]*\\] *", "", said[1]) else "is cut off"))
  }
  x <- aperm(array(values, c(extent$width, extent$height, 3)), c(2, 1, 3))
  x <- x[, , c(3, 1, 2), drop = FALSE]
  look <- look_at_values(x, TRUE)
  look$facts$depth <- 32
  look
}
