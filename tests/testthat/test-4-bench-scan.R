povray <- read_engine(system.file("engines", "povray.yaml", package = "clockpigeon"))

test_that("a scene's files are found through its includes, comments and shipped files left out", {
  folder <- scratch()
  write_file(folder, "scenes/s.pov", '#include "colors.inc"', '#include "parts/cogs.inc"',
             '// #include "old.inc"', '/* image_map { png "older.png" }',
             '*/ height_field { png "../maps/hill.png" }', 'text { ttf "sign.ttf" "A" 1, 0 }')
  write_file(folder, "scenes/parts/cogs.inc", '#include "cogs.inc"',
             'image_map { jpeg "brass.jpg" }', 'density_file df3 "fog.df3"')
  for (name in c("maps/hill.png", "scenes/parts/brass.jpg")) write_file(folder, name, "x")
  x <- scan_scene(file.path(folder, "scenes/s.pov"), povray, folder)
  expect_identical(x$path[1], "scenes/s.pov")
  expect_setequal(paste(x$kind, x$path), c("scene scenes/s.pov", "include scenes/parts/cogs.inc",
                                           "texture maps/hill.png",
                                           "texture scenes/parts/brass.jpg", "font sign.ttf",
                                           "volume fog.df3"))
  # It reads back as a manifest, and the check finds what is not there.
  file <- file.path(folder, "s.csv")
  write.csv(x, file, row.names = FALSE)
  found <- check_shot(small_shot(), manifest = read_manifest(file), folder = folder)
  expect_setequal(found$about[found$weight == "blocks"], c("sign.ttf", "fog.df3"))
})

test_that("the scenes that the bench renders name no files of their own", {
  scenes <- list.files(test_path("../../bench/shots"), "\\.pov$", full.names = TRUE)
  skip_if(!length(scenes), "the sources are not at hand")
  for (scene in scenes) expect_identical(nrow(scan_scene(scene, povray)), 1L)
})

test_that("an engine that cannot be scanned and a scene that is not there are refused", {
  expect_refusal(scan_scene("x.scene", modifyList(povray, list(scan = NULL))), "scan",
                 "says nothing of files")
  expect_refusal(scan_scene("no.pov", povray), "file", "no such scene")
  bytes <- file.path(scratch(), "odd.pov")
  writeBin(c(as.raw(c(0xe9, 0xff)), charToRaw('\n#include "a.inc"\n')), bytes)
  expect_identical(scan_scene(bytes, povray)$path[2], "a.inc")
})
