# Frames of a small moving scene with noise, as arrays for a display; written as PNG where files are
# asked for.
scene_picture <- function(f, height = 72, width = 128, noise = 0.02, seed = f) {
  y <- matrix(seq_len(height), height, width)
  x <- matrix(seq_len(width), height, width, byrow = TRUE)
  wave <- function(a, b, c) 0.45 + 0.22 * sin((x + 1.6 * f) / a + c) * cos(y / b) +
    0.1 * sin((y - x) / 17 + f / 9)
  disc <- (x - 64 - 30 * sin(f / 14))^2 + (y - 36)^2 < 200
  out <- array(c(wave(9, 7, 0), wave(11, 8, 1), wave(13, 9, 2)), c(height, width, 3))
  for (k in 1:3) out[, , k][disc] <- c(0.8, 0.55, 0.2)[k]
  withr::with_seed(seed, out <- out + stats::rnorm(length(out), sd = noise))
  pmin(pmax(out, 0), 1)
}

# `damage(x, f)` changes the pictures of the frames `bad`. Returns the folder.
scene_folder <- function(frames = 1:24, bad = integer(), damage = NULL, name = "tide", ...,
                         env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  for (f in frames) {
    x <- scene_picture(f, ...)
    if (f %in% bad) x <- damage(x, f)
    png::writePNG(x, file.path(folder, sprintf("%s-%04d.png", name, f)))
  }
  folder
}

# What of a kind of finding is found in a folder of such frames.
found_in <- function(folder, ...) {
  x <- verify_frames(folder, threads = 1, ...)
  as.data.frame(x$findings)
}
