# Pixels of pictures of any kind, looked at: PNG and float maps in C++, TIFF through its package, OpenEXR by ffmpeg.

# `paths`: pictures. Returns looks in their order, as look_at_pictures() does.
looks_of <- function(paths, threads = 1) {
  kind <- vapply(paths, function(path) {
    if (!file.exists(path)) return("gone")
    or_else(tryCatch(told_kind(path), error = function(e) NULL), "none")
  }, "")
  looks <- vector("list", length(paths))
  plain <- which(kind %in% c("png", "pfm"))
  if (length(plain)) {
    found <- look_at_pictures(paths[plain], threads)
    for (k in seq_along(plain)) looks[[plain[k]]] <- pick_looks(found, k)
  }
  for (i in which(!kind %in% c("png", "pfm"))) {
    looks[[i]] <- switch(kind[i], gone = no_look("is not there any more"), tiff = tiff_look(paths[i]),
                         exr = exr_look(paths[i]), no_look("is no PNG, TIFF, PFM or OpenEXR"))
  }
  bind_looks(looks)
}

tiff_look <- function(path) {
  x <- tryCatch(read_picture(path, "linear"), clockpigeon_error = identity)
  if (inherits(x, "error")) return(no_look(sub("^cannot be read: (it )?", "", x$what)))
  float <- attr(x, "depth") == 32
  look <- look_at_values(x, float)
  look$facts$depth <- attr(x, "depth")
  look
}

# Its values as ffmpeg decodes them: planes of green, blue and red, 32 bits each. Without ffmpeg what the header and
# the file's length say.
exr_look <- function(path) {
  extent <- picture_extent(path, "exr")
  if (length(extent$fault)) return(no_look(extent$fault))
  if (!nzchar(Sys.which("ffmpeg"))) {
    look <- no_look("")
    look$facts[c("width", "height")] <- extent[c("width", "height")]
    return(look)
  }
  raw <- tempfile(fileext = ".raw")
  on.exit(unlink(raw))
  ran <- processx::run("ffmpeg", c("-v", "error", "-nostdin", "-y", "-i", path, "-f", "rawvideo", "-pix_fmt",
                                   "gbrpf32le", raw), error_on_status = FALSE, timeout = 120)
  n <- extent$width * extent$height
  values <- if (file.exists(raw)) readBin(raw, "numeric", 3 * n, size = 4, endian = "little") else numeric()
  if (ran$status != 0 || nzchar(trimws(ran$stderr)) || length(values) < 3 * n) {
    said <- strsplit(trimws(ran$stderr), "\n", fixed = TRUE)[[1]]
    return(no_look(if (length(said)) sub("^\\[[^]]*\\] *", "", said[1]) else "is cut off"))
  }
  x <- aperm(array(values, c(extent$width, extent$height, 3)), c(2, 1, 3))[, , c(3, 1, 2), drop = FALSE]
  look <- look_at_values(x, TRUE)
  look$facts$depth <- 32
  look
}
