test_that("a sequence becomes a film with as many pictures, at the rate, and one of another rate is told of", {
  skip_if(!nzchar(Sys.which("ffmpeg")), "ffmpeg is not here")
  folder <- scene_folder(1:30, height = 45, width = 81)
  paths <- list.files(folder, full.names = TRUE)
  to <- file.path(folder, "it's.mp4")
  film <- make_film(paths, "24", to)
  expect_equal(film$faults, character())
  expect_equal(c(film$frames, film$rate, film$width, film$height), c(30, 24, 82, 46))
  expect_equal(film$seconds, 30 / 24, tolerance = 0.02)
  expect_true(file.exists(to))
  # The same film is not one of 25 a second, nor one of 29 pictures.
  faults <- check_film(to, 29, "25", c(81, 45))$faults
  expect_match(faults, "^frames: 30, and 29", all = FALSE)
  expect_match(faults, "^rate: 24, and 25", all = FALSE)
  expect_refusal(make_film(paths, "24", file.path(folder, "film.nothing")), "film",
                 "could not be made")
})

test_that("a rate is a number or a fraction", {
  expect_equal(film_rate("24000/1001"), 24000 / 1001)
  for (odd in c("fast", "0", "-25", "1/0x")) expect_refusal(film_rate(odd), "number", "film's rate")
})
