# Processes: one command run from start to end, timed, measured and ended in time.

# Runs a program by its argument vector, without a shell. Returns wall and CPU seconds, peak memory
# in 1e6 bytes (NA if the system does not report it), exit status, whether the time limit ended it,
# and the last million bytes of its output. The output stays in `log`, if one is named. Of a log
# over `most` bytes the beginning and the end are kept. `environment`: texts by name. Its remaining
# child processes are ended with it.
run_command <- function(program, arguments, folder, time_limit = Inf, clock = steady_clock,
                        log = NULL, environment = NULL, most = if (is.null(log)) 16e6 else 2e9) {
  if (is.null(log)) {
    log <- tempfile("clockpigeon-log-")
    on.exit(unlink(log, expand = FALSE))
  }
  cpu_before <- sum(proc.time()[4:5])
  ran <- with_orphans({
    others <- own_children()
    start <- clock()
    process <- processx::process$new(program, arguments, stdin = NULL, stdout = log,
                                     stderr = "2>&1", wd = folder,
                                     env = child_environment(environment), cleanup_tree = TRUE)
    on.exit(end_process(process), add = TRUE, after = FALSE)
    watched <- watch_process(process, start, time_limit, clock, log, most)
    wall <- clock() - start
    if (watched$late) end_process(process)
    end_strays(others)
    c(wall_s = wall, watched)
  })
  list(wall_s = ran$wall_s, cpu_s = sum(proc.time()[4:5]) - cpu_before,
       peak_mem_mb = if (ran$peak > 0) ran$peak else NA_real_, exit = process$get_exit_status(),
       late = ran$late, text = paste0(ran$head, read_log(log)))
}

# Environment of a program: the variables of this process and its own, without those that the
# launcher set for R alone. Written in full, because to processx "current" without more means an
# empty environment.
child_environment <- function(own) {
  all <- as.list(Sys.getenv())
  all[c("R_DEFAULT_PACKAGES", names(own))] <- NULL
  unlist(c(all, own))
}

# Waits for a process to end, or for its time to be up; its memory at the most, and the beginning of
# a log that had to be cut, are taken on the way.
watch_process <- function(process, start, time_limit, clock, log, most) {
  peak <- 0
  head <- ""
  cut_at <- 0
  repeat {
    left <- time_limit - (clock() - start)
    process$wait(timeout = max(1, min(100, left * 1000)))
    alive <- process$is_alive()
    if (!alive || left <= 0) break
    peak <- max(peak, peak_memory(process$get_pid()))
    size <- file.size(log)
    if (!is.na(size) && size - cut_at > most) {
      if (!nzchar(head))
        head <- paste0(read_log(log, most / 16, from = 0), "\n[... cut: too long ...]\n")
      empty_file(log)
      cut_at <- size
    }
  }
  list(peak = peak, late = alive, head = head)
}

# Empties a file that another process goes on writing to: what it has written is gone, and takes no
# room any more.
empty_file <- function(path) {
  file <- tryCatch(file(path, "r+b"), error = function(e) NULL, warning = function(w) NULL)
  if (is.null(file)) return(invisible())
  on.exit(close(file))
  seek(file, 0, rw = "write")
  tryCatch(truncate(file), error = function(e) NULL)
  invisible()
}

# The children of this process, by id; none where the system does not tell.
own_children <- function() {
  found <- tryCatch(ps::ps_children(ps::ps_handle()), error = function(e) list())
  stats::setNames(found, vapply(found, ps::ps_pid, 0L))
}

# Ends children that were not there before, and all under them: a command that has ended left them
# behind, out of its tree. Each that ends may leave its own to this process.
end_strays <- function(others) {
  for (round in 1:10) {
    found <- own_children()
    strays <- found[setdiff(names(found), names(others))]
    if (!length(strays)) break
    for (stray in strays) {
      below <- tryCatch(ps::ps_children(stray, recursive = TRUE), error = function(e) list())
      for (one in c(list(stray), below)) tryCatch(ps::ps_kill(one), error = function(e) NULL)
    }
    Sys.sleep(0.01)
    for (pid in names(strays)) bury_orphan(pid)
  }
  invisible()
}

# Seconds since 1970, for times of day and clocks that are compared across machines; durations are
# the steady clock's.
wall_clock <- function() as.numeric(Sys.time())

# Ends a process and everything it started.
end_process <- function(process) {
  process$kill_tree()
  process$wait(timeout = 5000)
  invisible()
}

# The most memory a process has held so far, in 1e6 bytes: on Linux as the kernel counts it,
# elsewhere what it holds now; 0 where the system does not tell.
peak_memory <- function(pid) {
  kib <- proc_number(file.path("/proc", pid, "status"), "VmHWM")
  if (!is.na(kib)) return(kib * 1024 / 1e6)
  held <- tryCatch(ps::ps_memory_info(ps::ps_handle(pid))[["rss"]], error = function(e) 0)
  if (is.na(held)) 0 else held / 1e6
}

# Output of a program: its last million bytes (or the first, from 0), as text that any pattern can
# be tried on, with this system's line ends.
read_log <- function(path, most = 1e6, from = max(0, file.size(path) - most)) {
  size <- file.size(path)
  if (is.na(size) || size == 0) return("")
  file <- file(path, "rb")
  on.exit(close(file))
  seek(file, from)
  bytes <- readBin(file, "raw", most)
  if (is_wide(bytes)) {
    text <- tryCatch(iconv(list(bytes[seq_len(length(bytes) %/% 2 * 2)]), "UTF-16LE", "UTF-8",
                           sub = "?"),
                     error = function(e) NA_character_)
    if (!is.na(text)) return(gsub("\r\n", "\n", text, fixed = TRUE))
  }
  text <- iconv(rawToChar(bytes[bytes != 0]), "UTF-8", "UTF-8", sub = "?")
  # Code points that are none (surrogates, those above U+10FFFF) pass iconv() and then fail in every
  # pattern.
  if (!validUTF8(text)) text <- gsub("[^\\x01-\\x7f]", "?", text, perl = TRUE, useBytes = TRUE)
  gsub("\r\n", "\n", text, fixed = TRUE)
}

# Are bytes text of two bytes a letter, as some Windows programs print it? Nearly every second byte
# is then 0.
is_wide <- function(bytes) {
  bytes <- utils::head(bytes, 400)
  odd <- bytes[c(FALSE, TRUE)]
  even <- bytes[c(TRUE, FALSE)]
  length(bytes) >= 20 && mean(odd == 0) > 0.9 && mean(even == 0) < 0.1
}
