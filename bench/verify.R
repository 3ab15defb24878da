# Verifying: what is found, what is called falsely, and how fast. Prints `name value unit`.
#
# Found and false: the demo's three animations by the built-in engine and two of POV-Ray
# (bench/shots), as they are and with 14 kinds of damage planted in some of each 25 frames, at
# strengths that a person sees: a frame is found when anything is said to be unusable of it; false
# is what is said of frames that were not touched. Speed: pictures a second beside decoding them
# with libpng alone, in the same run, on one thread each.
#
#   Rscript bench/verify.R [FRAMES] [SEED]     120 frames of each animation, seed 1, when absent;
#   some minutes
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
args <- as.integer(commandArgs(TRUE))
frames <- c(args, 120)[1]
seed <- c(args[-1], 1)[1]
say <- function(name, value, unit)
  cat(name, format(signif(value, 3), scientific = FALSE, trim = TRUE), unit, "\n")
set.seed(seed)
home <- dirname(sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE)))
at <- tempfile("frames")
pebble <- file.path(system.file("bin", package = "clockpigeon"), "pebble")
in_set <- function(scene, last) {
  first <- sample(last - frames, 1)
  folder <- file.path(at, scene)
  dir.create(folder, recursive = TRUE)
  list(folder = folder, frames = first + seq_len(frames))
}
animations <- list()
for (scene in c("gears", "basin", "gallery")) {
  x <- in_set(scene, 700)
  processx::run(pebble, c("--scene", scene, "--frame", paste0(min(x$frames), "-", max(x$frames)),
                          "--size", "192x108", "--samples", "8", "--threads", "2", "--seed", seed,
                          "--out", file.path(x$folder, paste0(scene, ".png"))))
  animations[[scene]] <- c(x, cuts = c(gears = 301, basin = 421, gallery = 501)[[scene]])
}
if (nzchar(Sys.which("povray"))) for (scene in c("quay", "lock-gate")) {
  x <- in_set(scene, 258)
  for (f in x$frames) {
    processx::run("povray", c(paste0("+I", file.path(home, "shots", paste0(scene, ".pov"))), paste0(
      "+O", file.path(x$folder, sprintf("%s-%04d.png", scene, f))), "+W240", "+H136", "-A", "-D",
                              "-GA", paste0("Declare=Frame=", f)))
  }
  animations[[scene]] <- x
}
read <- function(path) {
  x <- png::readPNG(path)
  x[, , 1:3]
}
clip <- function(x) pmin(pmax(x, 0), 1)
some_rows <- function(d, least, most) {
  h <- round(d[1] * runif(1, least, most))
  r <- sample(d[1] - h, 1)
  r:(r + h - 1)
}
damage <- list(
  black = function(x, near) x * 0,
  one_colour = function(x, near) array(rep(runif(3, 0.2, 0.9), each = prod(dim(x)[1:2])), dim(x)),
  frozen = function(x, near) near$before,
  jump = function(x, near) near$far,
  light = function(x, near) x^sample(c(2.2, 1 / 2.2), 1),
  colours = function(x, near) x[, , 3:1],
  texture = function(x, near) {
    d <- dim(x)
    rows <- some_rows(d, 0.08, 0.25)
    columns <- some_rows(d[2], 0.08, 0.25)
    x[rows, columns, ] <- rep(c(1, 0, 1) * runif(1, 0.35, 1), each = length(rows) * length(columns))
    x
  },
  hole = function(x, near) {
    d <- dim(x)
    x[some_rows(d, 0.15, 0.4), some_rows(d[2], 0.15, 0.9), ] <- 0
    x
  },
  seam_light = function(x, near) {
    at <- sample(round(dim(x)[1] * 0.2):round(dim(x)[1] * 0.8), 1):dim(x)[1]
    x[at, , ] <- clip(x[at, , ] * sample(c(0.88, 1.12), 1))
    x
  },
  seam_aside = function(x, near) {
    d <- dim(x)
    at <- sample(round(d[1] * 0.2):round(d[1] * 0.8), 1):d[1]
    by <- round(d[2] * runif(1, 0.02, 0.06))
    x[at, , ] <- x[at, c((by + 1):d[2], seq_len(by)), ]
    x
  },
  band = function(x, near) {
    at <- some_rows(dim(x), 0.15, 0.5)
    x[at, , ] <- clip(x[at, , ] + rnorm(length(x[at, , ]), sd = near$noise * runif(1, 1.7, 3)))
    x
  },
  noisy = function(x, near) clip(x + rnorm(length(x), sd = near$noise * runif(1, 1.7, 3))),
  # Where they stand out from what is around them.
  fireflies = function(x, near) {
    y <- 0.2126 * x[, , 1] + 0.7152 * x[, , 2] + 0.0722 * x[, , 3]
    dark <- which(y < 0.55, arr.ind = TRUE)
    dark <- dark[dark[, 1] > 1 & dark[, 2] > 1 & dark[, 1] < nrow(y) & dark[, 2] < ncol(y), ,
                 drop = FALSE]
    calm <- apply(dark, 1, function(p) max(y[p[1] + -1:1, p[2] + -1:1]) < 0.65)
    spots <- dark[calm, , drop = FALSE]
    spots <- spots[sample(nrow(spots), min(nrow(spots), 40)), , drop = FALSE]
    for (k in 1:3) x[cbind(spots, k)] <- 1
    x
  },
  cut_off = NULL
)
found <- list()
clean <- 0
false <- 0
for (name in names(animations)) {
  x <- animations[[name]]
  paths <- list.files(x$folder, "png$", full.names = TRUE)
  looks <- ns$look_at_pictures(paths, 2)
  judge <- function(looks) {
    rows <- ns$sequence_findings(looks, x$frames, if (length(x$cuts)) x$cuts else integer())
    unique(rows$index[rows$weight == "unusable"])
  }
  first <- judge(looks)
  clean <- clean + length(paths)
  false <- false + length(first)
  for (kind in names(damage)) {
    bad <- sort(sample(4:(length(paths) - 3), max(3, frames %/% 25)))
    bad <- bad[c(TRUE, diff(bad) > 3)]
    planted <- looks
    file <- tempfile(fileext = ".png")
    for (i in bad) {
      near <- list(before = read(paths[i - 1]),
                   far = read(paths[(i + length(paths) %/% 2 - 1) %% length(paths) + 1]),
                   noise = max(0.02, 2 * stats::median(looks$rough[[i]]) / 4.79))
      if (is.null(damage[[kind]])) {
        bytes <- readBin(paths[i], "raw", 1e7)
        writeBin(utils::head(bytes, length(bytes) * runif(1, 0.3, 0.95)), file)
      } else png::writePNG(damage[[kind]](read(paths[i]), near), file)
      one <- ns$look_at_pictures(file)
      planted$facts[i, ] <- one$facts
      for (part in ns$look_parts) planted[[part]][i] <- one[[part]]
    }
    said <- judge(planted)
    found[[kind]] <- c(found[[kind]], bad %in% said)
    clean <- clean + length(paths) - length(bad)
    false <- false + length(setdiff(said, c(bad, first)))
  }
}
for (kind in names(found))
  say(paste0("found_", kind), 100 * mean(found[[kind]]), paste0("% of ", length(found[[kind]])))
