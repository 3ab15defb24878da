# A frame of a job, rendered on a node: made under a temporary name, and moved into place when
# complete.

# The name under which the processes of a job find each other on a node: job, run, slot.
slot_mark <- "CLOCKPIGEON_SLOT"

# Readies a node for the frames of a job; run there. Leftovers of an earlier run of the job are
# stopped first, so that no frame is rendered twice at once. `mark`: list(job, run, slot).
host_slot <- function(mark, pairs, engines, node, threads) {
  job <- paste0(mark$job, "/")
  kill_marked(function(x) startsWith(x, job) & !startsWith(x, paste0(job, mark$run, "/")))
  do.call(Sys.setenv, stats::setNames(list(paste(mark$job, mark$run, mark$slot, sep = "/")),
                                      slot_mark))
  tools::psnice(value = 10)  # whoever sits at the machine goes first
  limit_threads(set_up_host(pairs, engines, node), threads, pid = Sys.getpid())
}

# A machine's cores are shared by the slots on it; a scheduler says how many are ours.
limit_threads <- function(host, slots, ...) {
  threads <- if (slots > 1 && !is.na(host$cores)) max(1L, host$cores %/% as.integer(slots))
             else or_else(host$given$cores, NA_integer_)
  c(host, list(threads = threads, ...))
}

# Ends the processes here whose mark says so, and all under them; returns their ids.
kill_marked <- function(which) {
  ended <- integer()
  for (pid in setdiff(ps::ps_pids(), Sys.getpid())) {
    handle <- tryCatch(ps::ps_handle(pid), error = function(e) NULL)
    mark <- tryCatch(ps::ps_environ(handle)[[slot_mark]], error = function(e) NA_character_)
    if (is.null(mark) || is.na(mark) || !which(mark)) next
    tryCatch(ps::ps_kill(handle), error = function(e) NULL)
    ended <- c(ended, pid)
  }
  ended
}

# Renders one frame; run on the node. `trial` as of a plan, `bench` as of run_trial(), `to` the
# picture's path from the project, `run` the name of this run of it. Returns list(rows) as of
# run_trial(), or list(wait = why) if no engine was started. With `bench$prepass` `alone` only the
# pre-pass of its shot runs. A bad picture never gets its name.
host_frame <- function(trial, bench, to, run) {
  keep <- bench$node$keep_free
  if (length(keep)) {
    free <- system_memory("avail")
    if (!is.na(free) && free < keep)
      return(list(wait = paste(format_size(free), "of memory are free")))
  }
  if (length(bench$node$folder)) bench$folder <- bench$node$folder
  making <- file.path(bench$folder, bench$making, run)
  dir.create(making, FALSE, TRUE)
  on.exit(unlink(making, recursive = TRUE, expand = FALSE))
  bench$keep <- making
  rows <- run_trial(trial, bench, making)
  last <- length(rows)
  if (identical(bench$prepass, "alone")) return(list(rows = rows))
  if (rows[[last]]$status != "ok") return(list(rows = rows))
  path <- file.path(bench$folder, to)
  dir.create(dirname(path), FALSE, TRUE)
  if (!suppressWarnings(file.rename(rows[[last]]$output, path))) {
    rows[[last]]$status <- "failed"
    rows[[last]]$note <- paste("its picture could not be moved to", path)
    return(list(rows = rows))
  }
  rows[[last]]$output <- to
  list(rows = rows)
}

# Files that travel in parts without a shared folder; run on the node. The whole is checked against
# its SHA-256 before it gets its name.
part_bytes <- 4e6

read_host_part <- function(folder, path, from, most = part_bytes) {
  path <- file.path(folder, path)
  file <- file(path, "rb")
  on.exit(close(file))
  seek(file, from)
  list(bytes = readBin(file, "raw", most), size = file.size(path),
       sha256 = if (from == 0) file_hashes(path))
}

host_write <- function(folder, path, from, bytes, size, sha256) {
  path <- file.path(folder, path)
  dir.create(dirname(path), FALSE, TRUE)
  write_part(path, from, bytes, size, sha256)
}

# Adds a part to a file; the last part completes it. Returns whether it is complete.
write_part <- function(path, from, bytes, size, sha256) {
  part <- paste0(path, ".part")
  if (from == 0) unlink(part)
  if (from != or_else(stats::na.omit(file.size(part)), 0)) return(FALSE)
  cat("", file = part, append = TRUE)
  file <- file(part, "ab")
  writeBin(bytes, file)
  close(file)
  if (file.size(part) < size) return(FALSE)
  if (!identical(file_hashes(part), sha256)) {
    unlink(part)
    return(FALSE)
  }
  file.rename(part, path)
}

# SHA-256 of the present files, NA for missing ones; run on the node.
host_files <- function(folder, paths) {
  at <- file.path(folder, paths)
  there <- file.exists(at)
  out <- rep(NA_character_, length(paths))
  out[there] <- file_hashes(at[there])
  out
}

host_remove <- function(folder, path) unlink(file.path(folder, path), expand = FALSE)
