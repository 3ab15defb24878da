# Renders whole shots for real and writes what each frame took: one pass over all frames, and before it a cheap pass at
# a small size. Three shots of the built-in engine, four of POV-Ray (its package must be installed), 120 frames each.
#   Rscript bench/render-shots.R bench/shots/complete.csv
out <- commandArgs(TRUE)[1]
here <- dirname(sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE)))
pebble <- system.file("bin", "pebble", package = "clockpigeon")
picture <- tempfile(fileext = ".png")
clock <- function() as.numeric(Sys.time())
number <- function(text, pattern) as.numeric(regmatches(text, regexec(pattern, text))[[1]][2])

built_in <- function(scene, frame, size, samples) {
  said <- processx::run(pebble, c("--scene", scene, "--frame", frame, "--size", size, "--samples", samples, "--out",
                                  picture))$stdout
  c(number(said, "compute ([0-9.]+)"), number(said, "load ([0-9.]+)"))
}
pov <- function(scene, frame, size) {
  said <- processx::run("povray", c(paste0("+I", scene), paste0("+O", picture), paste0(c("+W", "+H"), size),
                                    paste0("Declare=Frame=", frame), "+WT1", "+A0.3", "+FN8", "-D", "-P"))$stderr
  c(number(said, "Trace Time:[^(]*\\(([0-9.]+) sec"), number(said, "Parse Time:[^(]*\\(([0-9.]+) sec"))
}

shots <- c(lapply(c(gears = "gears", basin = "basin", gallery = "gallery"), function(scene) {
  frames <- seq(1, 720, by = 6)
  list(frames = frames, full = function(f) built_in(scene, frames[f], "160x90", 16),
       cheap = function(f) built_in(scene, frames[f], "40x22", 4))
}), lapply(c(cut = "cut", rising = "rising", flashes = "flashes", bell = "../../tests/testthat/tide-bell"), function(name) {
  scene <- file.path(here, "shots", paste0(name, ".pov"))
  frames <- seq_len(120)
  list(frames = frames, full = function(f) pov(scene, frames[f], c(160, 90)), cheap = function(f) pov(scene, frames[f], c(20, 11)))
}))

rows <- do.call(rbind, lapply(names(shots), function(name) {
  shot <- shots[[name]]
  pass <- function(one) t(vapply(seq_along(shot$frames), one, numeric(2)))
  began <- clock()
  cheap <- pass(shot$cheap)
  full <- pass(shot$full)
  message(sprintf("%s: %.0f s", name, clock() - began))
  data.frame(shot = name, frame = seq_along(shot$frames), seconds = full[, 1], load_s = full[, 2], cheap_s = cheap[, 1],
             cheap_load_s = cheap[, 2])
}))
utils::write.csv(rows, out, row.names = FALSE, quote = FALSE)
