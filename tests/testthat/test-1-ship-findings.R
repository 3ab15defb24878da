files_of <- function(...) data.frame(path = c(...), bytes = 10, changed = 100, readable = TRUE)
assets_of <- function(...)
  data.frame(path = c(...), kind = "texture", embedded = FALSE, needed = TRUE)
assets <- function(paths, files, root = "/work/film")
  clockpigeon:::asset_findings(assets_of(paths), files_of(files),
    root)

test_that("an asset is missing, elsewhere, absolute, outside, or differs in case, and what to do is said", {
  one <- function(...) assets(...)[c("weight", "what", "instead")]
  expect_null(assets("tex/a.png", "tex/a.png"))
  expect_null(assets("./tex/../tex/a.png", "tex/a.png"))
  expect_null(assets("tex\\a.png", "tex/a.png"))
  expect_match(one("tex/b.png", "tex/a.png")$what, "is missing")
  expect_match(one("tex/a.png", "other/a.png")$instead, "is at other/a.png")
  expect_match(one("tex/A.png", "tex/a.png")$what, "differs only in case from tex/a.png")
  expect_match(one("/work/film/tex/a.png", "tex/a.png")$instead,
               "Write it in the scene as tex/a.png.")
  expect_match(one("/elsewhere/z.png", "tex/a.png")$what, "outside the project folder")
  expect_match(one("../z.png", "tex/a.png")$what, "outside the project folder")
  expect_match(one("C:\\stuff\\a.png", "tex/a.png")$instead, "is at tex/a.png")
  expect_true(all(vapply(c("tex/b.png", "../z.png"), function(p) one(p, "tex/a.png")$weight, "") ==
                  "blocks"))
})

test_that("what is embedded or not needed does not block; what cannot be read does", {
  x <- data.frame(path = c("a", "b", "c"), kind = "texture", embedded = c(TRUE, FALSE, FALSE),
                  needed = c(TRUE, FALSE, TRUE))
  files <- files_of("c")
  files$readable <- FALSE
  found <- clockpigeon:::asset_findings(x, files, "/work")
  expect_identical(found$about, c("b", "c"))
  expect_identical(found$weight, c("informs", "blocks"))
})

test_that("caches must be there, cover the frames, and be younger than the scene", {
  parts <- data.frame(name = c("water", "spray", "film"),
                      kind = c("simulation", "particles", "moving texture"),
                      cache = c("caches/water", "caches/spray", NA), needed = c(TRUE, FALSE, TRUE))
  parts$covers <- list(1:640, NULL, NULL)
  files <- files_of("caches/water/1", "caches/watery/1")
  found <- clockpigeon:::cache_findings(parts, files, 1:780, scene_changed = 200)
  expect_identical(found$weight, c("blocks", "warns", "informs", "blocks"))
  expect_match(found$what[1], "no cache for 641-780")
  expect_match(found$what[2], "before the scene last changed")
  expect_match(found$what[3], "not baked")
  expect_match(found$what[4], "not cached")
  expect_null(clockpigeon:::cache_findings(parts[1, ], files, 1:640, scene_changed = 50))
})

test_that("backups and strays are told apart from what is used", {
  found <- clockpigeon:::stray_findings(files_of("a.png", "a.png~", "b copy.png", "c.bak2",
                                                 "d.png"), "a.png")
  expect_match(found$what[1], "3 files, 30 B: a.png~, b copy.png, c.bak2")
  expect_match(found$what[2], "1 file, 10 B: d.png")
  expect_null(clockpigeon:::stray_findings(files_of("a.png"), "a.png"))
})

test_that("a pre-pass counts inclusively, and only the camera's movement lets frames be left out", {
  pass <- clockpigeon:::prepass_frames
  expect_identical(pass(1:21, "camera", 10L), c(1L, 11L, 21L))
  expect_identical(pass(1:24, "camera", 10L), c(1L, 11L, 21L, 24L))
  expect_identical(pass(5:8, "things", 10L), 5:8)
  expect_identical(pass(5:8, "nothing", 10L), 5L)
})

test_that("outputs need a number wide enough, and a name that no other output has", {
  outputs <- function(...) clockpigeon:::output_findings(...)
  expect_null(outputs("f/a_####.png", 1:720))
  expect_match(outputs("f/a.png", 1:720)$what, "no frame number")
  expect_null(outputs("f/a.png", 1L))
  expect_match(outputs("f/a_##.png", 1:720)$instead, "Write ###.")
  expect_match(outputs(c("f/a_###.png", "f/A_###.png"), 1:720, 2L)$what, "written twice")
  expect_match(outputs("f/a_###.png", 1:720, 1L, c(basin = "F/a_###.png"))$what,
               "also written by the shot basin")
  expect_match(outputs(c("f/a_###.png", "f/b_####.png"), 1:720, 2L)$what, "different widths")
  expect_match(outputs("f/a_###.png", 1:720, 3L)$what, "fewer than the 3 pictures")
})

test_that("sizes are held against caps, disk and what the shot states", {
  sizes <- function(...) clockpigeon:::size_findings(...)
  expect_null(sizes(1e9, 2e9, "s", 1e9, 5e9))
  expect_match(sizes(3e9, 2e9, "s", 0, NA)$what, "takes at most 2 GB, the shot is 3 GB")
  expect_identical(sizes(1, NULL, NULL, 6e9, 5e9)$weight, "blocks")
  expect_identical(sizes(1, NULL, NULL, 4.5e9, 5e9)$weight, "warns")
  expect_match(sizes(1e9, NULL, NULL, 0, NA, 2e9)$what, "the shot states 2 GB")
})

test_that("a name used before blocks, also in another case, and the next one is safe", {
  name <- clockpigeon:::next_name
  expect_identical(name("film", "film"), "film-2")
  expect_identical(name("film-2", c("film-2", "Film-3")), "film-4")
  expect_identical(name("film_09", "film_09"), "film_10")
  expect_identical(name("film7", "film7"), "film8")
  expect_null(clockpigeon:::name_findings("film", "other"))
  expect_null(clockpigeon:::name_findings(NULL, "other"))
  expect_match(clockpigeon:::name_findings("Film", "film")$what, "only in case from film")
  expect_match(clockpigeon:::name_findings("film", "film")$instead, "film-2")
})

test_that("what was asked, what the scene says and what a frame says are held side by side", {
  snap <- clockpigeon:::snapshot_findings
  asked <- list(size = c(1920, 1080), samples = 512L)
  expect_null(snap(asked, list(size = c(1920, 1080)), list(samples = 512)))
  x <- snap(asked, list(samples = 256L), list(size = c(960, 540)))
  expect_identical(x$about, c("size", "samples"))
  expect_match(x$what[1], "the shot asks 1920 x 1080, the finished frame says 960 x 540")
})

test_that("10,000 assets are checked, each against what is there", {
  paths <- sprintf("textures/%d/%05d.png", 1:10000 %% 97, 1:10000)
  found <- assets(c(paths, toupper(paths[1:5]), "gone.png"), paths)
  expect_identical(nrow(found), 6L)
})
