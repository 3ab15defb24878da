test_that("a clean folder is usable throughout, and a shot of the project says what is to be there", {
  folder <- scene_folder(1:20, name = "gears")
  x <- verify_frames(folder)
  expect_s3_class(x, "cp_verified")
  expect_equal(unique(x$frames$verdict), "usable")
  expect_equal(nrow(x$findings), 0)
  expect_equal(nrow(x$again), 0)
  project <- read_project(demo_file())
  x <- verify_frames(folder, project, quick = TRUE)
  expect_equal(sum(x$frames$verdict == "missing"), 700)
  expect_equal(x$again$frames, "21-720")
  expect_equal(verify_frames(folder, frames = "1-22", quick = TRUE)$again$frames, "21-22")
})

test_that("each kind of damage to files and pictures is found, and its frame is to be rendered again", {
  folder <- scene_folder(1:40)
  at <- function(f) file.path(folder, sprintf("tide-%04d.png", f))
  bytes <- readBin(at(3), "raw", 1e6)
  writeBin(utils::head(bytes, length(bytes) %/% 2), at(3))
  file.create(at(8))
  file.remove(at(12))
  png::writePNG(scene_picture(16)[, , 1], at(16))
  png::writePNG(scene_picture(20, 36, 64), at(20))
  file.copy(at(23), at(24), overwrite = TRUE)
  png::writePNG(array(0, c(72, 128, 3)), at(28))
  file.rename(at(33), file.path(folder, "Tide-0033.png"))
  file.copy(at(36), file.path(folder, "tide-36.png"))
  Sys.setFileTime(list.files(folder, full.names = TRUE), Sys.time() - 60)
  x <- verify_frames(folder)
  verdict <- function(f) x$frames$verdict[x$frames$frame == f]
  expect_equal(vapply(c(3, 8, 12, 16, 20, 24, 28, 33, 36), verdict, ""),
               c("cut off", "empty", "missing", "jump", "size", "frozen", "black", "case",
                 "usable"))
  expect_true(is.na(x$frames$doubts[x$frames$frame == 36]))
  expect_equal(x$findings$frame[x$findings$code == "channels"], 16)
  expect_equal(x$findings$path[x$findings$code == "doubled"], "tide-36.png")
  expect_equal(x$again$frames, "3, 8-28 by 4")
  expect_equal(sum(x$frames$verdict == "usable"), 32)
})

test_that("a file that is being written is said to be, and not to be cut off", {
  folder <- scene_folder(1:10)
  path <- file.path(folder, "tide-0010.png")
  bytes <- readBin(path, "raw", 1e6)
  Sys.setFileTime(list.files(folder, full.names = TRUE), Sys.time() - 60)
  writeBin(utils::head(bytes, length(bytes) %/% 2), path)
  x <- verify_frames(folder)
  expect_equal(x$findings$code, "writing")
  expect_equal(x$frames$verdict[10], "writing")
  # It is not to be rendered again, nor moved away.
  expect_equal(nrow(x$again), 0)
})

test_that("a folder of many other files is read quickly, and one without pictures is refused", {
  folder <- scene_folder(1:4, height = 12, width = 16)
  for (k in 1:300) file.create(file.path(folder, paste0("note", k, ".txt")))
  x <- verify_frames(folder, quick = TRUE)
  expect_equal(x$others, 300)
  expect_equal(nrow(x$frames), 4)
  empty <- withr::local_tempdir()
  expect_refusal(verify_frames(empty), "file", "no numbered pictures")
  expect_refusal(verify_frames(file.path(empty, "none")), "file", "no such folder")
  expect_refusal(verify_frames(folder, frames = -1), "frames", "got")
})

test_that("frames of a job may lie in any folders, and cameras are sequences of their own", {
  files <- data.frame(sequence = c("a/tide", "b/tide", "b/tide", "left/bay", "right/bay"),
                      shot = c("tide", "tide", "tide", "bay", "bay"), frame = c(1, 2, 3, 1, 1))
  expect_equal(joined_sequences(files), c("a/tide", "a/tide", "a/tide", "left/bay", "right/bay"))
})

