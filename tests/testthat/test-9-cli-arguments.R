test_that("options are read with their types and defaults", {
  o <- cli_parse("choose", cli_commands$choose,
                 c("--deadline", "8min", "--draws", "500", "--confidence=0.8"))$options
  expect_identical(o$deadline, "8min")
  expect_identical(o$draws, 500L)
  expect_identical(o$confidence, 0.8)
  expect_identical(o$show, "tradeoff")
  expect_null(o$rule)
  expect_identical(cli_parse("bench", cli_commands$bench, "review")$args, "review")
  expect_refusal(cli_parse("choose", cli_commands$choose, c("--draws", "many")), "usage",
                 "option --draws")
})

test_that("the three formats hold the same rows", {
  x <- clockpigeon:::as_table(data.frame(a = c(1.5, NA), b = c("x", "y,\"z\"")))
  csv <- capture.output(clockpigeon:::cli_emit(x, "csv"))
  expect_equal(read.csv(text = csv), as.data.frame(x))
  expect_identical(csv[3], ",\"y,\"\"z\"\"\"")
  json <- jsonlite::fromJSON(paste(capture.output(clockpigeon:::cli_emit(x, "json")),
                                   collapse = ""))
  expect_equal(json, data.frame(a = c(1.5, NA), b = c("x", "y,\"z\"")))
})
