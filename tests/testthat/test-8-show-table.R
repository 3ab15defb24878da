test_that("numbers are flush right, unknown is said, and narrow terminals lose spare columns aloud", {
  x <- data.frame(name = c("a", "bbb"), time = c("1.5s", NA), note = c("some words here", ""))
  lines <- clockpigeon:::text_table(x, right = "time", spare = "note", width = 80)
  expect_identical(lines, c("name     time  note", "------------------------------",
                            "a        1.5s  some words here", "bbb   unknown"))
  narrow <- clockpigeon:::text_table(x, right = "time", spare = "note", width = 20)
  expect_identical(paste(trimws(narrow[-(1:4)]), collapse = " "),
                   "(hidden at this width: note; --format csv has all)")
  expect_true(all(nchar(narrow) <= 20))
  # Unmet requirements at all is stacked.
  stacked <- clockpigeon:::text_table(x[1:2], width = 10, mark = 2)
  expect_identical(cli::ansi_strip(stacked), c("a", "  time: 1.5s", "bbb", "  time: unknown"))
})

test_that("columns stand under a heading they share, which is never wider than they are", {
  x <- data.frame(name = "a", "time|old" = "12s", "time|new" = "9s", "a long heading|x" = "1",
                  check.names = FALSE)
  lines <- clockpigeon:::text_table(x, right = names(x)[-1], width = 80)
  expect_identical(lines, c("      - time -  a long heading", "name  old  new               x",
                            strrep("-", 30), "a     12s   9s               1"))
  narrow <- clockpigeon:::text_table(x, right = names(x)[-1],
                                     spare = c("time|new", "a long heading|x"), width = 10)
  expect_identical(narrow[1:2], c("      time", "name   old"))
  expect_match(paste(trimws(narrow[-(1:4)]), collapse = " "),
               "time new, a long heading x; --format", fixed = TRUE)
})

test_that("a number is never parted from its unit", {
  lines <- clockpigeon:::wrap_lines(paste(rep("a chance of 90 % for 0.35 EUR", 20), collapse = " "),
                                    width = 41)
  expect_false(any(grepl("[0-9]$|^ *(%|EUR)", lines)))
})

test_that("ranges and numbers with something unknown say so", {
  expect_identical(clockpigeon:::range_text(c(1, NA), c(2, 3)), c("1.00 to 2.00", "unknown"))
  expect_identical(clockpigeon:::number_text(NA), "unknown")
})

test_that("NO_COLOR and a width of one's own are respected", {
  withr::local_envvar(COLUMNS = "61")
  expect_identical(clockpigeon:::terminal_width(), 61L)
  withr::local_options(cli.num_colors = 1L)
  expect_false(any(grepl("\033", clockpigeon:::text_table(data.frame(a = "x"), mark = 1),
                         fixed = TRUE)))
})

test_that("a label without a text stands alone, and a command keeps its own line", {
  expect_identical(clockpigeon:::labelled_lines("attic", "", 10, 80), "attic")
  expect_identical(clockpigeon:::labelled_lines("Do now", "Stop.\n  clockpigeon stop a", 10, 80),
                   c("Do now    Stop.", "            clockpigeon stop a"))
})
