test_that("the launcher goes where it is told, and nowhere it cannot", {
  folder <- file.path(scratch(), "new", "bin")
  path <- install_launcher(folder)
  expect_identical(file.access(path, 1)[[1]], 0L)
  expect_refusal(install_launcher(write_file(scratch(), "file", "x")), "file", "no such folder")
  windows <- install_launcher(scratch(), windows = TRUE)
  expect_match(basename(windows), "clockpigeon.cmd", fixed = TRUE)
  text <- readChar(windows, 1e4)
  expect_match(text, "clockpigeon::cli()", fixed = TRUE)
  expect_false(grepl("@", sub("@echo", "", text)))
  expect_identical(lengths(gregexpr("\r\n", text)), lengths(gregexpr("\n", text)))
})

sh <- function(script, folder) {
  processx::run("/bin/sh", c("-c", script, clockpigeon_command()), wd = folder,
                error_on_status = FALSE, timeout = 120)
}

test_that("output that does not arrive is status 1 with a word, and a reader that has gone is nobody's trouble", {
  folder <- local_project(sample = FALSE)
  skip_if_not(file.exists("/dev/full"))
  full <- sh("\"$0\" sites > /dev/full", folder)
  expect_identical(full$status, 1L)
  expect_identical(full$stderr, "clockpigeon: the output could not be written: no space is left\n")
  closed <- sh("\"$0\" sites >&-", folder)
  expect_identical(closed$status, 1L)
  expect_match(closed$stderr, "it is closed")
  gone <- sh("\"$0\" sites --format csv | head -1; \"$0\" help | true", folder)
  expect_identical(gone$stderr, "")
  expect_match(gone$stdout, "^\"site\"")
  expect_match(sh("\"$0\" sites --format csv > out.csv; wc -l < out.csv", folder)$stdout, "12")
})

test_that("what no command can work with is status 2, before anything is read", {
  folder <- local_project(sample = FALSE)
  for (case in list(list(c("choose", "--seed", "1.5"), "whole number"),
                    list(c("choose", "--draws", "many"), "option --draws"),
                    list(c("choose", "--show", "0"), "tradeoff"),
                    list(c("probe", "--first=-1"), "option --first"),
                    list(c("compare", "--smallest", "x"), "Write a number"),
                    list(c("bench", "--frames", ""), "empty"))) {
    ran <- run_command_line(case[[1]], wd = folder)
    expect_identical(ran$status, 2L, info = paste(case[[1]], collapse = " "))
    expect_match(ran$stderr, case[[2]], info = paste(case[[1]], collapse = " "))
    expect_identical(length(strsplit(ran$stderr, "\n")[[1]]), 1L)
  }
  zone <- run_command_line("sites", wd = folder, env = c(TZ = "No/Where"))
  expect_identical(zone$status, 2L)
  expect_match(zone$stderr, "environment variable TZ")
  expect_identical(run_command_line("sites", wd = folder, env = c(TZ = "CET-1CEST"))$status, 0L)
  odd <- sh("\"$0\" \"$(printf 'si\\377tes')\"", folder)
  expect_identical(odd$status, 2L)
  expect_match(odd$stderr, "UTF-8")
})

test_that("every command keeps to a terminal of 40 columns", {
  folder <- local_project()
  for (args in list("sites", c("sites", "saltmill"), "jobs",
                    c("compare", "--engine", "sundew", "--by", "device"),
                    c("bill", "gears-saltmill"), c("check", "basin", "--engine", "sundew"),
                    c("bench", "--dry-run"),
                    c("forecast", "--engine", "sundew", "--shots", "gears", "--draws", "50"),
                    c("engine", "list"),
                    c("choose", "--engine", "sundew", "--shots", "gears", "--draws", "50",
                      "--deadline", "40h"))) {
    ran <- run_command_line(args, wd = folder, env = c(COLUMNS = "40", NO_COLOR = "1"))
    lines <- strsplit(ran$stdout, "\n")[[1]]
    wide <- lines[nchar(lines, "width") > 40]
    expect_identical(wide, character(), info = paste(args, collapse = " "))
  }
})

test_that("an error of a child or of another package is one line of ours", {
  said <- conditionMessage(clockpigeon:::plain_error(simpleError(paste0("first\n  second\r",
                                                                        strrep("x", 500)))))
  expect_false(grepl("\n", said))
  expect_lte(nchar(said), 300)
})
