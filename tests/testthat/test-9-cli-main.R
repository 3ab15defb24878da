test_that("version and help are on standard output, with status 0", {
  for (args in list("--version", "help", character(), "--help", c("help", "choose"),
                    c("compare", "--help"))) {
    ran <- run_command_line(args)
    expect_identical(ran$status, 0L)
    expect_identical(ran$stderr, "")
  }
  expect_match(run_command_line("--version")$stdout, "^clockpigeon [0-9.]+\n$")
  text <- run_command_line("help")$stdout
  for (command in names(clockpigeon:::cli_commands))
    expect_match(text, paste0("\n  ", command, " "), fixed = TRUE)
  # Each command belongs to one stage.
  listed <- unlist(clockpigeon:::help_stages, use.names = FALSE)
  expect_setequal(listed, names(clockpigeon:::cli_commands))
  expect_identical(anyDuplicated(listed), 0L)
  for (stage in names(clockpigeon:::help_stages)) expect_match(text, paste0("\n", stage, "\n"))
})

test_that("every option of every command is in its help", {
  for (command in setdiff(names(cli_commands), "help")) {
    text <- paste(capture.output(cli(c("help", command))), collapse = "\n")
    for (o in cli_commands[[command]]$options) expect_match(text, o$flag, fixed = TRUE)
  }
})

test_that("bad usage ends with status 2 and one line that says what to write", {
  cases <- list(list("chose", "Did you mean choose?"),
                list(c("compare", "--bye", "x"), "Did you mean --by?"),
                list(c("compare", "--eng", "x"), "no option --eng"),
                list(c("compare", "--quite"), "help compare"),
                list(c("help", "nothing"), "no command"),
                list(c("compare", "--format", "xml"), "table, csv or json"),
                list(c("compare", "extra"), "compare"), list("compare", "no clockpigeon.yaml"))
  for (case in cases) {
    ran <- run_command_line(case[[1]], wd = scratch())
    expect_identical(ran$status, 2L)
    expect_identical(ran$stdout, "")
    expect_match(ran$stderr, case[[2]], fixed = TRUE)
    expect_length(strsplit(trimws(ran$stderr), "\n")[[1]], 1)
  }
})
