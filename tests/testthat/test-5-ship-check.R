project <- read_project(demo_file())
check <- function(name, ...) {
  check_shot(project$shots[[name]], manifest = project$manifests[[name]], folder = project$root,
             used = c("gears-final", "basin-test"),
             others = project$manifests[setdiff(names(project$manifests), name)], ...)
}

test_that("the demo's missing asset, unbaked simulation and reused name are found", {
  gears <- check("gears")
  blocks <- gears[gears$weight == "blocks", ]
  expect_setequal(blocks$about, c("textures/engraving.png", "job Gears-Final"))
  expect_match(blocks$instead[blocks$about == "job Gears-Final"], "Gears-Final-2")
  basin <- check("basin")
  expect_match(basin$what[basin$about == "particles spray"], "is not baked")
  expect_match(basin$what[basin$about == "simulation water"], "no cache for 641-780")
  expect_match(check("gallery")$what, "differs only in case from assets/textures/floor.png",
               all = FALSE)
  expect_identical(gears$weight,
                   as.character(sort(factor(gears$weight, c("blocks", "warns", "informs")))))
})

test_that("a shot's own outputs, a site's cap and a frame that says otherwise are held against it", {
  site <- project$sites$undertow
  site$can$upload_cap <- 50
  x <- check("gears", site = site)
  expect_match(x$what[x$about == "undertow"], "takes at most 50 B")
  frame <- file.path(scratch(), "f.png")
  png::writePNG(array(0.5, c(9, 16, 3)), frame, text = c(samples = "64"))
  said <- check("gears", against = frame)
  expect_match(said$what[said$about == "size"],
               "the shot asks 1920 x 1080, the scene says 1920 x 1080, the finished frame says 16 x 9")
  expect_match(said$what[said$about == "samples"], "the finished frame says 64")
  none <- check_shot(project$shots$gears, folder = project$root)
  expect_match(none$what, "has no manifest", all = FALSE)
})

test_that("disk, folders and names on it that are not there are findings or errors of ours", {
  large <- project$shots$gears
  large$frame_size <- 1e15
  expect_match(check_shot(large, folder = project$root)$about, "disk", all = FALSE)
  expect_refusal(check_shot(large, folder = "/no/such"), "file", "no such folder")
  expect_refusal(check_shot(list()), "type", "read_shot")
  away <- project$manifests$gears
  away$folder <- "nowhere"
  expect_match(check_shot(project$shots$gears, manifest = away, folder = project$root)$what,
               "is no folder",
               all = FALSE)
})

test_that("the size of frames to come is that of the pictures that were kept", {
  shot <- small_shot()
  kept <- write_file(scratch(), "f.png", strrep("x", 999))
  rows <- as.data.frame(some_timings(c(1, 1), frame = 1:2))
  rows$scene <- shot$scene
  rows$width <- shot$size[["width"]]
  rows$height <- shot$size[["height"]]
  rows$limit_kind <- "samples"
  rows$limit_value <- shot$limit$samples
  rows$output <- c(kept, "gone.png")
  expect_identical(clockpigeon:::measured_frame_bytes(rows, shot), 1000)
  expect_null(clockpigeon:::measured_frame_bytes(rows[2, ], shot))
})

test_that("a file whose name is not UTF-8 is a finding, and so is a link that leads back", {
  folder <- scratch()
  write_file(folder, "film/s.scene", "x")
  odd <- paste0(folder, "/film/caf", rawToChar(as.raw(0xe9)), ".png")
  skip_if_not(suppressWarnings(file.create(odd)), "this file system takes UTF-8 names only")
  file.symlink("..", file.path(folder, "film", "up"))
  manifest <- read_manifest(write_file(folder, "s.yaml", "shot: s", "scene: s.scene",
                                       "folder: film"))
  found <- check_shot(small_shot(), manifest = manifest, folder = folder)
  expect_match(found$about[found$weight == "blocks"], "caf<e9>.png", fixed = TRUE)
  expect_match(found$what[found$weight == "blocks"], "not UTF-8")
  expect_match(found$what[found$about == "up"], "a folder outside")
})
