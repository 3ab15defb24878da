listed <- function(paths, size = 100, time = seq_along(paths)) {
  cbind(picture_names(paths), size = size, time = time)
}

test_that("a name tells its sequence, frame and digits", {
  x <- picture_names(c("gears/gears-0012.png", "a/b_v2.0007.PNG", "notes.txt", "frame.png",
                       "x12/7.exr"))
  expect_equal(x$frame, c(12, 7, 7))
  expect_equal(x$sequence, c("gears/gears", "a/b_v2", "x12/"))
  expect_equal(x$digits, c(4, 4, 1))
})

test_that("missing, doubled, extra, empty and oddly named files are told apart", {
  paths <- c(sprintf("tide-%04d.png", c(1:5, 7:12)), "tide-9.png", "Tide-0013.png", "tide-0099.png",
             "tide-15.png")
  files <- listed(paths, size = ifelse(grepl("0004", paths), 0, 100), time = 1)
  found <- name_findings_of(files, 1:16)
  of <- function(code) sort(found$frame[found$code == code])
  expect_equal(of("missing"), c(6, 14, 16))
  expect_equal(of("empty"), 4)
  expect_equal(of("doubled"), 9)
  expect_equal(found$path[found$code == "doubled"], "tide-9.png")
  expect_equal(of("case"), 13)
  expect_equal(of("padding"), 15)
  expect_equal(of("extra"), 99)
  expect_equal(nrow(found), 8)
  # Without a set that is expected, holes between the first and the last are missing, by the usual
  # step.
  every <- listed(sprintf("tide-%04d.png", c(10, 20, 40, 50)))
  expect_equal(name_findings_of(every)$frame, 30)
  # Frames that need more digits have no wrong number of them.
  expect_equal(nrow(name_findings_of(listed(sprintf("t-%03d.png", 998:1002)))), 0)
})

test_that("what was written before the job or long after its followers is told of", {
  paths <- sprintf("tide-%04d.png", 1:40)
  time <- 1e6 + 10 * (1:40) + rep(c(0, 25), 20)
  expect_equal(nrow(name_findings_of(listed(paths, time = time), since = 1e6)), 0)
  time[7] <- 1e6 + 9000
  time[20] <- 1e6 - 86400
  found <- name_findings_of(listed(paths, time = time), since = 1e6)
  expect_equal(found$code, c("old", "late"))
  expect_equal(found$frame, c(20, 7))
  expect_match(found$evidence[2], "2h28m")
})

test_that("size, depth, channels and colours are held against what was asked, or what most have", {
  files <- listed(sprintf("tide-%04d.png", 1:5))
  facts <- data.frame(width = c(64, 64, 32, 64, 64), height = 36, depth = c(8, 8, 8, 16, 8),
                      channels = c(3, 4, 3, 3, 3), space = c(1, 1, 1, 1, 45455))
  found <- kind_findings(files, facts)
  expect_equal(found$code, c("size", "depth", "channels", "colours"))
  expect_equal(found$frame, c(3, 4, 2, 5))
  expect_equal(found$evidence[c(1, 4)],
               c("32x36; most have 64x36", "gamma 0.45455; most have sRGB"))
  expect_equal(kind_findings(files, facts, c(32, 36))$evidence[1], "64x36; asked for was 32x36")
})

test_that("channels that are needed are found by what they are called", {
  lacking <- clockpigeon:::lacking_channels
  expect_identical(lacking(c("colour", "depth"), c("A", "B", "G", "R", "Z")), character())
  expect_identical(lacking(c("colour", "depth", "alpha"), c("B", "G", "R")), c("depth", "alpha"))
  expect_identical(lacking(c("normal", "colour"),
                           c("normal.X", "normal.Y", "main.R", "main.G", "main.B")), character())
  expect_identical(lacking(c("Normal", "albedo"), c("normal.X", "R")), "albedo")
  expect_identical(lacking(character(), "R"), character())
})
