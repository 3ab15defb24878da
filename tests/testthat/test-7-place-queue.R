run_pool <- clockpigeon:::run_pool
frame_engine <- function(folder, ..., last = "sleep 0.1; echo load 0.01 compute 0.1") {
  script_engine(folder, ..., paste("cp", one_pixel(folder), "$1"), last)
}
# A job on machines of a scheduler, each slot with one of them.
queued_job <- function(folder, engine, frames = 1:6, slots = 2,
                       options = "#SBATCH --partition=farm", ...) {
  node <- cluster_node(folder, count = slots, options = options)
  node$folder <- folder
  pool_of(folder, engine, frames,
          nodes = stats::setNames(rep(list(node), slots), paste0("room/", seq_len(slots))), ...)
}
events_of <- function(ledger, what) {
  x <- job_events(ledger, "night")
  x[x$what == what, ]
}
nothing_queued <- function() {
  expect_length(ls(clockpigeon:::in_queue), 0)
  if (real_cluster())
    expect_true(wait_until(function() length(slurm("squeue", "-h", "--name=clockpigeon-room")) ==
                           0))
}

test_that("frames are rendered on a scheduler's machines, which are named when they report, and the wait is kept", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  ledger <- ledger_of_job()
  frames <- run_pool(queued_job(at, frame_engine(at), 1:8), ledger)
  expect_identical(frames$state, rep("done", 8))
  expect_identical(nrow(events_of(ledger, "queued")), 2L)
  up <- events_of(ledger, "node up")
  expect_true(all(grepl(if (real_cluster()) "^n[12](/2)?$" else "^m[12]$", up$node)))
  expect_identical(anyDuplicated(up$node), 0L)
  expect_setequal(events_of(ledger, "arrived")$node, up$node)
  rows <- as.data.frame(timings(ledger))
  expect_identical(unique(rows$node), "room")
  expect_identical(unique(rows$threads[rows$activity == "render"]), 1L)
  wait <- rows[rows$activity == "wait", ]
  expect_identical(nrow(wait), 1L)
  expect_identical(sum(rows$activity == "start"), 1L)
  expect_identical(wait$site, "attic")
  expect_gt(wait$wall_s, 0.1)
  expect_identical(jsonlite::fromJSON(wait$conditions)$nodes, 2L)
  nothing_queued()
})

test_that("waits of the queue are part of the next forecast, by how much is asked for", {
  site <- list(site = "attic", kind = "own", time_zone = "UTC")
  now <- as.POSIXct("2026-11-24 14:00", tz = "UTC")
  rows <- data.frame(activity = "wait", site = "attic", wall_s = c(60, 70, 80, 600, 650, 700, 9),
                     measured_at = "2026-11-20T13:00:00Z",
                     conditions = c(rep("{\"nodes\":1}", 3), rep("{\"nodes\":8}", 3), NA))
  rows$site[7] <- "cellar"
  seen <- function(nodes) clockpigeon:::queue_seen(rows, site, now, nodes)
  few <- seen(1)
  expect_identical(few$basis, "measured")
  expect_identical(few$from, "6 waits in the queue")
  expect_gt(seen(8)$time$median_s / few$time$median_s, 2)
  expect_identical(few$time[1:3],
                   clockpigeon:::queue_time(rows$wall_s[1:6], rep("12 to 18", 6),
                                            rep(c(1, 8), each = 3), "12 to 18", 1))
  expect_null(clockpigeon:::queue_seen(rows[1:2, ], site, now, 1))
  expect_null(clockpigeon:::queue_seen(rows[0, ], site, now, 1))
})

