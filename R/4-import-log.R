# Logs of engines: many frames in one file, read line by line, in parts, however large.

# The profile's `log` tells the frames apart: `frame` (a line that begins a frame, one group: its
# number), and where the engine says it `wall` (one group: a duration, or seconds). The other
# numbers are those of `reads`, on single lines. The wall time is load and compute together where no
# line says it.
import_log <- function(path, engine, lines_at_once = 50000L) {
  if (!length(engine$log))
    stop_input("engine", "has no `log`", engine$engine, "Write there how a log begins a frame.")
  patterns <- c(list(frame = engine$log$frame, wall = engine$log$wall), engine$reads)
  patterns <- Filter(length, patterns)
  if (file.size(path) == 0)
    stop_input("import", "is empty", short_path(path), "Name a log with something in it.")
  if (any(readBin(path, "raw", 1e5) == 0))
    stop_input("import", "is binary", short_path(path), "Name a text file.")
  file <- file(path, "rt")
  on.exit(close(file))
  begun <- 0L
  hits <- list()
  repeat {
    lines <- readLines(file, lines_at_once, warn = FALSE, skipNul = TRUE)
    if (!length(lines)) break
    lines <- iconv(lines, "UTF-8", "UTF-8", sub = "?")
    # Most lines of most logs do not match: one search for any of the patterns leaves few to examine
    # closely.
    kept <- grep(paste0("(?:", patterns, ")", collapse = "|"), lines, perl = TRUE)
    found <- do.call(rbind, lapply(names(patterns),
                                   function(name) log_hits(lines[kept], patterns[[name]], name)))
    found[["line"]] <- kept[found[["line"]]]
    starts <- tabulate(found[["line"]][found[["name"]] == "frame"], length(lines))
    found[["turn"]] <- begun + cumsum(starts)[found[["line"]]]
    begun <- begun + sum(starts)
    hits <- c(hits, list(found))
  }
  log_rows(do.call(rbind, hits), engine, path)
}

log_hits <- function(lines, pattern, name) {
  at <- grep(pattern, lines, perl = TRUE)
  value <- vapply(regmatches(lines[at], regexec(pattern, lines[at], perl = TRUE)), function(m) m[2],
                  "")
  data.frame(line = at, name = rep(name, length(at)), value = value)
}

# Frames and seconds of a render log, by the engine's patterns.
log_rows <- function(hits, engine, path) {
  turns <- unique(hits[["turn"]][hits[["name"]] == "frame"])
  if (!length(turns)) {
    stop_input("import", "begins no frame", short_path(path),
               "Mend `frame` in the `log` of the engine's profile.")
  }
  hits <- hits[hits[["turn"]] > 0, , drop = FALSE]
  value <- function(name) {
    of <- hits[hits[["name"]] == name, , drop = FALSE]
    last <- !duplicated(of[["turn"]], fromLast = TRUE)
    of[["value"]][last][match(turns, of[["turn"]][last])]
  }
  number <- function(name) suppressWarnings(as.numeric(value(name)))
  wall <- if (length(engine$log$wall)) seconds_column(value("wall"), "wall", short_path(path))
          else number("load_s") + number("compute_s")
  back <- wall < 0
  wall[back %in% TRUE] <- NA
  data.frame(
    activity = "render", engine = engine$engine,
    frame = suppressWarnings(as.integer(value("frame"))), wall_s = wall, load_s = number("load_s"),
    compute_s = number("compute_s"), samples_done = number("samples_done"), work = number("work"),
    noise = number("noise"), peak_mem_mb = number("peak_mem_mb"), kind = "reported",
    precision = "exact", warm = if (length(turns) > 1) seq_along(turns) > 1 else NA,
    run_order = seq_along(turns), status = ifelse(is.na(wall), "incomplete", "ok"),
    note = ifelse(back %in% TRUE, "the time is below zero: a clock was set back",
                  ifelse(is.na(wall), "the log ends or goes on before it says a time", NA))
  )
}
