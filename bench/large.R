# A large project: 1,000 shots, 200 sites and a million timings, through the installed command, each
# in a process of its own: seconds and peak memory. Beside them, in the same run: the same ledger
# read whole with DBI, which is the general-purpose way to the same rows, and R's own start.
#
#   Rscript bench/large.R [FOLDER]      FOLDER: keeps the project, and finds it there the next time
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit)
  cat(name, format(value, digits = 4, scientific = FALSE), unit, "\n")
args <- commandArgs(trailingOnly = TRUE)
folder <- if (length(args)) args[1] else tempfile("large-")
command <- clockpigeon:::install_launcher(tempdir())

make_project <- function(folder, shots = 1000, sites = 200, rows = 1e6) {
  clockpigeon:::new_project(folder, "Large")
  unlink(file.path(folder, c("shots/first.yaml", "plans/first.yaml")))
  names <- sprintf("shot-%04d", seq_len(shots))
  for (name in names) {
    writeLines(c(paste("shot:", name), paste0("scene: ", name), "frames: 1-200", "size: 1920x1080",
                 "limit: {samples: 256}", "upload: 80 MB", "frame_size: 8 MB"),
               file.path(folder, "shots", paste0(name, ".yaml")))
  }
  cards <- list.files(demo_file("sites"), full.names = TRUE)
  for (i in seq_len(sites)) {
    lines <- readLines(cards[(i - 1) %% length(cards) + 1])
    lines <- sub("^site: (.*)$", sprintf("site: \\1-%03d", i), lines)
    writeLines(lines, file.path(folder, "sites", sprintf("site-%03d.yaml", i)))
  }
  file.copy(demo_file("rates"), folder, recursive = TRUE)
  writeLines(c("plan: all", paste0("shots: [", toString(names), "]"), "engines: [{engine: sundew}]",
               "probes: 3", "repeats: 2"), file.path(folder, "plans", "all.yaml"))
  writeLines(c("engine: sundew", "program: sh", "arguments: ['{output}']", "limits: [samples]",
               "devices: [gpu]"),
             file.path(folder, "engines", "sundew.yaml"))
  ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
  each <- rows / shots
  for (part in split(names, (seq_along(names) - 1) %/% 50)) {
    shot <- rep(part, each = each)
    set.seed(match(part[1], names))
    x <- data.frame(activity = "render", shot = shot, scene = shot,
                    frame = rep_len(seq_len(200), length(shot)), engine = "sundew",
                    engine_version = rep_len(rep(c("4.1", "4.2"), each = 200), length(shot)),
                    limit_kind = "samples", limit_value = 256, width = 1920L, height = 1080L,
                    node = "loft-2", device = "Quern 40", device_count = 1L,
                    wall_s = round(100 * exp(stats::rnorm(length(shot), 0, 0.3)), 2), status = "ok",
                    kind = "measured", precision = "exact",
                    measured_at = "2026-10-05T08:00:00.000Z")
    x[["repeat"]] <- rep_len(rep(1:5, each = 400), length(shot))
    add_timings(ledger, x)
  }
  close_ledger(ledger)
}

if (!file.exists(file.path(folder, "ledger.sqlite"))) make_project(folder)
say("large_ledger", file.size(file.path(folder, "ledger.sqlite")) / 1e6, "MB")

# Seconds and peak megabytes of a command.
measured <- function(...) {
  ran <- clockpigeon:::run_command(command, c(...), folder, time_limit = 600)
  list(seconds = ran$wall_s, memory = ran$peak_mem_mb, bytes = nchar(ran$text), exit = ran$exit,
       text = ran$text)
}

start <- clockpigeon:::run_command(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", "1"),
                                   folder)$wall_s
say("large_r_start", start, "s")
reading <- paste("con <- DBI::dbConnect(RSQLite::SQLite(), 'ledger.sqlite');",
                 "x <- DBI::dbGetQuery(con, 'SELECT * FROM timings'); cat(nrow(x))")
plain <- clockpigeon:::run_command(file.path(R.home("bin"), "Rscript"),
                                   c("--vanilla", "-e", reading), folder)
say("large_plain_read", plain$wall_s, "s")
say("large_plain_read_memory", plain$peak_mem_mb, "MB")
for (case in list(c(name = "sites", "sites"), c(name = "sites_again", "sites"),
                  c(name = "dry_run", "bench", "all", "--dry-run"), c(name = "jobs", "jobs"),
                  c(name = "choose", "choose", "--shots", "shot-0500", "--engine", "sundew",
                    "--deadline", "40h"),
                  c(name = "forecast", "forecast", "--shots", "shot-0500", "--engine", "sundew"),
                  c(name = "check", "check", "shot-0500", "--engine", "sundew"),
                  c(name = "compare", "compare", "--engine", "sundew"))) {
  took <- measured(unname(case[-1]))
  say(paste0("large_", case[["name"]]), took$seconds, "s")
  say(paste0("large_", case[["name"]], "_memory"), took$memory, "MB")
  say(paste0("large_", case[["name"]], "_output"), took$bytes / 1000, "kB")
  if (!took$exit %in% c(0L, 3L))
    cat("exit", took$exit, utils::tail(strsplit(took$text, "\n")[[1]], 3), "\n")
}
