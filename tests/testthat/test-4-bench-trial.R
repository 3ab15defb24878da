bench <- function(engine, ..., shot = small_shot(), ledger = memory_ledger(parent.frame())) {
  plan <- plan_bench(shot, engine, frames = 1, repeats = 1, options = bench_options(warmups = 0, ...))
  run_bench(plan, ledger, progress = FALSE)
}

test_that("engines that fail in their own ways are rows with the reason, and the rest is measured", {
  folder <- scratch()
  pixel <- one_pixel(folder)
  cases <- list(
    list("echo some words; echo 'no licence' >&2; exit 3", "failed", "exit status 3: some words | no licence"),
    list("sleep 60", "timed_out", "ended after 0.500s"),
    list(paste0("cp ", pixel, " $1"), "failed", "printed nothing"),
    list("echo load 1 compute 2", "failed", "no picture"),
    list("echo load 1 compute 2; : > $1", "failed", "empty picture"),
    list("echo load 1 compute 2; echo text > $1", "unusable", "no PNG"),
    list(paste0("echo load 1; cp ", pixel, " $1"), "ok", "not found in the output: compute_s"),
    list(paste0("echo load 1 compute 2; cp ", pixel, " $1"), "ok", NA),
    list("kill -9 $$", "failed", "exit status -9")
  )
  ledger <- memory_ledger()
  for (case in cases) {
    # only the engine that never ends is given little time: a busy machine may stall any other
    row <- bench(script_engine(folder, case[[1]]), time_limit = if (case[[2]] == "timed_out") 0.5 else 60,
                 ledger = ledger)
    expect_identical(row$status, case[[2]])
    if (is.na(case[[3]])) expect_true(is.na(row$note)) else expect_match(row$note, case[[3]], fixed = TRUE)
  }
  expect_identical(nrow(timings(ledger)), length(cases))
})

test_that("a limit that the engine does not know is unsupported, and not run", {
  folder <- scratch()
  row <- bench(script_engine(folder, paste("touch", file.path(folder, "ran"))),
               shot = small_shot(limit = list(noise = 0.1, samples = NULL, time = NULL)))
  expect_identical(row$status, "unsupported")
  expect_true(is.na(row$wall_s))
  expect_false(file.exists(file.path(folder, "ran")))
})

test_that("a program that is missing, or gives another version, is refused before anything runs", {
  ledger <- memory_ledger()
  missing <- script_engine(scratch(), "exit 0")
  missing$program <- "no-such-renderer"
  expect_refusal(bench(missing, ledger = ledger), "engine", "no-such-renderer")
  folder <- scratch()
  liar <- script_engine(folder, "echo release 9.9")
  liar$versions <- "1.0"
  liar$version <- list(ask = list("--version"), pattern = "release ([0-9.]+)")
  expect_refusal(bench(liar, ledger = ledger), "engine", c("asked as 1.0", "9.9"))
  expect_identical(nrow(timings(ledger)), 0L)
})