test_that("a machine that is gone in mid-frame loses nothing: the frame is no failed one, another machine is asked for", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  once <- file.path(at, "once")
  where <- file.path(at, "where")
  engine <- frame_engine(at, paste0("[ $2 = 3 ] && [ ! -f ", once,
                                    " ] && { echo $SLURMD_NODENAME $SLURM_JOB_ID > ", where,
                                    "; touch ", once, "; sleep 60; }"))
  ledger <- ledger_of_job()
  # What takes the machine away runs beside the job.
  ender <- file.path(at, "ender.sh")
  writeLines(c(paste0("while [ ! -f ", once, " ]; do sleep 0.1; done"),
               paste("read name id <", where),
               if (real_cluster()) paste(Sys.getenv("CLOCKPIGEON_TEST_CLUSTER_SCRIPT"),
                                         Sys.getenv("CLOCKPIGEON_TEST_CLUSTER"), "lose $name")
               else c(paste0("echo 'NODE_FAIL|None' > ", at, "/scheduler/ended-$id"),
                      paste0(at, "/scheduler/scancel $id"))), ender)
  beside <- processx::process$new("/bin/bash", ender)
  frames <- run_pool(queued_job(at, engine, 1:6, slots = 1), ledger)
  beside$wait(20000)
  if (real_cluster()) {
    machine_of_slurm("back", sub(" .*", "", readLines(where)))
    expect_true(wait_until(function() length(slurm("sinfo", "-h", "-N", "-p", "farm", "-t",
                                                   "idle")) == 2))
  }
  expect_identical(frames$state, rep("done", 6))
  expect_identical(frames$failures, rep(0L, 6))
  expect_identical(events_of(ledger, "lost")$frame, 3L)
  expect_identical(nrow(events_of(ledger, "failed")), 0L)
  # One slot alone: no other could have taken the frame over.
  expect_identical(nrow(events_of(ledger, "queued")), 2L)
  rows <- timings(ledger)
  expect_true(all(rows$status == "ok"))
  expect_identical(sort(rows$frame[rows$activity == "render"]), 1:6)
  nothing_queued()
})

test_that("a machine that is taken for others is asked for again, however often, and no frame fails by it", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  cuts <- file.path(at, "cuts")
  # Frame 2 is cut four times: more often than a frame may fail.
  engine <- frame_engine(at, paste0("[ $2 = 2 ] && [ $(cat ", cuts,
                                    " | wc -l) -lt 4 ] && { echo $SLURM_JOB_ID >> ", cuts,
                                    "; sleep 30; }"))
  file.create(cuts)
  ender <- file.path(at, "ender.sh")
  writeLines(c("seen=0", "while [ $seen -lt 4 ]; do", "  sleep 0.2",
               paste0("  now=$(cat ", cuts, " | wc -l)"), "  [ $now -gt $seen ] || continue",
               "  seen=$now", paste0("  id=$(tail -1 ", cuts, ")"),
               if (real_cluster()) c("  name=$(squeue -h -j $id -o %N)",
                                     "  sbatch -p first -w $name --exclusive -o /dev/null --wrap 'sleep 3' > /dev/null")
               else c(paste0("  echo 'PREEMPTED|None' > ", at, "/scheduler/ended-$id"),
                      paste0("  ", at, "/scheduler/scancel $id")), "done"), ender)
  beside <- processx::process$new("/bin/bash", ender)
  ledger <- ledger_of_job()
  frames <- run_pool(queued_job(at, engine, 1:3, slots = 1), ledger)
  beside$wait(20000)
  expect_identical(frames$state, rep("done", 3))
  expect_identical(frames$failures, rep(0L, 3))
  expect_identical(events_of(ledger, "lost")$frame, rep(2L, 4))
  expect_match(events_of(ledger, "lost")$detail, "the scheduler took the machine for others")
  expect_false(any(grepl("given up", events_of(ledger, "node gone")$detail)))
  nothing_queued()
})

test_that("a frame is not begun in the rest of a wall time that is too short for it", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  ledger <- ledger_of_job()
  job <- queued_job(at, frame_engine(at, last = "sleep 1; echo load 0.01 compute 0.1"), 1:3,
                    slots = 1)
  if (!real_cluster()) {
    # 1.6 s are left of a wall time: a frame of a second fits once.
    path <- file.path(at, "scheduler", "squeue")
    writeLines(sub("1:00:00", "0:02", readLines(path)), path)
    expect_identical(run_pool(job, ledger)$state, rep("done", 3))
    expect_identical(nrow(events_of(ledger, "queued")), 3L)
  } else {
    # Of the wall time of a minute, five slow frames fit: the sixth is begun on another machine.
    job <- queued_job(at, frame_engine(at, last = "sleep 11; echo load 0.01 compute 0.1"), 1:6,
                      slots = 1, options = "#SBATCH --partition=brief", limit_s = list(attic = 60))
    expect_identical(run_pool(job, ledger)$state, rep("done", 6))
    expect_gte(nrow(events_of(ledger, "queued")), 2)
  }
  expect_identical(nrow(events_of(ledger, "lost")), 0L)
  expect_true("given back to the scheduler" %in% events_of(ledger, "node gone")$detail)
})

