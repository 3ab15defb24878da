test_that("a slip in the page's question is said before anything is served", {
  withr::local_dir(clockpigeon:::demo_project(file.path(scratch(), "film")))
  expect_match(paste(run_cli("page", "--deadline", "someday", "--engine", "sundew")$said,
                     collapse = " "), "deadline")
  expect_match(paste(run_cli("page", "--rule", "dearest", "--engine", "sundew")$said,
                     collapse = " "), "cheapest")
  expect_match(paste(run_cli("page", "--port", "99999", "--engine", "sundew")$said, collapse = " "),
               "65535")
})

test_that("the question is made with its forecast, in the project's folder wherever the process is", {
  folder <- clockpigeon:::demo_project(file.path(scratch(), "film"))
  o <- list(shots = "gears", engine = "sundew", deadline = "20h", draws = 100L)
  made <- clockpigeon:::page_question(folder, o, character())
  expect_identical(made$asked$deadline_s > 71000, TRUE)
  expect_identical(made$forecast$n, 100L)
})
