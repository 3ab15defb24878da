# Help as users read it: examples that work, options in groups, and every line in 80 columns.
commands <- clockpigeon:::cli_commands
examples <- clockpigeon:::help_examples
words_of <- function(example) scan(text = example, what = "", quiet = TRUE, quote = "'\"")

test_that("examples use options that exist", {
  expect_setequal(names(examples), setdiff(names(commands), "help"))
  for (example in unlist(examples, use.names = FALSE)) {
    words <- words_of(example)
    expect_no_error(clockpigeon:::cli_parse(words[1], commands[[words[1]]], words[-1]))
  }
})

test_that("examples that only read run in the demo project", {
  withr::local_dir(local_project())
  reads <- c("engine list", "check gears --site quayside", "bench review --dry-run",
             "compare --by device --engine sundew", "import sample-timings.csv --dry-run",
             "sites saltmill", "bill basin-highgarret --to EUR", "jobs gears-final", "learned")
  expect_identical(setdiff(reads, unlist(examples)), character())
  for (example in reads) {
    capture.output(status <- cli(words_of(example)), type = "message") |> capture.output()
    expect_true(status %in% c(0L, 3L), label = example)
  }
})

test_that("options are in groups, each once, in 80 columns", {
  withr::local_envvar(COLUMNS = 80)
  for (command in setdiff(names(commands), "help")) {
    text <- capture.output(cli(c("help", command)))
    expect_true(all(nchar(text) <= 80 | startsWith(text, "  clockpigeon ") |
                    command == "engine"), label = command)
    expect_no_match(text, "\t", fixed = TRUE)
    flags <- vapply(commands[[command]]$options, `[[`, "", "flag")
    shown <- sub("^  (--[a-z-]+).*", "\\1", grep("^  --", text, value = TRUE))
    expect_setequal(shown, flags)
    expect_identical(anyDuplicated(shown), 0L)
  }
  choose <- capture.output(cli(c("help", "choose")))
  expect_identical(grep("^[A-Z][a-z]+$", choose, value = TRUE),
                   c("Examples", "Question", "Job", "Action", "Output", "More"))
})