say("found", 100 * mean(unlist(found)), paste0("% of ", length(unlist(found))))
say("false", 1000 * false / clean, paste0("in 1,000 of ", clean, " frames"))

# ---- speed ---------------------------------------------------------------------------------------
Sys.setenv(PKG_LIBS = "-lpng")
Rcpp::sourceCpp(code = '
#include <Rcpp.h>
#include <png.h>
#include <cstdio>
// [[Rcpp::export]]
double decode_only(std::vector<std::string> paths) {
  double bytes = 0;
  for (const std::string &path : paths) {
    std::FILE *f = std::fopen(path.c_str(), "rb");
    png_structp png = png_create_read_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png_create_info_struct(png);
    if (setjmp(png_jmpbuf(png))) return -1;
    png_init_io(png, f);
    png_read_info(png, info);
    std::vector<unsigned char> row(png_get_rowbytes(png, info));
    for (unsigned y = 0; y < png_get_image_height(png, info); ++y) png_read_row(png, row.data(), nullptr);
    png_read_end(png, nullptr);
    bytes += double(row.size()) * png_get_image_height(png, info);
    png_destroy_read_struct(&png, &info, nullptr);
    std::fclose(f);
  }
  return bytes;
}')
large <- file.path(at, "large")
dir.create(large, recursive = TRUE)
processx::run(pebble, c("--scene", "gallery", "--frame", "520-523", "--size", "1920x1080",
                        "--samples", "2", "--threads", "2", "--out",
                        file.path(large, "gallery.png")))
paths <- list.files(large, full.names = TRUE)
took <- function(run) system.time(run())[["user.self"]]
ratio <- NULL
for (k in 1:5) {
  alone <- took(function() decode_only(paths))
  looked <- took(function() ns$look_at_pictures(paths, 1))
  ratio <- rbind(ratio, c(alone, looked))
}
say("decode_1080p", length(paths) / stats::median(ratio[, 1]), "pictures/CPU-s")
say("look_1080p", length(paths) / stats::median(ratio[, 2]), "pictures/CPU-s")
say("look_beside_decode", stats::median(ratio[, 1] / ratio[, 2]), "times")
names <- file.path(at, "many")
dir.create(names)
copy <- paths[1]
small <- file.path(at, "small.png")
png::writePNG(read(copy)[1:90, 1:160, ], small)
invisible(file.copy(rep(small, 10000), file.path(names, sprintf("gallery-%05d.png", 1:10000))))
say("names_and_headers_10000", system.time(verify_frames(names, quick = TRUE))[["elapsed"]], "s")
