# A studio of 2,000 nodes and 200 jobs at once, a million frames a day, whose events go to one
# ledger: how many events a second are kept up with, by one writer and by several, how long one
# waits to be written, what a look at one job and at all of them takes, and the memory of it. A day
# of a million frames, each begun and arrived, is 23 events a second. Beside it the same rows by
# plain SQL: one INSERT in a transaction of its own, and one SELECT of a job's events. Prints
# `name value unit`; each twice where CLOCKPIGEON_TEST_SERVER names a PostgreSQL server
# (tests/postgres.sh).
#
#   Rscript bench/studio.R [JOBS] [FRAMES]     200 jobs of 5,000 frames when absent, half of them
#   there
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
sizes <- as.integer(c(commandArgs(TRUE), "200", "5000")[1:2])
if (length(commandArgs(TRUE)) < 2) sizes[2] <- 5000L
jobs <- sizes[1]
frames <- sizes[2]
nodes <- 10L
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
elapsed <- function(code) system.time(code, gcFirst = TRUE)[["elapsed"]]
set.seed(3)
folder <- tempfile("studio-")
dir.create(folder)
root <- ns$demo_project(file.path(folder, "tide-clock"))

# One decision, made once: a shot of so many frames at the pool of own nodes.
path <- file.path(root, "shots/gears-review.yaml")
text <- sub("^frames: .*", paste0("frames: 1-", frames), readLines(path))
writeLines(text[!grepl("^cuts", text)], path)
card <- file.path(root, "sites/attic.yaml")
writeLines(sub("nodes: [1, 2]", paste0("nodes: [1, ", nodes, "]"), readLines(card), fixed = TRUE),
           card)
project <- read_project(root)
rows <- data.frame(activity = "render", shot = "gears-review", scene = "gears",
                   frame = round(seq(1, frames, length.out = 12)), engine = "pebble",
                   engine_version = "1.1", limit_kind = "samples", limit_value = 6, width = 160,
                   height = 90, node = "here", wall_s = exp(rnorm(12, log(17), 0.2)), status = "ok",
                   kind = "measured")
job <- render_job(project$shots["gears-review"], c(pebble = "1.1"), ns$filled_timings(rows, "rows"),
                  project$currency, project$rates, project$time_zone)
forecast <- forecast_job(plan_options(job, project$sites,
                                      only = c("attic", paste0("nodes=", nodes))), draws = 2000)
choice <- choose_option(forecast, "20h")
name_of <- function(j) sprintf("job-%03d", j)
at <- function(s) format(as.POSIXct(s, origin = "1970-01-01", tz = "UTC"), "%Y-%m-%dT%H:%M:%OS3Z")
begun <- as.numeric(Sys.time()) - 17 * frames / nodes / 2

# What nodes tell of a job whose first frames are there.
told_of <- function(j, first, last) {
  k <- seq(first, last)
  node <- sprintf("n%04d", (j - 1) * nodes + k %% nodes + 1)
  end <- begun + 17 * ceiling(k / nodes)
  data.frame(what = rep(c("rendering", "arrived"), each = length(k)),
             time = c(at(end - 17), at(end)), place = "attic",
             shot = "gears-review", frame = as.integer(c(k, k)), node = c(node, node),
             source = "place", seconds = c(rep(NA, length(k)), rep(16.4, length(k))))
}

# A writer that writes one event after the other, as nodes' slots do, for some seconds: each one's
# milliseconds.
writer <- tempfile(fileext = ".R")
writeLines(c(
  "suppressPackageStartupMessages(library(clockpigeon))", "a <- commandArgs(TRUE)",
  "ledger <- open_ledger(a[1])", "add <- getFromNamespace('add_events', 'clockpigeon')",
  "ms <- c()", "end <- Sys.time() + as.numeric(a[3])", "while (Sys.time() < end) {",
  "  row <- data.frame(what = 'claim', time = '2026-11-28T12:00:00Z', place = 'attic', node = a[4], source = 'bench',",
  "                    amount = as.numeric(length(ms)))",
  "  ms <- c(ms, 1000 * system.time(add(ledger, a[2], row), gcFirst = FALSE)[['elapsed']])", "}",
  "saveRDS(ms, a[5])"
), writer)
write_live <- function(where, writers, seconds = 8) {
  out <- file.path(folder, paste0("ms-", seq_len(writers), ".rds"))
  running <- lapply(seq_len(writers), function(w) {
    processx::process$new(file.path(R.home("bin"), "Rscript"),
                          c("--no-init-file", writer, where, name_of((w - 1) %% jobs + 1), seconds,
                            paste0("w", w, Sys.getpid()), out[w]),
                          stderr = "|",
                          env = c("current", R_LIBS = paste(.libPaths(),
                                                            collapse = .Platform$path.sep)))
  })
  for (one in running) one$wait()
  for (k in which(!file.exists(out))) message("a writer failed: ", running[[k]]$read_error())
  unlist(lapply(out, readRDS))
}