test_that("cameras that a shot needs are looked for, each with all of its frames", {
  asked <- list(named = TRUE,
                shots = list(tide = list(shot = "tide", frames = 1:3,
                                         needs = list(cameras = c("left", "right")))))
  files <- data.frame(sequence = "tide-left", shot = "tide", frame = 1:3)
  expect_equal(absent_shots(asked, files)$sequence, rep("tide-right", 3))
  expect_equal(nrow(absent_shots(asked, files[0, ])), 3)
  layered <- list(named = TRUE, shots = list(list(shot = "tide", frames = 1:3, layers = 3L)))
  files <- data.frame(sequence = c("tide-bell", "tide-water"), shot = "tide", frame = 1)
  expect_equal(absent_shots(layered, files)$evidence, "2 sequences are there, and 3 are expected")
  expect_null(absent_shots(layered, files[1, ]))
})

test_that("a seam where bands meet is found at less", {
  expect_equal(band_edges(data.frame(piece = c(NA, "rows 1-24", "rows 25-48", "rows 49-72",
                                               "rows 1-24"))), c(24, 48))
  expect_length(band_edges(data.frame(piece = NA_character_)), 0)
  folder <- scene_folder(1:20, bad = 9, noise = 0.004, damage = function(x, f) {
    x[37:72, , ] <- x[37:72, , ] + 0.02
    x
  })
  looks <- look_at_pictures(list.files(folder, full.names = TRUE))
  found <- seam_findings(looks, edges = 36)
  expect_equal(c(found$index, found$top), c(9, 36))
  expect_match(found$evidence, "bands meet there")
  expect_equal(nrow(seam_findings(looks)), 0)
})

test_that("long sequences are looked at in stretches with the same findings", {
  folder <- scene_folder(1:60, bad = c(21, 40), damage = function(x, f) x * 0)
  files <- listed_pictures(folder_request(folder, NULL, NULL))$files
  quiet <- function(...) NULL
  whole <- looked_findings(files, NULL, NULL, 1, quiet)
  expect_equal(looked_findings(files, NULL, NULL, 1, quiet, stretch = 20,
                               beside = 8)[c("frame", "code")],
               whole[c("frame", "code")])
  expect_equal(whole$frame, c(21, 40))
})

test_that("an OpenEXR picture without a channel that its shot needs is not usable", {
  skip_if(!nzchar(Sys.which("ffmpeg")), "ffmpeg is not installed")
  folder <- scratch()
  made <- processx::run("ffmpeg", c("-v", "error", "-f", "lavfi", "-i",
                                    "testsrc=size=32x18:rate=4:duration=1", "-pix_fmt", "gbrpf32le",
                                    file.path(folder, "night-%04d.exr")), error_on_status = FALSE)
  skip_if(made$status != 0, "ffmpeg writes no OpenEXR here")
  expect_setequal(clockpigeon:::exr_channels(file.path(folder, "night-0001.exr")), c("R", "G", "B"))
  files <- data.frame(sequence = "night", shot = "night", frame = 1:4,
                      path = sprintf("night-%04d.exr", 1:4), ending = "exr",
                      at = file.path(folder, sprintf("night-%04d.exr", 1:4)))
  expect_identical(nrow(clockpigeon:::needed_channels(files, "colour")), 0L)
  expect_identical(NROW(clockpigeon:::needed_channels(files, NULL)), 0L)
  found <- clockpigeon:::needed_channels(files, c("colour", "depth"))
  expect_identical(found$code, rep("channels", 4))
  expect_match(found$evidence, "no depth; it has B, G, R", all = TRUE)
  # A header that is cut off tells of no channels.
  bytes <- readBin(files$at[2], "raw", 60)
  writeBin(bytes, files$at[2])
  expect_identical(clockpigeon:::exr_channels(files$at[2]), character())
})
