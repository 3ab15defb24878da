# A ledger of 1,000,000 timings, beside the same work done by hand with general-purpose packages in the same run.
#   import    CSV to ledger, beside data.table::fread and one RSQLite insert into a plain table
#   compare   two versions over all of it, beside the grouped aggregate written by hand in SQL
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit) cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
timed <- function(code) system.time(code, gcFirst = TRUE)[["elapsed"]]
n <- as.integer(Sys.getenv("TIMINGS", "1000000"))
folder <- tempfile("ledger-")
dir.create(folder)
set.seed(1)
k <- seq_len(n)
scene <- c("gears", "basin", "gallery", "hall")[(k %/% 2) %% 4 + 1]
x <- data.frame(
  measured_at = format(as.POSIXct("2026-01-01", tz = "UTC") + k, "%Y-%m-%dT%H:%M:%SZ"), activity = "render",
    shot = scene,
  scene = scene, frame = (k %/% 8) %% 250 + 1, engine = "sundew", engine_version = c("4.1", "4.2")[k %% 2 + 1],
  limit_kind = "samples", limit_value = 512, width = 1920, height = 1080,
    node = c("loft-1", "loft-2")[(k %/% 2000) %% 2 + 1],
  device = c("Quern 40", "Quern 80")[(k %/% 2000) %% 2 + 1], device_count = 1, wall_s = round(exp(rnorm(n, 3, 0.3)), 3),
  load_s = round(exp(rnorm(n, 0, 0.2)), 3), status = "ok", kind = "measured", precision = "exact", warm = TRUE
)
x[["repeat"]] <- 1L
csv <- file.path(folder, "timings.csv")
data.table::fwrite(x, csv)
rm(x)

by_hand <- function() {
  unlink(file.path(folder, "plain.sqlite"))
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "plain.sqlite"))
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "timings", data.table::fread(csv, showProgress = FALSE))
}
ours <- function() {
  unlink(file.path(folder, "ledger.sqlite"))
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
  on.exit(close_ledger(ledger))
  import_timings(csv, ledger = ledger)
}
turns <- t(vapply(1:7, function(i) c(hand = timed(by_hand()), ours = timed(ours())), numeric(2)))
say("import_by_hand_median", n / stats::median(turns[, "hand"]), "rows/s")
say("import_median", n / stats::median(turns[, "ours"]), "rows/s")
say("import_rate_over_by_hand_median_of_turns", stats::median(turns[, "hand"] / turns[, "ours"]),
    "ratio (at least 0.5 asked)")

con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "plain.sqlite"))
cells <- "scene, frame, limit_kind, limit_value, width, height, node, device, device_count"
aggregate <- function() DBI::dbGetQuery(con, paste0(
  "SELECT ", cells, ", engine_version, count(*), avg(wall_s), sum(wall_s * wall_s) FROM timings WHERE status = 'ok' ",
  "GROUP BY ", cells, ", engine_version"
))
ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
invisible(gc(reset = TRUE))
turns <- t(vapply(1:3, function(i) {
  c(hand = timed(aggregate()), ours = timed(compare_timings(ledger, "engine_version")))
}, numeric(2)))
say("compare_by_hand_median", stats::median(turns[, "hand"]), "s")
say("compare_median", stats::median(turns[, "ours"]), "s")
say("compare_less_1_s_over_by_hand_median_of_turns", stats::median((turns[, "ours"] - 1) / turns[, "hand"]),
    "ratio (at most 2 asked)")
say("memory_of_r_at_most", sum(gc()[, 6]), "MB")
status <- grep("VmHWM", readLines("/proc/self/status"), value = TRUE)
say("memory_of_the_whole_process_at_most", as.numeric(gsub("[^0-9]", "", status)) / 1024,
    "MiB, making the CSV included")
DBI::dbDisconnect(con)
close_ledger(ledger)
unlink(folder, recursive = TRUE)
