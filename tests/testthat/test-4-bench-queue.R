queue_states <- clockpigeon:::queue_states
frame_script <- function(folder, ...) {
  script_engine(folder, ..., paste("cp", one_pixel(folder), "$1"),
                "sleep 0.05; echo load 0.01 compute 0.1")
}
# Trials of a plan on a scheduler's machine.
room_plan <- function(engine, frames, repeats = 1) {
  plan_bench(small_shot(frames = 1:12), engine, frames = frames, repeats = repeats,
             options = bench_options(warmups = 0, cross = factor_grid(nodes = "room")))
}

test_that("times that are left are read in all forms", {
  left <- clockpigeon:::wall_time_left
  expect_identical(vapply(c("2:59", "1:02:03", "2-00:00:01", "0:00", "UNLIMITED", "INVALID", NA),
                          left, 0,
                          USE.NAMES = FALSE), c(179, 3723, 172801, 0, Inf, Inf, Inf))
})

test_that("the words of the queue become ours", {
  skip_on_os("windows")
  at <- scratch()
  command <- stand_in_scheduler(at)
  folder <- dirname(command)
  for (id in 1:6) writeLines("", file.path(folder, paste0("job-", id)))
  words <- c("TIMEOUT|None", "PREEMPTED|None", "OUT_OF_MEMORY|OutOfMemory", "RUNNING|None",
             "REQUEUED|None")
  for (id in 1:5) writeLines(words[id], file.path(folder, paste0("ended-", id)))
  x <- queue_states(c("1", "2", "3", "4", "5", "6", "99"), command)
  expect_identical(x$state, c("ended", "ended", "ended", "runs", "waits", "waits", "ended"))
  expect_identical(x$why[c(1, 2, 3, 5, 6, 7)],
                   c("its wall time was up", "the scheduler took the machine for others",
                     "its memory was used up", "was put back into the queue",
                     "waits in the queue (Resources)",
                     "the scheduler does not know its job any more"))
  expect_identical(x$left_s[1:6], rep(3600, 6))
  expect_identical(clockpigeon:::is_node_lost(x$why), c(TRUE, TRUE, FALSE, FALSE, TRUE, FALSE, FALSE))
  # One that is no Slurm's is not asked, and one that does not answer says nothing.
  expect_null(queue_states("1", "qsub"))
  expect_null(queue_states("1", file.path(at, "nowhere", "sbatch")))
})

test_that("a partition is measured as a node: each timing names its machine and the cores it was given", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  ledger <- memory_ledger()
  engine <- frame_script(at)
  node <- cluster_node(at)
  rows <- run_bench(room_plan(engine, 1:3), ledger, list(clockpigeon:::this_node(), node),
                    progress = FALSE)
  expect_identical(rows$status, rep("ok", 3))
  expect_identical(unique(rows$node), "room")
  expect_identical(unique(rows$threads), 1L)
  host <- vapply(rows$conditions, function(x) jsonlite::fromJSON(x)$host, "", USE.NAMES = FALSE)
  expect_match(host, if (real_cluster()) "^n[12]$" else "^m1$")
  expect_length(ls(clockpigeon:::in_queue), 0)
})

test_that("a trial whose machine is taken leaves no row, and runs on another one", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  once <- file.path(at, "once")
  engine <- frame_script(at, paste0("[ $2 = 2 ] && [ ! -f ", once, " ] && touch ", once,
                                    " && { kill -9 $PPID; sleep 3; }"))
  ledger <- memory_ledger()
  said <- capture.output(type = "message", rows <- run_bench(room_plan(engine, 1:4), ledger, list(
    clockpigeon:::this_node(), cluster_node(at)), progress = FALSE))
  expect_match(paste(said, collapse = " "),
               "room is gone in mid-frame: .*\\. Another machine is requested")
  expect_identical(rows$status, rep("ok", 4))
  expect_setequal(rows$frame, 1:4)
  # One that is cut each time is a failed trial at last.
  always <- frame_script(at, "[ $2 = 2 ] && { kill -9 $PPID; sleep 3; }")
  capture.output(type = "message", rows <- run_bench(room_plan(always, 1:3), memory_ledger(), list(
    clockpigeon:::this_node(), cluster_node(at)), progress = FALSE))
  expect_identical(sum(rows$status == "failed"), 1L)
  expect_match(rows$note[rows$status == "failed"], "the node room vanished")
})

