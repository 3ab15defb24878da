# The day on which the demo's world was written: its rate cards are in date, whatever day it is.
Sys.setenv(CLOCKPIGEON_NOW = "2026-11-24T12:00:00Z")

# What earlier runs kept is of no use here, and what is kept here is nobody else's.
Sys.setenv(R_USER_CACHE_DIR = file.path(tempdir(), "cache"))

# An error must have our class and say where and what to write instead.
expect_refusal <- function(code, topic, says = NULL) {
  error <- tryCatch({
    code
    NULL
  }, error = identity)
  expect_s3_class(error, paste0("clockpigeon_error_", topic))
  for (text in says) expect_match(conditionMessage(error), text, fixed = TRUE)
  invisible(error)
}

scratch <- function(env = parent.frame(), pattern = "cp-test-") {
  folder <- tempfile(pattern)
  dir.create(folder)
  withr::defer(unlink(folder, recursive = TRUE), envir = env)
  normalizePath(folder)
}

write_file <- function(folder, name, ...) {
  path <- file.path(folder, name)
  dir.create(dirname(path), recursive = TRUE, showWarnings = FALSE)
  writeLines(c(...), path)
  path
}

# A folder that is costly to make, made once in a run of the tests by `build(folder)`. Two files that
# need it at the same time may both make it; one of them is kept.
kept_fixture <- function(key, build) {
  root <- Sys.getenv("CLOCKPIGEON_FIXTURES", file.path(tempdir(), "fixtures"))
  folder <- file.path(root, key)
  if (dir.exists(folder)) return(folder)
  draft <- tempfile("draft-", root)
  dir.create(draft, recursive = TRUE)
  build(draft)
  if (!suppressWarnings(file.rename(draft, folder))) unlink(draft, recursive = TRUE)
  folder
}

copy_contents <- function(from, to) {
  file.copy(list.files(from, full.names = TRUE, all.files = TRUE, no.. = TRUE), to,
            recursive = TRUE, copy.date = TRUE)
  to
}

# The demo project in a new folder, with the sample's timings and jobs in its ledger.
local_project <- function(env = parent.frame(), sample = TRUE) {
  if (!sample) return(copy_contents(demo_file(), scratch(env)))
  kept <- kept_fixture("project", function(folder) {
    copy_contents(demo_file(), folder)
    ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
    add_timings(ledger, example_timings())
    clockpigeon:::import_jobs(file.path(folder, "jobs.csv"), ledger)
    close_ledger(ledger)
  })
  copy_contents(kept, scratch(env))
}

# On a server where CLOCKPIGEON_TEST_LEDGERS says so: the same tests over both.
memory_ledger <- function(env = parent.frame()) {
  if (Sys.getenv("CLOCKPIGEON_TEST_LEDGERS") == "server") return(server_ledger(env))
  ledger <- open_ledger(":memory:")
  withr::defer(close_ledger(ledger), envir = env)
  ledger
}

pebble <- function() read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
pebble_program <- function() system.file("bin", "pebble", package = "clockpigeon")
run_pebble <- function(...) processx::run(pebble_program(), c(...), error_on_status = FALSE)

# Timings of one setting, one row a wall time; anything may be overridden.
some_timings <- function(wall_s, ...) {
  row <- data.frame(activity = "render", shot = "s", scene = "s", frame = 1L, engine = "e",
                    engine_version = "1.0", limit_kind = "samples", limit_value = 8,
                    width = 160L, height = 90L, node = "n", device = "d", device_count = 1L,
                    wall_s = wall_s, status = "ok", kind = "measured",
                    measured_at = sprintf("2026-11-01T00:00:%02dZ", seq_along(wall_s)),
                    check.names = FALSE)
  row[["repeat"]] <- seq_along(wall_s)
  over <- list(...)
  for (name in names(over)) row[[name]] <- over[[name]]
  clockpigeon:::as_timings(row)
}

# An engine that is a shell script: what it does is its text; "$1" is the picture to write.
script_engine <- function(folder, ...,
                          reads = "reads: {load_s: 'load ([0-9.]+)', compute_s: 'compute ([0-9.]+)'}") {
  script <- write_file(folder, "engine.sh", "#!/bin/sh", ...)
  Sys.chmod(script, "755")
  read_engine(write_file(folder, "engine.yaml", "engine: script", paste0("program: ", script),
                         "arguments: ['{output}', '{frame}']", "limits: [samples]", reads))
}

# A PNG as small_shot() asks for it, for scripts that make a good picture.
one_pixel <- function(folder, width = 32, height = 18) {
  path <- file.path(folder, "pixel.png")
  png::writePNG(array(0.5, c(height, width, 3)), path)
  path
}

# Pairs of pebble at 2 and 8 samples of one small frame, in a folder of the test's own.
small_probes <- function(ledger, keep, ..., samples = c(2, 8), frames = 1) {
  probe_limit(small_shot(size = c(width = 96L, height = 54L)), pebble(), ledger, samples, frames,
              ..., running = running(keep = keep, progress = FALSE))
}

small_shot <- function(...) {
  shot <- read_shot(demo_file("shots/gears-review.yaml"))
  shot$size <- c(width = 32L, height = 18L)
  shot$limit <- list(samples = 2L, noise = NULL, time = NULL)
  utils::modifyList(shot, list(...))
}

# Runs the installed command in a folder: list(status, stdout, stderr).
clockpigeon_command <- function(...) {
  folder <- file.path(tempdir(), "launcher")
  if (!file.exists(file.path(folder, "clockpigeon"))) install_launcher(folder)
  file.path(folder, "clockpigeon")
}

run_command_line <- function(..., wd = tempdir(), env = character(), input = NULL) {
  typed <- if (length(input)) {
    path <- tempfile()
    writeChar(input, path, eos = NULL)
    path
  }
  processx::run(clockpigeon_command(), c(...), wd = wd, error_on_status = FALSE, timeout = 300,
                stdin = typed, env = if (length(env)) c("current", env))
}

# One of the package's own values, another until the test ends.
local_value <- function(name, value, env = parent.frame()) {
  space <- asNamespace("clockpigeon")
  old <- get(name, space)
  put <- function(x) {
    unlockBinding(name, space)
    assign(name, x, space)
    lockBinding(name, space)
  }
  put(value)
  withr::defer(put(old), envir = env)
}

# Files test-long-*.R run by `make test-long` alone, which .ci/run calls too, and never on CRAN.
skip_unless_long <- function()
  skip_if_not(identical(Sys.getenv("CLOCKPIGEON_TESTS"), "long"), "long: make test-long")

# What a command answers, run in this process: its status, what it printed, and what it said on
# standard error.
run_cli <- function(...) {
  status <- NULL
  said <- NULL
  out <- capture.output(said <- capture.output(status <- cli(c(...)), type = "message"))
  list(status = status, out = paste(out, collapse = "\n"), said = paste(said, collapse = "\n"))
}