test_that("a frame that takes longer than all of the wall time fails, with that reason", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  begun <- file.path(at, "begun")
  engine <- frame_engine(at, paste0("[ $2 = 1 ] && { echo $SLURM_JOB_ID >> ", begun,
                                    "; sleep 200; }"))
  ledger <- ledger_of_job()
  job <- queued_job(at, engine, 1:2, slots = 1, options = "#SBATCH --partition=brief",
                    retries = list(attic = 0L), limit_s = list(attic = 300))
  if (!real_cluster()) {
    ender <- file.path(at, "ender.sh")
    writeLines(c(paste0("while [ ! -f ", begun, " ]; do sleep 0.1; done"),
                 paste("read id <", begun),
                 paste0("echo 'TIMEOUT|None' > ", at, "/scheduler/ended-$id"),
                 paste0(at, "/scheduler/scancel $id")),
               ender)
    beside <- processx::process$new("/bin/bash", ender)
  }
  frames <- run_pool(job, ledger)
  expect_identical(frames$state, c("failed", "done"))
  expect_match(events_of(ledger, "failed")$detail,
               "longer than the wall time that the scheduler gives")
})

test_that("a queue that is full is waited in, and a stop leaves it", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  path <- file.path(at, "ledger.sqlite")
  ledger <- ledger_of_job(path = path)
  job <- queued_job(at, frame_engine(at), 1:2, slots = 2)
  if (real_cluster()) {
    for (k in 1:2) slurm("sbatch", "--exclusive", "--output=/dev/null", "--wrap", "'sleep 60'")
    withr::defer(slurm("scancel", "--name=wrap"))
    expect_true(wait_until(function() length(slurm("squeue", "-h", "-t", "R")) == 2))
  } else tell_stand_in(at, "full")
  # Another process orders the stop when both are in the queue.
  stopper <- file.path(at, "stop.R")
  writeLines(c("library(clockpigeon)", paste0("ledger <- open_ledger('", path, "')"),
               "for (k in 1:600) { if (sum(job_events(ledger, 'night')$what == 'queued') == 2) break; Sys.sleep(0.1) }",
               "clockpigeon:::add_events(ledger, 'night', data.frame(what = 'stopped', time = '2026-11-24T12:00:00Z'))"),
             stopper)
  beside <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("--no-init-file", stopper))
  frames <- run_pool(job, ledger)
  beside$wait(20000)
  expect_identical(frames$state, rep("waiting", 2))
  expect_identical(nrow(events_of(ledger, "node up")), 0L)
  nothing_queued()
})

test_that("outside the hours of a partition no machine is asked for, and one that is had is given back", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  skip_if(real_cluster(), "the clock is the test's")
  at <- scratch()
  ledger <- ledger_of_job()
  job <- queued_job(at, frame_engine(at), 1:3, slots = 1)
  job$slots[[1]]$node$hours <- list(list(days = clockpigeon:::week_days, from = 0, to = 12 * 3600))
  # Noon comes when the first frame is there; the next morning once the machine was given back.
  noon <- as.numeric(as.POSIXct("2026-11-24 12:00", tz = "UTC"))
  began <- as.numeric(Sys.time())
  clock <- function() {
    there <- length(pictures(at))
    back <- any(events_of(ledger, "node gone")$detail %in% "given back to the scheduler")
    noon + c(-3600, 3600, 22 * 3600)[1 + (there >= 1) + (there >= 1 && back)] +
      as.numeric(Sys.time()) - began
  }
  expect_identical(run_pool(job, ledger, clock = clock)$state, rep("done", 3))
  expect_identical(nrow(events_of(ledger, "queued")), 2L)
  night <- events_of(ledger, "queued")$time
  expect_true(all(substr(night, 12, 13) < "12"))
})

test_that("a scheduler that refuses, or machines that end at once, are given up on after a while", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  skip_if(real_cluster(), "a stand-in refuses faster")
  at <- scratch()
  ledger <- ledger_of_job()
  job <- queued_job(at, frame_engine(at), 1:2, slots = 1, again_s = 0.005)
  tell_stand_in(at, "refuses")
  expect_identical(run_pool(job, ledger)$state, rep("waiting", 2))
  gone <- events_of(ledger, "node gone")
  expect_match(gone$detail[2], "given up: .*sbatch takes no job: sbatch: error: invalid partition")
})
