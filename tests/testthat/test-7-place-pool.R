run_pool <- clockpigeon:::run_pool

test_that("frames are rendered on all slots, each once, and are evidence of the site", {
  skip_if_not_installed("mirai")
  at <- scratch()
  ledger <- ledger_of_job()
  job <- pool_of(at, good_engine(at), 1:8, slots = 2)
  frames <- run_pool(job, ledger)
  expect_identical(frames$state, rep("done", 8))
  expect_identical(pictures(at), sprintf("%04d.png", 1:8))
  expect_length(leftovers(at), 0)
  expect_identical(sort(runs_of(ledger, "rendering")), 1:8)
  x <- folded_frames(ledger, job)
  expect_identical(x$frames$state, rep("arrived", 8))
  expect_true(all(x$frames$seconds > 0.04))
  expect_setequal(x$nodes$node, c("here/1", "here/2"))
  expect_true(all(x$nodes$frames > 0))
  rows <- timings(ledger, job = "night")
  expect_identical(sort(rows$frame), 1:8)
  expect_identical(unique(rows$site), "attic")
  # Nothing is left to do.
  run_pool(job, ledger)
  expect_identical(sort(runs_of(ledger, "rendering")), 1:8)
})

test_that("what lacks its picture is rendered again, and what is there but not told is told", {
  skip_if_not_installed("mirai")
  at <- scratch()
  ledger <- ledger_of_job()
  job <- pool_of(at, good_engine(at), 1:4)
  run_pool(job, ledger)
  unlink(file.path(at, job$frames$to[2]))
  dir.create(file.path(at, "more"))
  job$frames <- rbind(job$frames, data.frame(shot = "gears-review", frame = 5L, site = "attic",
                                             range = NA, to = "placed/night/frames/0005.png"))
  job$trials <- rbind(job$trials, utils::modifyList(job$trials[4, ], list(frame = 5L)))
  file.copy(file.path(at, job$frames$to[1]), file.path(at, job$frames$to[5]))
  expect_identical(run_pool(job, ledger)$state, rep("done", 5))
  expect_identical(sort(runs_of(ledger, "rendering")), c(1L, 2L, 2L, 3L, 4L))
  expect_identical(sum(runs_of(ledger, "arrived") == 5), 1L)
})

test_that("a frame that fails is tried elsewhere, at most as often as the site says, and a bad picture never gets its name", {
  skip_if_not_installed("mirai")
  at <- scratch()
  broken <- write_file(at, "broken.png", "no picture")
  engine <- good_engine(at, "[ $2 = 2 ] && { echo no light in this scene; exit 3; }",
                        paste("[ $2 = 3 ] && [ ! -f", file.path(at, "once"), "] && touch",
                              file.path(at, "once"), "&& cp", broken,
                              "$1 && echo load 0 compute 1 && exit 0"))
  ledger <- ledger_of_job()
  frames <- run_pool(pool_of(at, engine, 1:4, slots = 2), ledger)
  expect_identical(frames$state, c("done", "failed", "done", "done"))
  expect_identical(frames$failures, c(0L, 3L, 1L, 0L))
  expect_identical(pictures(at), sprintf("%04d.png", c(1, 3, 4)))
  x <- job_events(ledger, "night")
  failed <- x[x$what == "failed", ]
  expect_match(failed$detail[failed$frame == 2][1], "exit status 3: no light in this scene")
  expect_gt(length(unique(failed$node[failed$frame == 2])), 1)
  rows <- timings(ledger, job = "night")
  expect_identical(sum(rows$status != "ok"), 4L)
})

test_that("a node that vanishes in a frame loses nothing: its engine is ended, the frame given out again", {
  skip_if_not_installed("mirai")
  at <- scratch()
  killed <- file.path(at, "killed")
  ended <- file.path(at, "ended")
  engine <- good_engine(at, paste0("[ $2 = 3 ] && [ ! -f ", killed, " ] && touch ", killed,
                                   " && { kill -9 $PPID; sleep 3; touch ", ended, "; }"))
  ledger <- ledger_of_job()
  job <- pool_of(at, engine, 1:6, slots = 2)
  expect_identical(run_pool(job, ledger)$state, rep("done", 6))
  expect_identical(runs_of(ledger, "lost"), 3L)
  expect_identical(sum(runs_of(ledger, "rendering") == 3), 2L)
  x <- job_events(ledger, "night")
  expect_match(x$detail[x$what == "node gone"], "Connection reset")
  # It comes back.
  expect_gte(sum(x$what == "node up"), 2)
  Sys.sleep(3.2)
  expect_false(file.exists(ended))
})

