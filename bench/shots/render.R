# Renders whole shots for real and writes what each frame took: all frames, and before them a cheap pass at a small size.
# Three shots of the built-in engine, four of POV-Ray (its package must be installed), 120 frames each. Beside the
# seconds stands what the engine counted (rays; for POV-Ray rays, shadow rays and media samples): its work, free of the
# machine's noise.
#   Rscript bench/shots/render.R bench/shots/complete.csv
out <- commandArgs(TRUE)[1]
here <- dirname(sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE)))
pebble <- system.file("bin", "pebble", package = "clockpigeon")
number <- function(text, pattern) {
  found <- regmatches(text, regexec(pattern, text))[[1]]
  if (length(found) > 1) as.numeric(found[2]) else 0
}

built_in <- function(scene, frame, size, samples) {
  said <- processx::run(pebble, c("--scene", scene, "--frame", frame, "--size", size, "--samples", samples, "--out",
                                  tempfile(fileext = ".png")))$stdout
  c(number(said, "compute ([0-9.]+)"), number(said, "load ([0-9.]+)"), number(said, "rays ([0-9]+)"))
}
pov <- function(scene, frame, size) {
  said <- processx::run("povray", c(paste0("+I", scene), paste0("+O", tempfile(fileext = ".png")), paste0(c("+W", "+H"), size),
                                    paste0("Declare=Frame=", frame), "+WT1", "+A0.3", "+FN8", "-D", "-P"))$stderr
  c(number(said, "Trace Time:[^(]*\\(([0-9.]+) sec"), number(said, "Parse Time:[^(]*\\(([0-9.]+) sec"),
    number(said, "Rays: +([0-9]+)") + number(said, "Shadow Ray Tests: +([0-9]+)") + number(said, "Media Samples: +([0-9]+)"))
}

shots <- c(lapply(c(gears = "gears", basin = "basin", gallery = "gallery"), function(scene) {
  frames <- seq(1, 720, by = 6)
  list(frames = frames, full = function(f) built_in(scene, frames[f], "160x90", 6),
       cheap = function(f) built_in(scene, frames[f], "20x11", 12))
}), lapply(c(cut = "cut", rising = "rising", flashes = "flashes", swing = "swing"), function(name) {
  scene <- file.path(here, paste0(name, ".pov"))
  frames <- seq_len(120)
  list(frames = frames, full = function(f) pov(scene, frames[f], c(144, 81)),
       cheap = function(f) pov(scene, frames[f], c(18, 10)))
}))

rows <- parallel::mclapply(names(shots), function(name) {
  shot <- shots[[name]]
  pass <- function(one) t(vapply(seq_along(shot$frames), one, numeric(3)))
  cheap <- pass(shot$cheap)
  full <- pass(shot$full)
  message(name)
  data.frame(shot = name, frame = seq_along(shot$frames), seconds = full[, 1], load_s = full[, 2], work = full[, 3],
             cheap_s = cheap[, 1], cheap_load_s = cheap[, 2], cheap_work = cheap[, 3])
}, mc.cores = as.integer(Sys.getenv("CORES", "1")), mc.preschedule = FALSE)
utils::write.csv(do.call(rbind, rows), out, row.names = FALSE, quote = FALSE)
