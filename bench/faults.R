# Kill -9 at random moments of placing and watching: a project with one small shot, rendered for
# real on two slots by the installed command. While a job runs, one of its processes is killed: the
# one that places it, a node, the engine, or a watcher. What placed is started again until the job
# is done; then a new job begins. Afterwards every frame is looked for, each picture is read to its
# end, and the ledger is checked by its database. Prints `name value unit`.
#
#   Rscript bench/faults.R [KILLS]     100 when absent
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
kills <- as.integer(c(commandArgs(TRUE), "100")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
set.seed(as.integer(Sys.time()))
frames <- 40
folder <- tempfile("faults-")
dir.create(folder)
invisible(file.copy(list.files(demo_file(), full.names = TRUE), folder, recursive = TRUE))
change <- function(file, ...) {
  path <- file.path(folder, file)
  text <- readLines(path)
  for (pair in list(...)) text <- sub(pair[1], pair[2], text)
  writeLines(text[!grepl("^cuts", text)], path)
}
change("shots/gears-review.yaml", c("^frames: .*", paste0("frames: 1-", frames)))
change("sites/attic.yaml", c("^pool: .*", "pool: [here, here]"))
project <- read_project(folder)
ledger <- open_ledger(project$ledger)
run_bench(plan_bench(project$shots["gears-review"], project$engines["pebble"],
                     versions = list(pebble = "1.1"), frames = c(1, 14, 27, 40), repeats = 1),
          ledger, folder = folder, progress = FALSE)
close_ledger(ledger)

# Each process gets a group of its own files; what it prints is kept for when something goes wrong.
start <- function(...) {
  processx::process$new(ns$find_program("clockpigeon"), c(...), wd = folder,
                        stdout = file.path(folder, "log"), stderr = "2>&1", cleanup = TRUE,
                        env = c("current", CLOCKPIGEON_FAULTS = folder))
}
make_decision <- function(job) {
  ran <- processx::run(ns$find_program("clockpigeon"),
                       c("choose", "--shots", "gears-review", "--only", "attic,nodes=2",
                         "--deadline", "3h", "--record", job), wd = folder, error_on_status = FALSE)
  if (!ran$status %in% c(0, 3)) stop(ran$stderr)
}
# A process of the job, of one kind: the one that places, one of its nodes, or what a node runs.
# Only those that this script began carry its mark.
handles <- function(is) {
  all <- lapply(ps::ps_pids(), function(pid) tryCatch(ps::ps_handle(pid), error = function(e) NULL))
  ours <- function(p) identical(ps::ps_environ(p)[["CLOCKPIGEON_FAULTS"]], folder)
  Filter(function(p) !is.null(p) && isTRUE(tryCatch(ours(p) && is(p), error = function(e) FALSE)),
         all)
}
engines <- function() handles(function(p) ps::ps_name(p) == "pebble")
victim <- function(placing, kind) {
  pick <- switch(kind, place = list(placing$as_ps_handle()), engine = engines(),
                 node = handles(function(p) any(grepl("mirai::daemon", ps::ps_cmdline(p),
                                                      fixed = TRUE))))
  if (length(pick)) pick[[sample.int(length(pick), 1)]]
}
done <- c(place = 0L, node = 0L, engine = 0L, watch = 0L)
job <- 0L
name <- function() paste0("faults-", job)
begun <- Sys.time()
while (sum(done) < kills && Sys.time() < begun + 3600) {
  job <- job + 1L
  make_decision(name())
  repeat {
    placing <- start("place", name(), "--yes", "--despite", "late,dear")
    watching <- NULL
    while (placing$is_alive()) {
      Sys.sleep(stats::runif(1, 0.3, 5))
      if (sum(done) >= kills || !placing$is_alive()) next
      kind <- sample(names(done), 1, prob = c(0.4, 0.3, 0.2, 0.1))
      if (kind == "watch") {
        watching <- start("watch", name(), "--format", "json")
        Sys.sleep(stats::runif(1, 0.3, 4))
        tools::pskill(watching$get_pid(), 9)
      } else {
        target <- victim(placing, kind)
        if (is.null(target)) next
        tryCatch(ps::ps_kill(target), error = function(e) NULL)
      }
      done[[kind]] <- done[[kind]] + 1L
    }
    placing$wait()
    status <- placing$get_exit_status()
    there <- list.files(file.path(folder, "placed", name(), "frames"), "png$", recursive = TRUE)
    if (length(there) == frames && identical(status, 0L)) break
    if (identical(status, 2L)) stop(paste(readLines(file.path(folder, "log")), collapse = "\n"))
  }
}
for (kind in names(done)) say(paste0("faults_kills_", kind), done[[kind]], "times")
ledger <- open_ledger(project$ledger, read_only = TRUE)
whole <- 0L
again <- 0L
in_vain <- 0L
arrived <- 0L
for (k in seq_len(job)) {
  at <- file.path(folder, "placed", paste0("faults-", k))
  pictures <- list.files(file.path(at, "frames"), "png$", recursive = TRUE, full.names = TRUE)
  whole <- whole + sum(vapply(pictures, function(path) identical(dim(tryCatch(png::readPNG(path),
    error = function(e) NULL))[1:2], c(90L, 160L)), NA))
  x <- job_events(ledger, paste0("faults-", k))
  x$time <- as.numeric(as.POSIXct(x$time, tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ"))
  fold <- ns$fold_events(x, data.frame(shot = "gears-review", frame = seq_len(frames)))
  arrived <- arrived + sum(fold$frames$state == "arrived")
  again <- again + sum(pmax(fold$frames$runs - 1L, 0L))
  # In vain: a run begun after the frame had arrived.
  in_vain <- in_vain + sum(vapply(seq_len(frames), function(f) {
    first <- min(c(x$time[x$what == "arrived" & x$frame %in% f], Inf))
    sum(x$what == "rendering" & x$frame %in% f & x$time > first)
  }, 0))
  left <- list.files(file.path(at, "making"), recursive = TRUE, all.files = TRUE)
  if (length(left)) cat("left over in faults-", k, ": ", length(left), " files\n", sep = "")
}
say("faults_frames_whole", whole, paste("of", job * frames, "in", job, "jobs"))
say("faults_frames_arrived", arrived, paste("of", job * frames, "in the ledger"))
say("faults_runs_again", again, "runs of frames that were cut off, given out again")
say("faults_runs_in_vain", in_vain, "runs of frames that were there")
check <- DBI::dbGetQuery(ledger$con, "PRAGMA integrity_check")[[1]]
cat("faults_ledger", check, "\n")
close_ledger(ledger)
say("faults_engines_left", length(engines()), "processes")
unlink(folder, recursive = TRUE)