test_that("a node that freezes is given up on after its time, and its frame goes to another", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  frozen <- file.path(at, "frozen")
  engine <- good_engine(at, paste0("[ $2 = 2 ] && [ ! -f ", frozen, " ] && touch ", frozen,
                                   " && { kill -STOP $PPID; sleep 30; }"))
  ledger <- ledger_of_job()
  job <- pool_of(at, engine, 1:5, slots = 2, limit_s = list(attic = 2), grace_s = 1)
  expect_identical(run_pool(job, ledger)$state, rep("done", 5))
  expect_identical(runs_of(ledger, "lost"), 2L)
  x <- job_events(ledger, "night")
  expect_match(x$detail[x$what == "lost"], "[Tt]imed out")
})

test_that("a frame that takes too long is ended on its node", {
  skip_if_not_installed("mirai")
  at <- scratch()
  engine <- good_engine(at, "[ $2 = 1 ] && sleep 30")
  ledger <- ledger_of_job()
  frames <- run_pool(pool_of(at, engine, 1:2, limit_s = list(attic = 0.5),
                             retries = list(attic = 0L)), ledger)
  expect_identical(frames$state, c("failed", "done"))
  expect_match(job_events(ledger, "night")$detail[3:9], "ended after 0.500s", all = FALSE)
})

test_that("a run that is killed goes on where it was, and what it left behind is ended first", {
  skip_if_not_installed("mirai")
  skip_on_os("windows")
  at <- scratch()
  log <- file.path(at, "log")
  engine <- good_engine(at, paste0("echo begin $2 >> ", log), last = paste0(
    "sleep 0.2; echo end $2 >> ", log, "; echo load 0.01 compute 0.1"))
  path <- file.path(at, "ledger.sqlite")
  ledger <- ledger_of_job(path = path)
  job <- pool_of(at, engine, 1:12, slots = 2)
  saveRDS(job, file.path(at, "job.rds"))
  code <- sprintf(
    "job <- readRDS('%s'); l <- clockpigeon::open_ledger('%s'); clockpigeon:::run_pool(job, l)",
    file.path(at, "job.rds"), path)
  for (turn in 1:2) {
    run <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code),
                                 env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
    until <- Sys.time() + 20
    while (length(pictures(at)) < 3 * turn && Sys.time() < until) Sys.sleep(0.02)
    tools::pskill(run$get_pid(), 9)
    run$wait(5000)
  }
  expect_lt(length(pictures(at)), 12)
  expect_identical(run_pool(job, ledger)$state, rep("done", 12))
  expect_identical(pictures(at), sprintf("%04d.png", 1:12))
  # No frame was begun while another run of it was under way: each begin is followed by its own end,
  # or it was ended.
  said <- read.table(log, col.names = c("what", "frame"))
  ends <- table(factor(said$frame[said$what == "end"], 1:12))
  expect_true(all(ends >= 1 & ends <= 2))
  expect_lte(sum(said$what == "begin"), 12 + 4)
  expect_identical(folded_frames(ledger, job)$frames$state, rep("arrived", 12))
})

test_that("hours and memory of a node are kept", {
  skip_if_not_installed("mirai")
  at <- scratch()
  ledger <- ledger_of_job()
  node <- clockpigeon:::this_node()
  node$keep_free <- 1e15
  node$hours <- NULL
  calls <- 0
  clock <- function() {
    calls <<- calls + 1
    if (calls > 400) stop("long enough")
    as.numeric(Sys.time())
  }
  expect_error(run_pool(pool_of(at, good_engine(at), 1:2, nodes = list(full = node)), ledger,
                        clock = clock), "long")
  expect_match(job_events(ledger, "night")$detail, "of memory are free", all = FALSE)
  expect_length(pictures(at), 0)
  # Open on one day of the week only, and it is the other.
  day <- clockpigeon:::week_days[as.POSIXlt(Sys.time() + 2 * 86400, tz = "UTC")$wday + 1]
  node$keep_free <- 1
  node$hours <- list(list(days = day, from = 0, to = 86400))
  calls <- 0
  begun <- length(runs_of(ledger, "rendering"))
  expect_error(run_pool(pool_of(at, good_engine(at), 1:2, nodes = list(closed = node)), ledger,
                        clock = clock), "long")
  expect_length(runs_of(ledger, "rendering"), begun)
})