measure <- function(where, kind) {
  named <- function(what) paste(what, kind, sep = "_")
  ledger <- open_ledger(where)
  add_timings(ledger, rows)
  placed <- data.frame(what = "placed", time = at(begun), place = "attic", source = "place")
  for (j in seq_len(jobs)) {
    record_job(ledger, choice, name_of(j))
    placed$detail <- file.path(root, "placed", name_of(j), "frames")
    dir.create(placed$detail, recursive = TRUE, showWarnings = FALSE)
    ns$add_events(ledger, name_of(j), placed)
  }
  half <- frames %/% 2
  bulk <- elapsed(for (j in seq_len(jobs)) ns$add_events(ledger, name_of(j), told_of(j, 1, half)))
  say(named("events_in_bulk"), 2 * half * jobs / bulk, "events/s")
  for (writers in c(1, 4, 8)) {
    ms <- write_live(where, writers)
    say(named(paste0("events_by_", writers, "_writers")), length(ms) / 8, paste0(
      "events/s (23 needed; one takes ", signif(stats::median(ms), 3), " ms, 95 % point ",
      signif(stats::quantile(ms, 0.95), 3), " ms)"))
  }
  look <- function(j, last = NULL) watch_job(project, ledger, name_of(j), last = last)
  first <- vapply(1:3, function(j) elapsed(look(j)), 0)
  x <- look(1)
  again <- vapply(1:5, function(k) {
    ns$add_events(ledger, name_of(1), told_of(1, half + k, half + k))
    elapsed(x <<- look(1, x))
  }, 0)
  say(named("first_look_at_a_job"), stats::median(first), "s")
  say(named("next_look_at_a_job"), stats::median(again),
      paste0("s (", paste(range(signif(again, 3)), collapse = " to "), ")"))
  con <- ns$ledger_connection(ledger)
  select <- "SELECT * FROM events WHERE job = (SELECT id FROM jobs WHERE name = ?)"
  plain <- vapply(1:5, function(k) elapsed(ns$ask_rows(con, select, list(name_of(1)))), 0)
  say(named("plain_select_of_its_events"), stats::median(plain), "s")
  invisible(gc(reset = TRUE))
  all <- elapsed(ns$watch_all(project, ledger))
  say(named(paste0("look_at_all_", jobs, "_jobs")), all, "s")
  say(named("memory_of_r_at_most"), sum(gc()[, 6]), "MB")
  close_ledger(ledger)
}

measure(file.path(folder, "ledger.sqlite"), "file")
say("ledger_file", file.size(file.path(folder, "ledger.sqlite")) / 1e6, "MB")
server <- Sys.getenv("CLOCKPIGEON_TEST_SERVER")
if (nzchar(server)) measure(server, "server")

# The same by plain SQL in a file of its own.
con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "plain.sqlite"), synchronous = NULL)
invisible(
  DBI::dbExecute(
  con, "CREATE TABLE events (job TEXT, what TEXT, time TEXT, node TEXT, amount REAL)"))
ms <- vapply(1:500, function(k) {
  1000 * elapsed(DBI::dbExecute(con, "INSERT INTO events VALUES (?, ?, ?, ?, ?)",
                                list("j", "claim", "t", "n", k)))
}, 0)
say("plain_insert", stats::median(ms), "ms")
DBI::dbDisconnect(con)
invisible(unlink(folder, recursive = TRUE))
