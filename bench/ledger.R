# A ledger of 1,000,000 timings, beside the same work done by hand with general-purpose packages in
# the same run.
#   import    CSV to ledger, beside data.table::fread and one RSQLite insert into a plain table
#   compare   two versions over all of it, beside the grouped aggregate written by hand in SQL
# Then a history of HISTORY timings (10,000,000 unless it is set; 0 for none), on a file and, where
# CLOCKPIGEON_TEST_SERVER names a database that is empty, on a server: how soon what `compare`,
# `choose` and `learned` read of it is there, beside the grouped aggregate by hand in SQL and by
# data.table.
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
timed <- function(code) system.time(code, gcFirst = TRUE)[["elapsed"]]
n <- as.integer(Sys.getenv("TIMINGS", "1000000"))
folder <- tempfile("ledger-")
dir.create(folder)
set.seed(1)
k <- seq_len(n)
scene <- c("gears", "basin", "gallery", "hall")[(k %/% 2) %% 4 + 1]
x <- data.frame(
  measured_at = format(as.POSIXct("2026-01-01", tz = "UTC") + k, "%Y-%m-%dT%H:%M:%SZ"),
  activity = "render",
    shot = scene,
  scene = scene, frame = (k %/% 8) %% 250 + 1, engine = "sundew",
  engine_version = c("4.1", "4.2")[k %% 2 + 1], limit_kind = "samples", limit_value = 512,
  width = 1920, height = 1080, node = c("loft-1", "loft-2")[(k %/% 2000) %% 2 + 1],
  device = c("Quern 40", "Quern 80")[(k %/% 2000) %% 2 + 1], device_count = 1,
  wall_s = round(exp(rnorm(n, 3, 0.3)), 3), load_s = round(exp(rnorm(n, 0, 0.2)), 3), status = "ok",
  kind = "measured", precision = "exact", warm = TRUE
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
  "SELECT ", cells,
  ", engine_version, count(*), avg(wall_s), sum(wall_s * wall_s) FROM timings WHERE status = 'ok' ",
  "GROUP BY ", cells, ", engine_version"
))
ledger <- open_ledger(file.path(folder, "ledger.sqlite"), read_only = TRUE)
invisible(gc(reset = TRUE))
turns <- t(vapply(1:3, function(i) {
  c(hand = timed(aggregate()), ours = timed(compare_timings(ledger, "engine_version")))
}, numeric(2)))
say("compare_by_hand_median", stats::median(turns[, "hand"]), "s")
say("compare_median", stats::median(turns[, "ours"]), "s")
say("compare_less_1_s_over_by_hand_median_of_turns",
    stats::median((turns[, "ours"] - 1) / turns[, "hand"]),
    "ratio (at most 2 asked)")
say("memory_of_r_at_most", sum(gc()[, 6]), "MB")
status <- grep("VmHWM", readLines("/proc/self/status"), value = TRUE)
say("memory_of_the_whole_process_at_most", as.numeric(gsub("[^0-9]", "", status)) / 1024,
    "MiB, making the CSV included")
DBI::dbDisconnect(con)
close_ledger(ledger)
unlink(folder, recursive = TRUE)

# ---- a long history ------------------------------------------------------------------------------

history <- as.numeric(Sys.getenv("HISTORY", "10000000"))
if (history == 0) quit(save = "no")
ns <- asNamespace("clockpigeon")

# Rows k of a history: 40 scenes of 100 frames under two versions on two nodes, a night of 10,000
# frames after another.
settings <- expand.grid(frame = 1:100, version = c("4.1", "4.2"), node = c("loft-1", "loft-2"),
                        scene = paste0("scene-", 1:40), stringsAsFactors = FALSE)
history_rows <- function(k) {
  data.frame(id = sprintf("h%09.0f", k), setting = (k * 7 + k %/% 16000) %% nrow(settings) + 1,
             measured_at = format(as.POSIXct("2023-01-01", tz = "UTC") + 8 * k,
                                  "%Y-%m-%dT%H:%M:%SZ"),
             wall_s = round(exp(stats::rnorm(length(k), 3, 0.3)), 3), load_s = 1.5, status = "ok",
             kind = "measured", precision = "exact", warm = 1L, "repeat" = 1L, check.names = FALSE)
}

measure_history <- function(name, where) {
  set.seed(2)
  file <- open_ledger(where)
  con <- file$con
  s <- data.frame(setting = seq_len(nrow(settings)), key = paste0("k", seq_len(nrow(settings))),
                  activity = "render", shot = settings$scene, scene = settings$scene,
                  frame = settings$frame, engine = "sundew", engine_version = settings$version,
                  limit_kind = "samples", limit_value = 512, width = 1920L, height = 1080L,
                  node = settings$node, device = "Quern 40", device_count = 1L)
  ns$write_ledger(con, function() ns$insert_rows(con, "settings", s))
  for (from in seq(1, history, by = 5e5)) {
    ns$write_ledger(con, function()
                    ns$insert_rows(con, "runs",
                                   history_rows(seq(from, min(history, from + 5e5 - 1)))))
  }
  ns$index_settings(con)
  if (ns$on_server(con)) for (table in c("runs", "settings"))
    DBI::dbExecute(con, paste("ANALYZE", table))
  close_ledger(file)
  sql <- paste(
    "SELECT s.scene, s.frame, s.node, s.engine_version, count(*) AS n, avg(r.wall_s) AS mean FROM runs r",
    "JOIN settings s ON s.setting = r.setting WHERE r.status = 'ok' GROUP BY 1, 2, 3, 4")
  once <- function(code) {
    ledger <- open_ledger(where, read_only = TRUE)
    on.exit(close_ledger(ledger))
    timed(code(ledger))
  }
  ways <- list(compare = function(l) compare_timings(l, "engine_version"),
               choose_reads = function(l) {
    ns$timings_near(l, c("scene-3", "scene-17"))
  }, learned = learned, grouped_by_sql = function(l) ns$ask_rows(l$con, sql))
  for (way in names(ways)) {
    turns <- vapply(1:3, function(i) once(ways[[way]]), 0)
    say(paste0(name, "_", way, "_median_of_3"), stats::median(turns), "s")
    say(paste0(name, "_", way, "_most_of_3"), max(turns), "s")
  }
}

folder <- tempfile("history-")
dir.create(folder)
measure_history("file", file.path(folder, "ledger.sqlite"))
say("file_size", file.size(file.path(folder, "ledger.sqlite")) / 1e6, "MB")
unlink(folder, recursive = TRUE)
server <- Sys.getenv("CLOCKPIGEON_TEST_SERVER")
if (nzchar(server)) measure_history("server", server)
x <- data.table::as.data.table(history_rows(seq_len(history))[c("setting", "wall_s")])
x <- cbind(x, settings[x$setting, ])
say("grouped_by_data_table_median_of_3, what is in memory already",
    stats::median(vapply(1:3, function(i) {
  timed(x[, list(n = .N, mean = mean(wall_s)), by = c("scene", "frame", "node", "version")])
}, 0)), "s")
