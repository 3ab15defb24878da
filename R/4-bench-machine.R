# The machine: what it is, and what else it did while a trial ran.

# Constants of a machine: CPU model, cores, memory in MB (1e6 bytes) and operating system, as far as
# the system reports them.
machine_facts <- function(proc = "/proc") {
  cpu <- proc_text(file.path(proc, "cpuinfo"))
  model <- sub("^model name\\s*:\\s*", "", grep("^model name", cpu, value = TRUE))
  memory <- proc_number(file.path(proc, "meminfo"), "MemTotal")
  system <- proc_text("/etc/os-release")
  name <- gsub("^PRETTY_NAME=|\"", "", grep("^PRETTY_NAME=", system, value = TRUE))
  list(
    cpu = if (length(model)) model[1] else if (dir.exists(proc)) "unknown" else system_processor(),
    cores = machine_cores(),
    memory_mb = round((if (is.na(memory)) system_memory("total") else memory * 1024) / 1e6),
    system = paste(c(if (length(name)) name[1] else Sys.info()[["sysname"]],
                     Sys.info()[["release"]]), collapse = ", "),
    r = paste(R.version$major, R.version$minor, sep = ".")
  )
}

# Usable cores: on a machine of a scheduler, the allocated ones.
machine_cores <- function() {
  cores <- c(parallel::detectCores(), scheduled_here()$cores)
  if (all(is.na(cores))) NA_integer_ else as.integer(min(cores, na.rm = TRUE))
}

# Allocation of this process by a scheduler; run on its machine: the machine's name, and the cores
# it may use. NULL if no scheduler started it.
scheduled_here <- function() {
  name <- Sys.getenv("SLURMD_NODENAME")
  if (!nzchar(name)) return(NULL)
  cores <- suppressWarnings(as.integer(Sys.getenv("SLURM_CPUS_ON_NODE")))
  list(name = name, job = Sys.getenv("SLURM_JOB_ID"), cores = cores)
}

# Lines of a file of the system; none where there is no such file.
proc_text <- function(path) {
  tryCatch(readLines(path, warn = FALSE), error = function(e) character(),
           warning = function(w) character())
}

# The number behind a name in a file of lines `Name:  number unit`; NA when there is none.
proc_number <- function(path, name) {
  line <- grep(paste0("^", name, ":"), proc_text(path), value = TRUE)
  if (length(line)) as.numeric(gsub("[^0-9]", "", line[1])) else NA_real_
}

# Mean number of processes that ran or waited over the last minute; NA where the system does not
# tell.
load_average <- function(proc = "/proc") {
  line <- proc_text(file.path(proc, "loadavg"))
  if (length(line)) as.numeric(sub(" .*", "", line[1])) else system_load()
}

# CPU seconds that all processes of the machine have used so far; NA where the system does not tell.
machine_cpu_s <- function(proc = "/proc") {
  line <- proc_text(file.path(proc, "stat"))
  if (!length(line)) return(system_cpu_s())
  ticks <- as.numeric(strsplit(sub("^cpu +", "", line[1]), " ", fixed = TRUE)[[1]])
  sum(ticks[c(1, 2, 3, 6, 7)]) / clock_tick  # user, nice, system and the two kinds of interrupts
}

# CPU seconds used so far, one value a process, named by its program.
process_cpu_s <- function(proc = "/proc") {
  if (!dir.exists(proc)) return(system_processes())
  pids <- list.files(proc, "^[0-9]+$")
  stats <- lapply(file.path(proc, pids, "stat"), proc_text)
  stats <- unlist(Filter(length, stats))
  fields <- strsplit(sub("^.*\\) ", "", stats), " ", fixed = TRUE)
  ticks <- vapply(fields, function(f) sum(as.numeric(f[12:13])), 0)
  data.frame(pid = sub(" .*", "", stats), program = sub("^[0-9]+ \\((.*)\\) .*$", "\\1", stats),
             cpu_s = ticks / clock_tick)
}

# How often the processor slowed itself against heat, over all cores; NA where the system does not
# tell.
throttle_count <- function(folder = "/sys/devices/system/cpu") {
  files <- Sys.glob(file.path(folder, "cpu[0-9]*", "thermal_throttle", "core_throttle_count"))
  if (!length(files)) return(NA_real_)
  sum(vapply(files, function(f) as.numeric(c(proc_text(f), NA)[1]), 0), na.rm = TRUE)
}

cpu_mhz <- function(proc = "/proc") {
  lines <- grep("^cpu MHz", proc_text(file.path(proc, "cpuinfo")), value = TRUE)
  if (length(lines)) round(mean(as.numeric(sub(".*:", "", lines)))) else NA_real_
}

busy_threshold <- 0.25  # cores that others may use on average during a trial before it is marked

# Watches the machine during a trial: call it before, and its result after, with the trial's wall
# and CPU seconds. That gives `busy` and `conditions` of a timing: cores used by others on average,
# the programs that used most of them, the clock rate, whether the processor throttled, and which
# machine of a scheduler's it was. `proc`: the system's process files.
watch_machine <- function(proc = "/proc") {
  before <- machine_cpu_s(proc)
  processes <- process_cpu_s(proc)
  throttled <- throttle_count()
  own <- sum(proc.time()[1:2])
  function(wall_s, cpu_s) {
    others <- (machine_cpu_s(proc) - before - cpu_s - (sum(proc.time()[1:2]) - own)) / wall_s
    others <- if (is.na(others)) NA_real_ else max(0, others)
    busy <- others > busy_threshold
    found <- Filter(function(x) length(x) && !is.na(x[1]), list(
      host = scheduled_here()$name, others_cores = round(others, 2),
      heavy = if (isTRUE(busy)) heavy_programs(processes, wall_s, proc),
      mhz = cpu_mhz(proc),
      throttled = if (!is.na(throttled)) throttle_count() > throttled
    ))
    list(busy = busy, conditions = if (length(found)) to_json(found) else NA_character_)
  }
}

# The programs other than this one that used most CPU since `before`, at most three.
heavy_programs <- function(before, wall_s, proc = "/proc") {
  now <- process_cpu_s(proc)
  now <- now[now[["pid"]] != Sys.getpid(), , drop = FALSE]
  at <- match(now[["pid"]], before[["pid"]])
  used <- now[["cpu_s"]] - ifelse(is.na(at), 0, before[["cpu_s"]][at])
  cores <- tapply(used / wall_s, now[["program"]], sum)
  cores <- sort(cores[cores > 0.05], decreasing = TRUE)
  if (length(cores))
    utils::head(paste(names(cores), format(round(as.vector(cores), 2), trim = TRUE)), 3)
}
