# Parcels and checks: hashing of 10,000 files and 2 GB beside the standard program on the same
# files, in turns, and the check of 10,000 assets.
#   Rscript bench/pack.R [MB]      (2000 when absent)
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 3, scientific = FALSE), unit, "\n")
args <- commandArgs(TRUE)
megabytes <- if (length(args)) as.numeric(args[1]) else 2000
n <- 10000
folder <- tempfile("assets-")
paths <- sprintf("textures/%02d/%05d.bin", seq_len(n) %% 100, seq_len(n))
for (sub in unique(dirname(paths)))
  dir.create(file.path(folder, sub), recursive = TRUE, showWarnings = FALSE)
set.seed(1)
block <- as.raw(sample.int(256L, megabytes / n * 1e6, TRUE) - 1L)
for (i in seq_len(n)) writeBin(c(charToRaw(paths[i]), block), file.path(folder, paths[i]))
full <- file.path(folder, paths)
list <- tempfile()
writeLines(full, list)
hashes <- clockpigeon:::file_hashes
invisible(hashes(full[1:100]))
turns <- replicate(3, {
  ours <- system.time(mine <- hashes(full))[["elapsed"]]
  standard <- system.time(
    said <- processx::run("xargs", c("-a", list, "sha256sum"))$stdout)[["elapsed"]]
  stopifnot(identical(substr(strsplit(said, "\n")[[1]], 1, 64), mine))
  c(ours, standard)
})
size <- sum(file.size(full)) / 1e6
say("hashing_speed", size / stats::median(turns[1, ]), "MB/s")
say("hashing_speed_over_sha256sum", stats::median(turns[2, ] / turns[1, ]), "ratio (0.5 asked)")

writeLines("scene", file.path(folder, "s.scene"))
table <- rbind(data.frame(kind = "scene", path = "s.scene"),
               data.frame(kind = "texture", path = paths),
               data.frame(kind = "output", path = "f_####.png"))
file <- file.path(tempdir(), "s.csv")
utils::write.csv(table, file, row.names = FALSE)
shot <- read_shot(demo_file("shots/gears.yaml"))
took <- replicate(3, system.time(check_shot(shot, manifest = clockpigeon:::read_manifest(file),
                                            folder = folder))[["elapsed"]])
say("check_of_10000_assets", stats::median(took), "s (2 asked)")
took <- system.time(parcel <- pack_shot(clockpigeon:::read_manifest(file), folder,
                                        tempdir()))[["elapsed"]]
say("parcel_of_10000_files", took, "s")
unlink(c(folder, parcel$parcel), recursive = TRUE)
