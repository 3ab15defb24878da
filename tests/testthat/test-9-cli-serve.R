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

test_that("a clock that runs faster is read as it is written", {
  withr::local_envvar(CLOCKPIGEON_NOW = NA)
  begun <- Sys.time()
  text <- clockpigeon:::running_moment(as.numeric(as.POSIXct("2027-06-01 12:00", tz = "UTC")), 60)
  expect_match(text, "^2027-06-01T12:00:00.000Z x60 since ")
  withr::local_envvar(CLOCKPIGEON_NOW = text)
  first <- clockpigeon:::this_moment()
  passed <- as.numeric(Sys.time()) - as.numeric(begun)
  expect_lt(as.numeric(first) - as.numeric(as.POSIXct("2027-06-01 12:00", tz = "UTC")),
            60 * passed + 1)
  expect_gte(as.numeric(clockpigeon:::this_moment()), as.numeric(first))
  for (odd in c("2027-06-01T12:00:00Z x60", "2027-06-01T12:00:00Z x60 since now",
                "x60 since 2027-06-01T12:00:00Z")) {
    withr::local_envvar(CLOCKPIGEON_NOW = odd)
    expect_refusal(clockpigeon:::this_moment(), "type", "CLOCKPIGEON_NOW")
  }
})

test_that("what cannot be served is refused before anything is", {
  withr::local_dir(local_project())
  refused <- function(..., says) {
    said <- capture.output(status <- cli(c("standin", ...)), type = "message")
    expect_identical(status, 2L)
    expect_match(paste(said, collapse = " "), says, fixed = TRUE)
  }
  refused("attic", says = "attic")
  refused("nowhere", says = "nowhere")
  refused("saltmill", "--misbehave", "dance", says = "dance")
  refused("saltmill", "--speed", "0", says = "speed")
  refused("saltmill", "--render", "--speed", "9", says = "--speed")
  refused("saltmill", "--port", "70000", says = "port")
  refused("saltmill", "--for", "a while", says = "a while")
  expect_false(dir.exists("standin/saltmill/jobs"))
})
