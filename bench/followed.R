# Real jobs, followed: how often the 80 % range of the end holds the truth when 25, 50 and 75 % of
# the frames are there. Each job is a run of frames of one of the demo's review shots, rendered for
# real on one slot of this machine by place_job(); what it is forecast from is a benchmark of 6 of
# its frames just before. Beside it the habit, frames left times the mean time so far. In every
# fourth job something else keeps the machine busy from half of its frames on, for what is left of
# it. Prints each job and `name value unit`. Leave the machine alone meanwhile.
#
#   Rscript bench/followed.R [JOBS] [FOLDER]     20 when absent; the projects are kept in the
#   folder, where one is named
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
count <- as.integer(c(commandArgs(TRUE), "20")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 3), scientific = FALSE, trim = TRUE), unit, "\n")
set.seed(12)
kept <- commandArgs(TRUE)[2]
base <- if (is.na(kept)) tempfile("followed-") else kept
dir.create(base)
shots <- c("gears-review", "basin-review", "gallery-review")

# A project with one shot of so many frames from one on, its frames measured just now.
project_of <- function(k) {
  folder <- file.path(base, k)
  dir.create(folder)
  file.copy(list.files(demo_file(), full.names = TRUE), folder, recursive = TRUE)
  shot <- shots[1 + k %% 3]
  path <- file.path(folder, "shots", paste0(shot, ".yaml"))
  text <- readLines(path)
  first <- sample(500, 1)
  many <- sample(60:140, 1)
  text <- sub("^frames: .*", sprintf("frames: %d-%d", first, first + many - 1), text)
  writeLines(text[!grepl("^cuts", text)], path)
  project <- read_project(folder)
  ledger <- open_ledger(project$ledger)
  run_bench(plan_bench(project$shots[shot], project$engines["pebble"],
                       versions = list(pebble = "1.1"),
                       frames = first_probes(project$shots[[shot]]$frames, 6), repeats = 1), ledger,
            folder = folder, progress = FALSE)
  list(project = project, ledger = ledger, shot = shot)
}

rows <- NULL
for (k in seq_len(count)) {
  p <- project_of(k)
  on <- p$project
  job <- render_job(on$shots[p$shot], c(pebble = "1.1"), timings(p$ledger), on$currency, on$rates,
                    on$time_zone)
  forecast <- forecast_job(plan_options(job, on$sites, only = c("attic", "nodes=1")), draws = 1000)
  record_job(p$ledger, choose_option(forecast, "3 h"), "followed")
  place <- plan_place(on, p$ledger, "followed")
  busy <- k %% 4 == 0
  other <- if (busy) {
    code <- sprintf(
      "while (length(list.files('%s', 'png$', recursive = TRUE)) < %d) Sys.sleep(0.1); repeat sum(1:1e6 + 0)",
      file.path(on$root, "placed"), length(on$shots[[p$shot]]$frames) %/% 2)
    processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code))
  }
  placed <- place_job(place, p$ledger, progress = FALSE)
  if (busy) other$kill()
  stopifnot(all(placed$frames$state == "done"))
  x <- watch_job(on, p$ledger, "followed")
  came <- sort(x$came)
  n <- length(came)
  for (share in c(0.25, 0.5, 0.75)) {
    m <- ceiling(share * n)
    then <- watch_job(on, p$ledger, "followed", now = x$placed + came[m] + 0.01, last = x)
    q <- stats::quantile(then$draws$finish_s, c(0.1, 0.5, 0.9), names = FALSE)
    rows <- rbind(rows, data.frame(job = k, share, busy, held = came[n] >= q[1] && came[n] <= q[3],
                                   width = (q[3] - q[1]) / came[n], off = q[2] / came[n] - 1,
                                   habit = came[m] * n / m / came[n] - 1,
                                   slower = any(then$parts$slowed)))
  }
  promised <- stats::quantile(forecast$draws$finish_s, c(0.1, 0.5, 0.9), names = FALSE)
  cat(sprintf("job %d: %s, %d frames in %.1f s, promised %.1f (%.1f to %.1f)%s\n", k, p$shot, n,
              came[n], promised[2], promised[1], promised[3],
              if (busy) ", busy from half on" else ""))
  close_ledger(p$ledger)
}
for (kind in c(FALSE, TRUE)) for (share in c(0.25, 0.5, 0.75)) {
  x <- rows[rows$busy == kind & rows$share == share, ]
  if (!nrow(x)) next
  say(paste0("followed_", if (kind) "busy_" else "", 100 * share, "_held"), mean(x$held), sprintf(
    "of %d; width %.3f of the whole; off by %.1f %% (habit %.1f %%); called slower %d", nrow(x),
    stats::median(x$width), 100 * stats::median(abs(x$off)), 100 * stats::median(abs(x$habit)),
    sum(x$slower)))
}
if (is.na(kept)) unlink(base, recursive = TRUE)