test_that("a queue that is full is waited in, told, and left; the run is refused with what to do", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  node <- cluster_node(at, wait = "3s")
  if (real_cluster()) {
    for (k in 1:2) slurm("sbatch", "--exclusive", "--output=/dev/null", "--wrap", "'sleep 60'")
    withr::defer(slurm("scancel", "--name=wrap"))
    expect_true(wait_until(function() length(slurm("squeue", "-h", "-t", "R")) == 2))
  } else tell_stand_in(at, "full")
  ledger <- memory_ledger()
  said <- capture.output(type = "message", expect_refusal(
    run_bench(room_plan(frame_script(at), 1), ledger, list(clockpigeon:::this_node(), node),
              progress = TRUE),
    "node", "waits in the queue ("))
  expect_match(paste(said, collapse = " "), "room waits in the queue")
  expect_identical(nrow(timings(ledger)), 0L)
  expect_length(ls(clockpigeon:::in_queue), 0)
  if (real_cluster())
    expect_true(wait_until(function() length(slurm("squeue", "-h", "--name=clockpigeon-room")) ==
                           0))
  x <- clockpigeon:::node_readiness(list(node), list(frame_script(at)), timeout = 3)
  expect_true(x$queued)
  expect_false(x$ready)
  expect_match(x$says, "waits in the queue .*its version is looked at when it has a machine")
})

test_that("a scheduler that refuses says why", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  node <- cluster_node(at, options = "#SBATCH --partition=attic")
  if (!real_cluster()) tell_stand_in(at, "refuses")
  expect_refusal(run_bench(room_plan(frame_script(at), 1), memory_ledger(),
                           list(clockpigeon:::this_node(), node), progress = FALSE), "node",
                 "invalid partition specified")
})

test_that("a probe keeps its machine from frame to frame", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  ledger <- memory_ledger()
  engine <- frame_script(at)
  found <- probe_shot(small_shot(frames = 1:20), engine, ledger, probing(target = 0.9, first = 3),
                      running(node = cluster_node(at), progress = FALSE))
  rows <- timings(ledger)
  expect_identical(found$node, "room")
  expect_identical(unique(rows$node), "room")
  expect_gte(nrow(rows), 3)
  if (!real_cluster()) expect_identical(readLines(file.path(at, "scheduler", "count")), "1")
  expect_match(found$cheap$why, "the frames on another")
  shots <- small_shot(frames = 1:20)
  pebble <- read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))
  expect_refusal(cheap_pass(shots, pebble, ledger, running = running(node = cluster_node(at))),
                 "node",
                 "a cheap pass is run on this one")
})

test_that("the devices that the scheduler gave reach the renderer", {
  skip_without_cluster()
  at <- scratch()
  seen <- file.path(at, "seen")
  engine <- frame_script(at, paste0("echo $GPU_DEVICE_ORDINAL $SLURM_JOB_GPUS >> ", seen))
  # One device is taken by another job on each machine, so that ours is not the first.
  for (name in c("n1", "n2")) {
    slurm("sbatch", paste0("--nodelist=", name), "--gres=gpu:1", "--output=/dev/null", "--wrap",
          "'sleep 60'")
  }
  withr::defer(slurm("scancel", "--name=wrap"))
  expect_true(wait_until(function() length(slurm("squeue", "-h", "-t", "R")) == 2))
  run_bench(room_plan(engine, 1), memory_ledger(), list(
    clockpigeon:::this_node(), cluster_node(at, options = "#SBATCH --gres=gpu:1")),
            progress = FALSE)
  expect_identical(readLines(seen), "1 1")
})
