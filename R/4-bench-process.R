# Processes: one command run from start to end, timed, measured and ended in time.

# Runs a program by its argument vector; no shell stands between. Returns wall and CPU seconds, peak memory in 1e6 bytes
# (NA where the system does not tell), exit status, whether it was ended by the time limit, and what it printed: its
# last million bytes; all of it stays in `log`, where one is named.
run_command <- function(program, arguments, folder, time_limit = Inf, clock = wall_clock, log = NULL) {
  if (is.null(log)) {
    log <- tempfile("clockpigeon-log-")
    on.exit(unlink(log))
  }
  cpu_before <- sum(proc.time()[4:5])
  start <- clock()
  process <- processx::process$new(program, arguments, stdin = NULL, stdout = log, stderr = "2>&1", wd = folder,
                                   cleanup_tree = TRUE)
  on.exit(end_process(process), add = TRUE, after = FALSE)
  peak <- 0
  repeat {
    left <- time_limit - (clock() - start)
    process$wait(timeout = max(1, min(100, left * 1000)))
    alive <- process$is_alive()
    if (!alive || left <= 0) break
    peak <- max(peak, peak_memory(process$get_pid()))
  }
  wall <- clock() - start
  late <- alive
  if (late) end_process(process)
  list(wall_s = wall, cpu_s = sum(proc.time()[4:5]) - cpu_before, peak_mem_mb = if (peak > 0) peak else NA_real_,
       exit = process$get_exit_status(), late = late, text = read_log(log))
}

# Seconds since 1970. The one clock of the bench: tests put another in its place.
wall_clock <- function() as.numeric(Sys.time())

# Ends a process and everything it started.
end_process <- function(process) {
  process$kill_tree()
  process$wait(timeout = 5000)
  invisible()
}

# The most memory a process has held so far, in 1e6 bytes (Linux); 0 where the system does not tell.
peak_memory <- function(pid) {
  kib <- proc_number(file.path("/proc", pid, "status"), "VmHWM")
  if (is.na(kib)) 0 else kib * 1024 / 1e6
}

# What a program printed: its last million bytes, as text that any pattern can be tried on.
read_log <- function(path, most = 1e6) {
  size <- file.size(path)
  if (is.na(size) || size == 0) return("")
  file <- file(path, "rb")
  on.exit(close(file))
  seek(file, max(0, size - most))
  bytes <- readBin(file, "raw", most)
  iconv(rawToChar(bytes[bytes != 0]), "UTF-8", "UTF-8", sub = "?")
}
