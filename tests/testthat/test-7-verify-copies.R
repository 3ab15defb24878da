folder_of <- function(frames, env = parent.frame()) {
  folder <- scratch(env)
  scene <- scene_folder(frames)
  dir.create(file.path(folder, "frames"))
  file.copy(list.files(scene, full.names = TRUE), file.path(folder, "frames"))
  folder
}
pictures_in <- function(folder) list.files(file.path(folder, "frames"), full.names = TRUE)

test_that("copies in a second folder or under another name are copies, and every frame is complete", {
  folder <- folder_of(1:20)
  dir.create(file.path(folder, "second"))
  file.copy(pictures_in(folder)[3:7], file.path(folder, "second"))
  prefixed <- pictures_in(folder)[9]
  file.copy(prefixed, file.path(folder, "frames", paste0("copy of ", basename(prefixed))))
  x <- verify_frames(folder, threads = 1)
  expect_identical(nrow(x$frames), 20L)
  expect_true(all(x$frames$verdict == "usable"))
  expect_identical(nrow(x$again), 0L)
  copies <- as.data.frame(x$findings[x$findings$code == "copy", ])
  expect_setequal(copies$frame, c(3:7, 9))
  expect_match(copies$evidence, "^the same picture as frames/")
})

test_that("a copy with another content says so, and one fills a gap or an empty picture", {
  folder <- folder_of(1:12)
  dir.create(file.path(folder, "second"))
  files <- pictures_in(folder)
  file.copy(files[2:9], file.path(folder, "second"))
  png::writePNG(array(0.4, c(60, 80, 3)), file.path(folder, "second", basename(files[2])))
  unlink(files[5])
  file.create(files[6])
  asked <- list(named = TRUE, folders = folder,
                shots = list(s = list(shot = "s", frames = 1:12, needs = list())))
  found <- clockpigeon:::split_copies(clockpigeon:::listed_pictures(asked)$files, asked)
  expect_setequal(found$files$frame, 1:12)
  expect_length(unique(found$files$sequence), 1)
  expect_true(all(found$files$size > 0))
  evidence <- found$findings$evidence[match(c(2, 3), found$findings$frame)]
  expect_match(evidence[1], "^another picture than ")
  expect_match(evidence[2], "^the same picture as ")
})

test_that("two cameras of a shot, and two layers of a folder, are no copies of each other", {
  folder <- folder_of(1:9)
  dir.create(file.path(folder, "depth"))
  for (k in 1:6)
    png::writePNG(matrix(k / 9, 60, 80), file.path(folder, "depth", sprintf("depth-%04d.png", k)))
  x <- verify_frames(folder, frames = 1:9, threads = 1)
  expect_false("copy" %in% x$findings$code)
  expect_identical(sum(x$frames$verdict == "missing"), 3L)
  asked <- list(named = TRUE,
                shots = list(s = list(shot = "s", frames = 1:2,
                                      needs = list(cameras = c("wide", "close")))))
  files <- data.frame(path = c("wide/1.png", "wide/2.png", "close/1.png"),
                      sequence = c("wide/", "wide/", "close/"),
                      shot = "s", frame = c(1L, 2L, 1L), size = c(10, 11, 12), at = "", stem = "")
  expect_null(clockpigeon:::split_copies(files, asked)$findings)
})
