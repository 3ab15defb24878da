# The built-in engine, through its own command line.
read_pfm <- function(path) {
  file <- file(path, "rb")
  on.exit(close(file))
  stopifnot(readLines(file, 1) == "PF")
  size <- as.integer(strsplit(readLines(file, 1), " ")[[1]])
  readLines(file, 1)
  x <- array(readBin(file, "numeric", prod(size) * 3, size = 4, endian = "little"), c(3, size))
  aperm(x, c(3, 2, 1))[size[2]:1, , , drop = FALSE]
}
render <- function(scene, frame, ..., size = "48x27", kind = "pfm") {
  path <- tempfile(fileext = paste0(".", kind))
  ran <- run_pebble("--scene", scene, "--frame", frame, "--size", size, "--out", path, ...)
  said <- clockpigeon:::parse_output(ran$stdout, c(pebble()$reads,
                                                   list(noise = "noise ([0-9.]+)")))$found
  rays <- as.numeric(sub(".*rays ([0-9]+).*", "\\1", ran$stdout))
  list(picture = if (file.exists(path) && kind == "pfm") read_pfm(path), path = path, said = said,
       rays = rays, status = ran$status, error = ran$stderr)
}

test_that("the same seed gives the same picture on any number of threads, under samples and noise", {
  for (limit in list(c("--samples", "4"), c("--noise", "0.3", "--samples", "64"))) {
    one <- render("basin", 500, limit, "--threads", "1")
    for (threads in c("2", "5"))
      expect_identical(render("basin", 500, limit, "--threads", threads)$picture,
                       one$picture)
    expect_false(identical(render("basin", 500, limit, "--seed", "2")$picture, one$picture))
  }
})

test_that("both releases find the same picture with the same rays", {
  for (scene in c("gears", "basin", "gallery")) {
    old <- render(scene, 400, "--samples", "3", "--release", "1.0")
    new <- render(scene, 400, "--samples", "3", "--release", "1.1")
    expect_identical(old$picture, new$picture)
    expect_identical(old$rays, new$rays)
  }
})

test_that("a band is those rows of the frame, whatever the limit", {
  for (limit in list(c("--samples", "3"), c("--noise", "0.3", "--samples", "32"))) {
    whole <- render("gears", 250, limit)$picture
    band <- render("gears", 250, limit, "--band", "10-18")$picture
    expect_identical(band, whole[10:18, , , drop = FALSE])
  }
})

test_that("the cost along each shot varies by a factor of 2 at least, with a jump at the cut", {
  shots <- list(gears = c(1, 720, 301), basin = c(1, 780, 421), gallery = c(1, 750, 501))
  for (scene in names(shots)) {
    frames <- round(seq(shots[[scene]][1], shots[[scene]][2], length.out = 12))
    rays <- vapply(frames, function(f) render(scene, f, "--samples", "2")$rays, 0)
    expect_gt(max(rays) / min(rays), 2)
    cut <- vapply(shots[[scene]][3] - c(2, 1, 0),
                  function(f) render(scene, f, "--samples", "2")$rays, 0)
    expect_gt(abs(log(cut[3] / cut[2])), 5 * abs(log(cut[2] / cut[1])))
  }
})

test_that("the noise that the engine reports is that between two independent renders", {
  for (scene in c("gears", "gallery")) {
    a <- render(scene, 300, "--samples", "24", "--seed", "1")
    b <- render(scene, 300, "--samples", "24", "--seed", "2")
    light <- function(p) p[, , 1] * 0.2126 + p[, , 2] * 0.7152 + p[, , 3] * 0.0722
    between <- sqrt(mean((light(a$picture) - light(b$picture))^2) / 2) /
      mean(light(a$picture) + light(b$picture)) * 2
    expect_equal(a$said[["noise"]], between, tolerance = 0.15)
  }
})

test_that("each limit ends a frame, alone or together", {
  expect_identical(render("gears", 1, "--samples", "5")$said[["samples_done"]], 5)
  rough <- render("gears", 300, "--noise", "0.2")$said
  fine <- render("gears", 300, "--noise", "0.1")$said
  expect_lt(fine[["noise"]], 0.1)
  expect_gt(fine[["samples_done"]], 2 * rough[["samples_done"]])
  expect_lte(render("gallery", 300, "--noise", "0.001", "--samples", "12")$said[["samples_done"]],
             12)
  timed <- render("gallery", 300, "--time", "0.4", "--samples", "1000000")$said
  expect_gte(timed[["compute_s"]], 0.4)
  expect_lt(timed[["samples_done"]], 1000000)
})

test_that("PNG is the display form of the same picture", {
  skip_if_not_installed("png")
  linear <- render("gears", 5, "--samples", "4")$picture
  shown <- png::readPNG(render("gears", 5, "--samples", "4", kind = "png")$path)
  expect_identical(dim(shown), dim(linear))
  c <- pmin(linear, 1)
  expect_lt(max(abs(shown - ifelse(c <= 0.0031308, 12.92 * c, 1.055 * c^(1 / 2.4) - 0.055))), 0.003)
})

test_that("bad requests get one line that says what to write, and no picture", {
  bad <- list(c("--scene", "gear", "gears, basin"), c("--frame", "721", "frames 1-720"),
              c("--frame", "0", "at least 1"), c("--size", "48", "'x' between"),
              c("--samples", "0", "at least 1"), c("--noise", "-1", "number"),
              c("--band", "5-40", "rows 1-27"), c("--threads", "two", "whole number"),
              c("--release", "2", "1.0 or 1.1"), c("--speed", "9", "--help"))
  for (case in bad) {
    options <- c("--scene" = "gears", "--frame" = "1", "--size" = "48x27", "--samples" = "1",
                 "--out" = tempfile(fileext = ".png"))
    options[case[1]] <- case[2]
    ran <- run_pebble(as.vector(rbind(names(options), options)))
    expect_identical(ran$status, 2L)
    expect_match(ran$stderr, case[3], fixed = TRUE)
    expect_length(strsplit(trimws(ran$stderr), "\n")[[1]], 1)
    expect_false(file.exists(options[["--out"]]))
  }
  expect_match(run_pebble("--scene", "gears", "--frame", "1", "--size", "9x9", "--out",
                          "x.png")$stderr, "no limit")
  expect_identical(run_pebble("--scene", "gears", "--frame", "1", "--size", "9x9", "--samples", "1",
                              "--out", "/no/such/x.png")$status, 1L)
  expect_match(run_pebble("--list")$stdout, "gallery +frames 1-750")
})
