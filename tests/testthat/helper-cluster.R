# A scheduler's machines as a node: of a Slurm that runs beside the tests (make cluster-test), or
# else of a stand-in: a command that begins the script it is given at once, and others that tell of
# it and end it.
real_cluster <- function() nzchar(Sys.getenv("CLOCKPIGEON_TEST_CLUSTER"))
skip_without_cluster <- function()
  skip_if_not(real_cluster(), "no Slurm beside the tests (make cluster-test)")

cluster_node <- function(folder, name = "room", count = 1, options = "#SBATCH --partition=farm",
                         wait = "20s") {
  command <- if (real_cluster()) "sbatch" else stand_in_scheduler(folder)
  read_node(write_file(
    folder, paste0(name, ".yaml"), paste("node:", name), paste("count:", count),
    "devices: [{device: chip, kind: cpu}]",
    paste0("launch: {by: cluster, command: ", command, ", listen: 'tls+tcp://127.0.0.1:0', wait: ",
           wait, ", options: '", options, "', rscript: '", file.path(R.home("bin"), "Rscript"),
           " --no-init-file'}")
  ))
}

stand_in_scheduler <- function(folder) {
  at <- file.path(folder, "scheduler")
  if (dir.exists(at)) return(file.path(at, "sbatch"))
  dir.create(at)
  program <- function(name, ...) {
    path <- file.path(at, name)
    writeLines(c("#!/bin/sh", "at=$(dirname \"$0\")", ...), path)
    Sys.chmod(path, "755")
    path
  }
  program("squeue", "while [ $# -gt 0 ]; do [ \"$1\" = -j ] && ids=$2; shift; done",
          "for id in $(echo \"$ids\" | tr , ' '); do",
          "  [ -f \"$at/job-$id\" ] || continue",
          "  if [ -f \"$at/ended-$id\" ]; then state=$(cat \"$at/ended-$id\")",
          "  elif [ ! -f \"$at/pid-$id\" ]; then state='PENDING|Resources'",
          "  elif kill -0 \"$(cat \"$at/pid-$id\")\" 2>/dev/null; then state='RUNNING|None'",
          "  else state='FAILED|NonZeroExitCode'; fi",
          "  echo \"$id|$state|1:00:00\"", "done")
  program("scancel", "[ -f \"$at/pid-$1\" ] && kill -9 -- -\"$(cat \"$at/pid-$1\")\" 2>/dev/null",
          "[ -f \"$at/ended-$1\" ] || echo 'CANCELLED|None' > \"$at/ended-$1\"")
  program(
    "sbatch", "[ -f \"$at/refuses\" ] && { echo 'sbatch: error: invalid partition specified: attic'; exit 1; }",
    "id=$(($(cat \"$at/count\" 2>/dev/null || echo 0) + 1))", "echo $id > \"$at/count\"",
    "cat > \"$at/job-$id\"", "if [ ! -f \"$at/full\" ]; then",
    "  export SLURMD_NODENAME=m$id SLURM_JOB_ID=$id SLURM_CPUS_ON_NODE=1",
    "  setsid sh \"$at/job-$id\" > /dev/null 2>&1 < /dev/null &",
    "  echo $! > \"$at/pid-$id\"", "fi", "echo \"Submitted batch job $id\"")
}

# What the stand-in is told by the presence of a file: `full` (nothing begins), `refuses`.
tell_stand_in <- function(folder, what, on = TRUE) {
  path <- file.path(folder, "scheduler", what)
  if (on) invisible(file.create(path)) else unlink(path)
}

# Takes the machine of a job of the stand-in's away, for a reason of Slurm's.
take_machine <- function(folder, id, why) {
  at <- file.path(folder, "scheduler")
  writeLines(paste0(why, "|None"), file.path(at, paste0("ended-", id)))
  system2(file.path(at, "scancel"), id)
}

# Calls of Slurm's own commands, for the tests that need it.
slurm <- function(command, ...) system2(command, c(...), stdout = TRUE, stderr = TRUE)
machine_of_slurm <- function(what, name) {
  system2(Sys.getenv("CLOCKPIGEON_TEST_CLUSTER_SCRIPT"),
          c(Sys.getenv("CLOCKPIGEON_TEST_CLUSTER"), what, name),
          stdout = FALSE, stderr = FALSE)
}
wait_until <- function(is, seconds = 60) {
  for (k in seq_len(10 * seconds)) {
    if (is()) return(TRUE)
    Sys.sleep(0.1)
  }
  FALSE
}
