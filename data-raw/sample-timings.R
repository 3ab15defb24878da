# Makes inst/demo-project/sample-timings.csv, the demo's invented evidence, from the model below.
# Run from the repository's root:
#
#   Rscript data-raw/sample-timings.R
#
# The model, so that truth is known. For a frame at position t in its shot (0 first, 1 last):
#
#   log seconds = scene + path(t) + engine + version + device + engine:device + limit + limit:scene
#   + run
#
#   scene        log of 95 (gears), 120 (basin), 240 (gallery): seconds of a middle frame with
#   sundew 4.1 on Quern 40, 512 samples path(t)      gears 0.55 sin(pi t), basin 0.9 (t - 0.5) +
#   0.35 after the cut, gallery 0.45 cos(2 pi t) engine       sundew 0, millrace log 1.25
#   version      sundew 4.2: log 1/1.30; millrace 2.1: log 1/1.02 (a difference too small to matter)
#   device       Quern 40 0, Quern 80 log 1/1.9, Fathom 6 log 1.35, Fathom 12 log 1/1.5
#   interaction  millrace on Fathom devices: log 1/1.15
#   limit        512 samples 0; noise 0.02: gears -0.25, basin +0.20, gallery +0.05
#   run          normal, sd 0.06
#   site         trial frames with sundew 4.2: quayside 1.4 times loft-2, saltmill 1.7 times, attic
#   1.0 times
#
# wall = load + compute with load 6 s (gears), 5 s (basin), 14 s (gallery), not scaled by the
# device.
set.seed(20261001)
scenes <- list(gears = list(s = 95, n = 720, cut = 301, load = 6),
               basin = list(s = 120, n = 780, cut = 421, load = 5),
               gallery = list(s = 240, n = 750, cut = 501, load = 14))
path <- list(
  gears = function(t, cut) 0.55 * sin(pi * t),
  basin = function(t, cut) 0.9 * (t - 0.5) + 0.35 * cut,
  gallery = function(t, cut) 0.45 * cos(2 * pi * t)
)
version <- c("sundew 4.1" = 0, "sundew 4.2" = -log(1.30), "millrace 2.0" = 0,
             "millrace 2.1" = -log(1.02))
device <- c("Quern 40" = 0, "Quern 80" = -log(1.9), "Fathom 6" = log(1.35), "Fathom 12" = -log(1.5))
node <- c("Quern 40" = "loft-1", "Quern 80" = "loft-2", "Fathom 6" = "loft-3",
          "Fathom 12" = "loft-4")
limit_shift <- list(samples = c(gears = 0, basin = 0, gallery = 0),
                    noise = c(gears = -0.25, basin = 0.20, gallery = 0.05))
site_speed <- c(quayside = 1.4, saltmill = 1.7, attic = 1.0)

compute <- function(scene, frame, engine, ver, dev, limit) {
  s <- scenes[[scene]]
  exp(log(s$s) + path[[scene]]((frame - 1) / (s$n - 1), frame >= s$cut) +
      if (engine == "millrace") log(1.25) else 0) *
    exp(version[[paste(engine, ver)]] + device[[dev]] + limit_shift[[limit]][[scene]] +
          if (engine == "millrace" && grepl("^Fathom", dev)) -log(1.15) else 0)
}

rows <- list()
add <- function(scene, frame, engine, ver, dev, limit, rep, site = NA, tier = NA, status = "ok",
                note = "") {
  factor <- if (is.na(site)) 1 else 1 / site_speed[[site]]
  seconds <- compute(scene, frame, engine, ver, dev, limit) * factor * exp(rnorm(1, 0, 0.06))
  load <- scenes[[scene]]$load * exp(rnorm(1, 0, 0.05))
  at <- as.POSIXct("2026-10-05 08:00:00", tz = "UTC") + 180 * length(rows)
  rows[[length(rows) + 1]] <<- data.frame(
    measured_at = format(at, "%Y-%m-%dT%H:%M:%SZ"), activity = "render", shot = scene,
    scene = scene, frame = frame, engine = engine, engine_version = ver, limit_kind = limit,
    limit_value = if (limit == "samples") 512 else 0.02, width = 1920, height = 1080,
    node = if (is.na(site)) node[[dev]] else NA, device = if (is.na(site)) dev else NA,
    device_count = if (is.na(site)) 1 else NA, site = site, tier = tier,
    wall_s = if (status == "failed") NA else round(load + seconds, 2), load_s = round(load, 2),
    compute_s = if (status == "failed") NA else round(seconds, 2), status = status,
    kind = "measured", precision = "exact", warm = TRUE, run_order = length(rows) + 1,
    "repeat" = rep, note = paste0("sample data, invented for the demo", note), check.names = FALSE
  )
}

frames <- list(gears = c(90, 250, 420, 640), basin = c(90, 330, 460, 700),
               gallery = c(80, 290, 430, 640))
for (rep in 1:2) for (scene in names(scenes)) for (frame in frames[[scene]])
  for (limit in c("samples", "noise")) {
  for (ev in names(version)) for (dev in names(device)) {
    part <- strsplit(ev, " ")[[1]]
    # The smallest card has too little memory for the gallery under millrace 2.0.
    fails <- scene == "gallery" && ev == "millrace 2.0" && dev == "Fathom 6"
    add(scene, frame, part[1], part[2], dev, limit, rep, status = if (fails) "failed" else "ok",
        note = if (fails) ": device memory full" else "")
  }
}
tiers <- c(quayside = "standard", saltmill = "brisk", attic = "day")
for (scene in names(scenes)) for (frame in frames[[scene]][c(2, 4)]) for (site in names(site_speed))
  {
  add(scene, frame, "sundew", "4.2", "Quern 80", "samples", 1, site = site, tier = tiers[[site]])
}
write.csv(do.call(rbind, rows), "inst/demo-project/sample-timings.csv", row.names = FALSE, na = "")
