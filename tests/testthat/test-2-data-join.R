# A picture of noise cut into bands as an engine leaves them: files of their own rows, or of the
# whole height.
banded <- function(folder, values, cuts, whole = FALSE, write = png::writePNG) {
  height <- nrow(values)
  first <- c(1, cuts + 1)
  last <- c(cuts, height)
  paths <- vapply(seq_along(first), function(k) {
    own <- if (whole) array(0, dim(values)) else values[first[k]:last[k], , , drop = FALSE]
    if (whole) own[first[k]:last[k], , ] <- values[first[k]:last[k], , ]
    path <- file.path(folder, sprintf("band-%d.png", k))
    write(own, path)
    path
  }, "")
  list(paths = paths, first = first, last = last)
}

test_that("bands of a PNG make the whole picture, value for value, whether they hold their rows or all", {
  skip_if_not_installed("png")
  at <- scratch()
  for (channels in c(1, 3, 4)) for (whole in c(FALSE, TRUE)) {
    x <- array(withr::with_seed(channels, sample(0:255, 40 * 31 * channels, TRUE)) / 255,
               c(40, 31, channels))
    b <- banded(at, x, c(9, 10, 33), whole)
    to <- file.path(at, "whole", "frame.png")
    # The order in which they are named is no matter.
    clockpigeon:::join_bands(rev(b$paths), rev(b$first), rev(b$last), 40, to)
    expect_equal(as.vector(png::readPNG(to)), as.vector(x), label = paste(channels, whole))
    expect_identical(list.files(dirname(to)), "frame.png")
  }
})

test_that("bands of 16 bits and of a real renderer are joined as they are", {
  skip_if(!nzchar(Sys.which("povray")), "POV-Ray is not here")
  skip_if_not_installed("png")
  at <- scratch()
  scene <- write_file(at, "s.pov",
                      c("#version 3.7;", "camera { location <0,1,-4> look_at <0,0,0> }",
                        "light_source { <3,5,-4> rgb 1 }", "plane { y, -1 pigment { rgb 0.7 } }",
                        "sphere { <0,0,0>, 1 pigment { rgb <1,0.5,0.2> } }"))
  render <- function(name, ...) {
    path <- file.path(at, name)
    ran <- processx::run("povray", c(paste0("+I", scene), paste0("+O", path), "+W60", "+H44", "-D",
                                     "+FN16", "-GA", ...),
                         error_on_status = FALSE)
    stopifnot(ran$status == 0)
    path
  }
  whole <- render("whole.png")
  paths <- c(render("a.png", "+SR1", "+ER20"), render("b.png", "+SR21", "+ER44"))
  to <- file.path(at, "joined.png")
  clockpigeon:::join_bands(paths, c(1, 21), c(20, 44), 44, to)
  expect_identical(png::readPNG(to), png::readPNG(whole))
  expect_identical(attr(png::readPNG(to, info = TRUE), "info")$bit.depth, 16L)
})

test_that("bands of float maps are joined to the byte", {
  at <- scratch()
  pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
  program <- clockpigeon:::engine_program(pebble)
  render <- function(name, ...) {
    path <- file.path(at, name)
    processx::run(program, c("--scene", "gears", "--frame", "3", "--size", "32x18", "--samples",
                             "2", "--out", path, ...))
    path
  }
  whole <- render("whole.pfm")
  paths <- c(render("a.pfm", "--band", "1-7"), render("b.pfm", "--band", "8-18"))
  to <- file.path(at, "joined.pfm")
  clockpigeon:::join_bands(paths, c(1, 8), c(7, 18), 18, to)
  expect_identical(unname(tools::md5sum(to)), unname(tools::md5sum(whole)))
})

test_that("bands that do not make a frame are refused, and leave nothing", {
  skip_if_not_installed("png")
  at <- scratch()
  x <- array(0.5, c(20, 10, 3))
  b <- banded(at, x, 10)
  to <- file.path(at, "frame.png")
  join <- function(paths = b$paths, first = b$first, last = b$last, height = 20, into = to) {
    clockpigeon:::join_bands(paths, first, last, height, into)
  }
  expect_refusal(join(height = 21), "picture", "Rows 1-21 are needed")
  expect_refusal(join(first = c(1, 12)), "picture", "has bands of rows 1-10, 12-20")
  wide <- file.path(at, "wide.png")
  png::writePNG(array(0.5, c(10, 11, 3)), wide)
  expect_refusal(join(c(b$paths[1], wide)), "picture", "another width, depth or colours")
  bytes <- readBin(b$paths[2], "raw", 1e5)
  noise <- array(withr::with_seed(1, runif(20 * 10 * 3)), c(20, 10, 3))
  cut <- banded(at, noise, 10)
  bytes <- readBin(cut$paths[2], "raw", 1e5)
  writeBin(bytes[seq_len(length(bytes) %/% 2)], cut$paths[2])
  expect_refusal(join(cut$paths), "picture", "cannot be read")
  expect_refusal(join(c(cut$paths[1], file.path(at, "none.png"))), "picture", "cannot be opened")
  writeLines("no picture", cut$paths[1])
  expect_refusal(join(cut$paths), "picture", "cannot be read")
  expect_refusal(join(into = file.path(at, "frame.exr")), "picture", "no bands of exr")
  expect_false(any(file.exists(to, paste0(to, ".part"))))
})
