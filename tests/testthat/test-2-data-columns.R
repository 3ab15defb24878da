test_that("separators, encodings and decimal commas are told from the file", {
  folder <- scratch()
  write <- function(text, encoding = "UTF-8", mark = raw()) {
    path <- tempfile(tmpdir = folder)
    writeBin(c(mark, iconv(text, "UTF-8", encoding, toRaw = TRUE)[[1]]), path)
    path
  }
  text <- "Bild;Zeit in s;K\u00fcnstler\n1;80,5;J\u00f6rg\n2;;Ada\n"
  for (path in c(write(text), write(text, "latin1"), write(text, "UTF-16LE", as.raw(c(0xff, 0xfe))),
                 write(gsub(";", "\t", text)), write(text, mark = as.raw(c(0xef, 0xbb, 0xbf))))) {
    x <- clockpigeon:::read_foreign_csv(path)
    expect_identical(names(x), c("Bild", "Zeit in s", "K\u00fcnstler"))
    expect_identical(x[[3]], c("J\u00f6rg", "Ada"))
    expect_true(x[[2]][1] %in% c("80.5", "80,5") && is.na(x[[2]][2]))
  }
  expect_refusal(clockpigeon:::read_foreign_csv(write("only words here\n")), "import", "one column")
  expect_refusal(clockpigeon:::read_foreign_csv(write("a,b\n1,2,3,4\n5,6\n")), "import")
  expect_refusal(clockpigeon:::read_foreign_csv(write("")), "import", "empty")
  binary <- tempfile(tmpdir = folder)
  writeBin(as.raw(c(1, 0, 2, 0, 3)), binary)
  expect_refusal(clockpigeon:::read_foreign_csv(binary), "import", "binary")
})

test_that("columns are mapped, and durations become seconds", {
  x <- data.frame(Nr = c("1", "2", "3"), T = c("1m20s", "95", NA), frame = "9", check.names = FALSE)
  out <- clockpigeon:::map_columns(x, c(run_order = "Nr", wall_s = "T"), "a file")$rows
  expect_identical(out$wall_s, c(80, 95, NA))
  expect_named(out, c("run_order", "wall_s", "frame"))
  expect_refusal(clockpigeon:::map_columns(x, c(wall_s = "Zeit"), "a file"), "import",
                 c("Zeit", "Nr, T, frame"))
  expect_refusal(clockpigeon:::map_columns(x, c(wal_s = "T"), "a file"), "choice", "wall_s")
  found <- clockpigeon:::map_columns(data.frame(a = c("1.5", "2"), b = c("1m", "3"), z = 1),
                                     c(wall_s = "a + b * 2"), "x")
  expect_identical(found$rows$wall_s, c(121.5, 8))
  expect_identical(found$used, c(wall_s = "a + b * 2"))
  expect_identical(found$ignored, "z")
  x$T[2] <- "8.20 or so"
  expect_refusal(clockpigeon:::map_columns(x, c(wall_s = "T"), "a file"), "duration", "line 3")
})

test_that("JSON records are a table", {
  path <- write_file(scratch(), "x.json",
                     '[{"frame": 1, "time": {"s": 2.5}}, {"frame": 2, "time": {"s": 3}}]')
  expect_identical(clockpigeon:::read_foreign_json(path),
                   data.frame(frame = c("1", "2"), time.s = c("2.5", "3")))
  expect_refusal(clockpigeon:::read_foreign_json(write_file(scratch(), "x.json", "{")), "import",
                 "no JSON")
  expect_refusal(clockpigeon:::read_foreign_json(write_file(scratch(), "x.json", "[1, 2]")),
                 "import",
                 "list of records")
})

test_that("a large table is read as a small one is", {
  skip_if_not_installed("data.table")
  path <- write_file(scratch(), "big.csv", "Bild,Zeit,engine_version,note",
                     paste0(seq_len(1e5), ",", c("80.5", "1m20s", ""), ",4.10,",
                            c("J\u00f6rg", "a, b", "")[1]))
  map <- c(frame = "Bild", wall_s = "Zeit")
  large <- clockpigeon:::map_columns(clockpigeon:::read_large_csv(path, map), map, "x")$rows
  small <- utils::read.csv(path, colClasses = "character", na.strings = "", encoding = "UTF-8")
  small <- clockpigeon:::map_columns(small, map, "x")$rows
  expect_equal(as.numeric(large$frame), as.numeric(small$frame))
  expect_equal(large$wall_s, small$wall_s)
  expect_identical(large$engine_version[1], "4.10")
  expect_null(clockpigeon:::read_large_csv(write_file(scratch(), "x.csv", "a;b", "1;2"), NULL))
  # A flag is one as long as it holds these words alone; a number among them is said, as in a small
  # table.
  flags <- function(...) {
    path <- write_file(scratch(), "f.csv", "warm,frame", paste0(c(...), ",1"))
    clockpigeon:::read_large_csv(path, NULL)$warm
  }
  expect_identical(flags(rep("TRUE", 200), "FALSE"), c(rep(TRUE, 200), FALSE))
  expect_identical(flags(rep("TRUE", 200), "1"), c(rep("TRUE", 200), "1"))
  expect_identical(flags(rep("TRUE", 2000), "perhaps"), c(rep("TRUE", 2000), "perhaps"))
})
