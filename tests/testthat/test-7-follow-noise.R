test_that("frames above the noise that was asked for are a doubt, with their noise and its error", {
  still <- function(x, f) {
    withr::with_seed(f, array(0.5, dim(x)) + stats::rnorm(length(x), sd = 0.03))
  }
  folder <- scene_folder(1:10, bad = 1:10, damage = still, name = "tide")
  files <- listed_pictures(folder_request(folder, NULL, NULL))$files
  files$shot <- "tide"
  asked <- function(noise)
    list(shots = list(tide = list(shot = "tide", limit = list(noise = noise), cuts = 6L)))
  none <- file_finding(files[0, ], "", "", "", "")
  # In linear light 0.03 of a display's 0.5 is 0.03 * f'(0.5) / f(0.5) of the brightness.
  slope <- (linear_light(0.501) - linear_light(0.499)) / 0.002
  true <- 0.03 * slope / linear_light(0.5)
  expect_null(noise_findings(files, none, asked(1.05 * true)))
  found <- noise_findings(files, none, asked(0.7 * true))
  expect_equal(unique(found$code), "above")
  expect_equal(unique(found$weight), "doubt")
  said <- as.numeric(sub("its noise is ([0-9.]+) %.*", "\\1", found$evidence)) / 100
  expect_true(all(abs(said / true - 1) < 0.1))
  expect_null(noise_findings(files, none,
                             list(shots = list(tide = list(shot = "tide",
                                                           limit = list(samples = 4))))))
})