test_that("where no folder is shared, files go there and pictures come home, in parts and whole", {
  skip_if_not_installed("mirai")
  at <- scratch()
  there <- scratch()
  big <- write_file(at, "scene.txt", rep("a sphere at the origin", 300))
  node <- clockpigeon:::this_node()
  node$folder <- there
  picture <- file.path(at, "noise.png")
  png::writePNG(array(stats::runif(18 * 32 * 3), c(18, 32, 3)), picture)
  engine <- script_engine(at, paste("test -s", file.path(there, "scene.txt"), "|| exit 4"),
                          paste("cp", picture, "$1"), "echo load 0.01 compute 0.1")
  ledger <- ledger_of_job()
  job <- pool_of(at, engine, 1:3, nodes = list(far = node), files = "scene.txt")
  local_value("part_bytes", 1000)
  expect_identical(run_pool(job, ledger)$state, rep("done", 3))
  expect_identical(unname(tools::md5sum(file.path(there, "scene.txt"))), unname(tools::md5sum(big)))
  expect_identical(unique(unname(tools::md5sum(file.path(at, job$frames$to)))),
                   unname(tools::md5sum(picture)))
  expect_length(list.files(there, "png$", recursive = TRUE), 0)
  # Where it is shared nothing travels.
  node$folder <- at
  unlink(file.path(at, job$frames$to))
  job$slots$far$node$folder <- at
  shared <- pool_of(at, script_engine(at, paste("cp", picture, "$1"), "echo load 0.01 compute 0.1"),
                    1:3, nodes = list(far = node), files = "no-such-file")
  expect_identical(run_pool(shared, ledger)$state, rep("done", 3))
})

test_that("a pool whose nodes are all lost ends, and says what waits", {
  skip_if_not_installed("mirai")
  at <- scratch()
  node <- clockpigeon:::this_node()
  node$launch <- list(by = "ssh", host = "nowhere", port = 47331L, rscript = "Rscript")
  ledger <- ledger_of_job()
  local_value("open_node", function(node, timeout = 20) "does not answer")
  frames <- run_pool(pool_of(at, good_engine(at), 1:2, nodes = list(gone = node), again_s = 0.001),
                     ledger)
  expect_identical(frames$state, rep("waiting", 2))
  x <- job_events(ledger, "night")
  expect_identical(x$detail[x$what == "node gone"],
                   c("it does not answer", "given up: it does not answer"))
})

test_that("frames of a site whose nodes are lost do not hold up the others, nor wait for ever", {
  skip_if_not_installed("mirai")
  at <- scratch()
  ledger <- ledger_of_job()
  job <- pool_of(at, good_engine(at), 1:4, slots = 2, again_s = 0.001)
  job$frames$site[3:4] <- "cellar"
  job$slots[[2]]$site <- "cellar"
  job$slots[[2]]$node$node <- "gone"
  job$limit_s$cellar <- 20
  job$retries$cellar <- 2L
  open <- clockpigeon:::open_node
  local_value("open_node",
              function(node, timeout = 20) if (node$node == "gone") FALSE else open(node, timeout))
  expect_identical(run_pool(job, ledger)$state, c("done", "done", "waiting", "waiting"))
})

test_that("a slot on which all fails is given time, so that what was wrong for a moment costs no frame its tries", {
  skip_if_not_installed("mirai")
  at <- scratch()
  ready <- file.path(at, "ready")
  engine <- good_engine(at, paste0("[ -f ", ready, " ] || { n=$(cat ", at,
                                   "/n 2>/dev/null || echo 0); echo $((n + 1)) > ", at,
                                   "/n; [ $n -ge 4 ] && touch ", ready, "; exit 1; }"))
  ledger <- ledger_of_job()
  frames <- run_pool(pool_of(at, engine, 1:6, again_s = 0.2), ledger)
  expect_identical(frames$state, rep("done", 6))
  x <- job_events(ledger, "night")
  time <- as.numeric(as.POSIXct(x$time, tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ"))
  failed <- time[x$what == "failed"]
  expect_length(failed, 5)
  # From the third on it waits longer each time.
  expect_gt(failed[4] - failed[3], 0.2)
  expect_gt(failed[5] - failed[4], 0.4)
})

test_that("a node to which the files of the job do not come is tried again, and holds up no other", {
  skip_if_not_installed("mirai")
  at <- scratch()
  write_file(at, "scene.txt", "a sphere")
  far <- clockpigeon:::this_node()
  far$folder <- scratch()
  ledger <- ledger_of_job()
  local_value("host_write", function(...) FALSE)
  job <- pool_of(at, good_engine(at, last = "sleep 0.3; echo load 0.01 compute 0.1"), 1:8,
                 files = "scene.txt", nodes = list(near = clockpigeon:::this_node(), far = far),
                 again_s = 0.01)
  expect_identical(run_pool(job, ledger)$state, rep("done", 8))
  x <- job_events(ledger, "night")
  expect_identical(unique(x$node[x$what == "arrived"]), "near")
  expect_match(x$detail[x$what == "node gone"][1], "scene.txt did not arrive whole")
})
