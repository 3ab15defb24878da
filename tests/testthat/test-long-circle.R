skip_unless_long()

test_that("the whole circle: an alarm, a broken frame, an overcharge, and a second forecast that is better", {
  skip_on_cran()
  for (package in c("nanonext", "later", "curl", "png", "lpSolve")) skip_if_not_installed(package)
  folder <- file.path(scratch(), "circle")
  withr::local_envvar(CLOCKPIGEON_NOW = NA, CLOCKPIGEON_TOKEN = NA, COLUMNS = "80", NO_COLOR = "1")
  told <- run_cli("demo", "--circle", "--keep", folder)
  text <- gsub(folder, "FOLDER", told$out, fixed = TRUE)
  expect_identical(told$status, 0L)
  # Its clock is its own: every machine prints the same figures, however busy it is.
  expect_snapshot_value(text, style = "json2", cran = FALSE)
  text <- paste(text, collapse = "\n")
  for (command in c("check", "next", "choose", "place", "watch", "verify", "settle", "learned")) {
    expect_match(text, paste0("\\$ clockpigeon ", command))
  }
  expect_match(text, "\n! ")
  expect_match(text, "cut off")
  expect_match(text, "overcharged [0-9.]+ GBP")
  expect_match(text, "finish: .*: better")
  expect_match(text, "cost: .*: better")
  expect_identical(Sys.getenv("CLOCKPIGEON_NOW"), "")
  dispute <- jsonlite::fromJSON(file.path(folder, "dispute-cut-1.json"))
  expect_gt(dispute$too_much, 0)
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
  withr::defer(close_ledger(ledger))
  expect_identical(sum(jobs(ledger)$name %in% c("cut-1", "cut-2")), 2L)
  expect_identical(length(unique(clockpigeon:::job_outcomes(ledger)$job)), 2L)
})
