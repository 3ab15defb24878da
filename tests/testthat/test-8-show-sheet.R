# Probes of known pictures, without an engine: a frame of noise whose right half is worse.
made_study <- function(env = parent.frame()) {
  folder <- scratch(env)
  write_pfm <- function(x, path) {
    file <- file(path, "wb")
    on.exit(close(file))
    writeBin(charToRaw(sprintf("PF\n%d %d\n-1.0\n", dim(x)[2], dim(x)[1])), file)
    writeBin(as.vector(aperm(x[rev(seq_len(dim(x)[1])), , ], 3:1)), file, size = 4,
             endian = "little")
    path
  }
  set.seed(8)
  render <- function(n, name) {
    sd <- rep(c(0.1, 0.4), each = 64 * 48) / sqrt(n)
    write_pfm(array(0.5 + rnorm(64 * 96 * 3, sd = sd), c(64, 96, 3)),
              file.path(folder, paste0(name, ".pfm")))
  }
  counts <- c(4, 16)
  one <- vapply(counts, function(n) render(n, paste0("a", n)), "")
  two <- vapply(counts, function(n) render(n, paste0("b", n)), "")
  maps <- Map(function(a, b) noise_map(read_picture(a), read_picture(b)), one, two)
  noise <- do.call(rbind, Map(function(a, b)
                              as.data.frame(noise_between(read_picture(a), read_picture(b))), one,
                              two))
  pairs <- data.frame(frame = 1L, samples = counts, width = 96L, height = 64L,
                      features = NA_character_, seconds = c(1, 4), seconds_2 = c(1.1, 3.9),
                      picture = one, picture_2 = two, noise, row.names = NULL)
  probes <- structure(list(shot = list(shot = "made", frames = 1:10),
                           engine = list(engine = "none"), version = "1",
                           against = "render", light = "linear", pairs = tibble::as_tibble(pairs),
                           maps = unname(maps), rows = NULL), class = "cp_probes")
  study_limit(probes, noise = 0.1)
}

test_that("a sheet shows the worst tiles at each count, and says what is under them", {
  study <- made_study()
  path <- tempfile(fileext = ".png")
  key <- contact_sheet(study, path, tiles = 2)
  expect_identical(dim(png::readPNG(path))[3] >= 3, TRUE)
  expect_identical(key$samples, c(4, 16, 4, 16))
  expect_true(all(key$column >= 2))
  expect_match(key$label[1], "4 samples, noise .* %, 1.05s")
  expect_refusal(contact_sheet(study, path, frame = 2), "choice")
  # The crop on the paper is the tile: its first row is light where the picture is.
  crop <- clockpigeon:::screen_raster(array(c(1, 0, 0, 0.2), c(2, 2, 1)), 1)
  expect_identical(substr(as.matrix(crop)[1, 1], 1, 7), "#FFFFFF")
})

test_that("a blind sheet hides counts and times, and its key finds them again", {
  study <- made_study()
  open <- contact_sheet(study, tempfile(fileext = ".png"), tiles = 2)
  blind <- contact_sheet(study, tempfile(fileext = ".png"), tiles = 2, blind = TRUE, seed = 2)
  expect_identical(blind$label, blind$letter)
  expect_identical(blind$letter, LETTERS[1:4])
  both <- merge(as.data.frame(open), as.data.frame(blind), by = c("tile", "samples"))
  expect_identical(both$noise.x, both$noise.y)
  orders <- vapply(1:20, function(s)
                   paste(contact_sheet(study, tempfile(), tiles = 1, blind = TRUE,
                                       seed = s)$samples,
                         collapse = " "), "")
  expect_setequal(orders, c("4 16", "16 4"))
})

test_that("a difference picture says its verdict", {
  a <- array(0.5, c(40, 60, 3))
  b <- a
  b[10:20, 10:20, ] <- 0.9
  path <- tempfile(fileext = ".png")
  expect_identical(difference_picture(a, b, path)$verdict, "different")
  expect_gt(file.size(path), 3000)
})
