test_that("frames are held against a reference, and one of another size is a doubt", {
  folder <- scene_folder(1:8, bad = 5, damage = function(x, f) {
    x[20:50, 30:70, ] <- x[20:50, 30:70, ] * 0.93
    x
  })
  right <- scene_folder(c(2, 5, 7), seed = 77)
  png::writePNG(scene_picture(7, 36, 64), file.path(right, "tide-0007.png"))
  found <- found_in(folder, reference = right)
  expect_equal(found$frame[found$code == "unlike"], 5)
  expect_match(found$evidence[found$code == "unlike"], "rows ")
  expect_equal(found$frame[found$code == "reference"], 7)
  expect_equal(found$weight[found$code == "reference"], "doubt")
  expect_refusal(verify_frames(folder, reference = file.path(right, "none")), "file", "no such")
})

test_that("what trials of a job's shots left with the same settings is a reference, other jobs' frames are none", {
  ledger <- open_ledger(":memory:")
  withr::defer(close_ledger(ledger))
  folder <- scene_folder(1:3)
  paths <- list.files(folder, full.names = TRUE)
  rows <- data.frame(shot = "tide", scene = "tide", frame = 1:3, engine = "pebble",
                     engine_version = c("1.1", "1.1", "1.0"), limit_kind = "samples",
                     limit_value = 8, width = 128, height = 72, activity = "render", wall_s = 1,
                     status = "ok", kind = "measured", output = paths, job = c(NA, "other", NA))
  add_timings(ledger, rows)
  asked <- list(job = "night", engine = "pebble", version = "1.1", shots = list(
    list(shot = "tide", size = c(128L, 72L), limit = list(samples = 8))
  ))
  found <- trial_references(asked, ledger)
  expect_equal(found$frame, 1)
  expect_equal(found$at, paths[1])
  expect_null(trial_references(utils::modifyList(asked, list(version = "2.0")), ledger))
})

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
