# The system through package ps, which knows Linux, macOS and Windows: what /proc tells is taken
# from there where it is, and from here elsewhere. NA where a system does not tell.

clock_tick <- 100  # a second of CPU time in /proc is this many ticks on every Linux that R runs on

try_or <- function(code, otherwise = NA_real_) tryCatch(code, error = function(e) otherwise)

# CPU seconds that all processes have used, over all cores.
system_cpu_s <- function() {
  try_or({
    x <- unlist(ps::ps_system_cpu_times())
    used <- sum(x[setdiff(names(x), c("idle", "iowait", "guest", "guest_nice", "steal"))])
    # there the package counts ticks
    if (Sys.info()[["sysname"]] == "Linux") used / clock_tick else used
  })
}

# Bytes of memory: `total` or `avail`.
system_memory <- function(what) try_or(as.numeric(ps::ps_system_memory()[[what]]))

system_load <- function() try_or(as.numeric(ps::ps_loadavg()[[1]]))

# CPU seconds by process: `pid`, `program`, `cpu_s`.
system_processes <- function() {
  row_of <- function(p) {
    times <- unlist(ps::ps_cpu_times(p))
    data.frame(pid = paste(ps::ps_pid(p)), program = ps::ps_name(p),
               cpu_s = sum(times[c("user", "system")]))
  }
  try_or({
    handles <- lapply(ps::ps_pids(), function(pid) try_or(ps::ps_handle(pid), NULL))
    rows <- lapply(Filter(length, handles), function(p) try_or(row_of(p), NULL))
    do.call(rbind, Filter(length, rows))
  }, data.frame(pid = character(), program = character(), cpu_s = numeric()))
}

# The processor as the system names it.
system_processor <- function() {
  said <- if (.Platform$OS.type == "windows") Sys.getenv("PROCESSOR_IDENTIFIER")
          else try_or(trimws(processx::run("sysctl", c("-n", "machdep.cpu.brand_string"))$stdout),
                      "")
  if (nzchar(said)) said else "unknown"
}

# Free bytes of the disk that a folder is on, in 1e6.
disk_free_mb <- function(path) try_or(as.numeric(ps::ps_disk_usage(path)[["available"]]) / 1e6)
