# Kill -9 at random moments of a job at a site that is asked by its address: the stand-in, the
# command that places, one that fetches, or one that watches is killed, and what was killed is
# started again until the job is done; every fourth connection is cut beside that, events come twice
# and out of order, 3 in 100 frames fail, and all nodes are slow, so that a job lasts a while.
# Afterwards every frame is looked for, jobs there are counted, what was charged is held against the
# site's own books, and the ledger is checked by its database. Prints `name value unit`.
#
#   Rscript bench/faults-site.R [KILLS]     100 when absent
suppressPackageStartupMessages(library(clockpigeon))
ns <- asNamespace("clockpigeon")
kills <- as.integer(c(commandArgs(TRUE), "100")[1])
say <- function(name, value, unit)
  cat(name, format(signif(value, 4), scientific = FALSE, trim = TRUE), unit, "\n")
set.seed(as.integer(Sys.time()))
frames <- 30
folder <- tempfile("faults-site-")
dir.create(folder)
Sys.setenv(CLOCKPIGEON_TOKEN = "token-of-the-faults")
invisible(file.copy(list.files(demo_file(), full.names = TRUE), folder, recursive = TRUE))
path <- file.path(folder, "shots/gears-review.yaml")
text <- sub("^frames: .*", paste0("frames: 1-", frames), readLines(path))
writeLines(text[!grepl("^cuts", text)], path)
project <- read_project(folder)
ledger <- open_ledger(project$ledger)
run_bench(plan_bench(project$shots["gears-review"], project$engines["pebble"],
                     versions = list(pebble = "1.1"), frames = c(1, 10, 20, 30), repeats = 1),
          ledger, folder = folder, progress = FALSE)
close_ledger(ledger)
card <- file.path(folder, "sites/quayside.yaml")
writeLines(sub("^start:.*", "start: none", readLines(card)), card)
port <- 20000L + sample.int(20000L, 1)
cat(paste0("service: {address: http://127.0.0.1:", port,
           "/quayside, token: {env: CLOCKPIGEON_TOKEN}}\n"),
    file = file.path(folder, "sites/quayside.yaml"), append = TRUE)

command <- ns$find_program("clockpigeon")
start <- function(...) {
  processx::process$new(command, c(...), wd = folder, stdout = file.path(folder, "log"),
                        stderr = "2>&1", cleanup = TRUE)
}
farm <- NULL
serve <- function() {
  farm <<- start("standin", "quayside", "--port", port, "--speed", "3", "--misbehave",
                 paste0("cut=25%,doubled=20%,disordered=20%,delayed=5%,fail=3%,",
                        paste0("slow=", 1:4, ":12", collapse = ",")))
}
# The process group of a command: R runs in the shell that it was started by.
strike <- function(process) {
  children <- tryCatch(ps::ps_children(process$as_ps_handle(), recursive = TRUE),
                       error = function(e) list())
  for (one in c(children, list(process$as_ps_handle())))
    tryCatch(ps::ps_kill(one), error = function(e) NULL)
  process$wait(5000)
}
make_decision <- function(job) {
  ran <- processx::run(command, c("choose", "--shots", "gears-review", "--only", "quayside,nodes=4",
                                  "--deadline", "9h", "--record", job), wd = folder,
                       error_on_status = FALSE)
  if (!ran$status %in% c(0, 3)) stop(ran$stderr)
}
place <- function(job) start("place", job, "--yes", "--despite", "quote,changed")
struck <- c(standin = 0L, place = 0L, fetch = 0L, watch = 0L)
job <- 0L
begun <- Sys.time()
serve()
Sys.sleep(3)
placed <- function(name) {
  ledger <- open_ledger(project$ledger, read_only = TRUE)
  on.exit(close_ledger(ledger))
  length(ns$remote_jobs(ledger, name)) > 0
}
state <- function(name) {
  ledger <- open_ledger(project$ledger, read_only = TRUE)
  on.exit(close_ledger(ledger))
  events <- as.data.frame(job_events(ledger, name))
  length(unique(events$frame[events$what == "arrived"]))
}
while (sum(struck) < kills && Sys.time() < begun + 3600) {
  job <- job + 1L
  name <- paste0("faults-", job)
  make_decision(name)
  asker <- place(name)
  kind <- "place"
  limit <- Sys.time() + 120
  repeat {
    Sys.sleep(stats::runif(1, 0.2, 2))
    # Now and then it is let be, so that jobs end and others begin.
    if (sum(struck) < kills && stats::runif(1) < 0.35) {
      victim <- sample(c("standin", kind), 1)
      if (victim == "standin") {
        strike(farm)
        serve()
      } else if (asker$is_alive()) strike(asker)
      else victim <- NULL
      if (length(victim)) struck[[victim]] <- struck[[victim]] + 1L
    }
    if (!asker$is_alive()) {
      if (!placed(name)) asker <- place(name)
      else {
        kind <- sample(c("fetch", "watch"), 1)
        asker <- if (kind == "fetch") start("fetch", name, "--wait") else
          start("watch", name, "--format", "json")
      }
    }
    if (state(name) == frames || Sys.time() > limit) break
  }
  strike(asker)
}
# What was left in the middle is brought to its end, undisturbed but for the cuts.
Sys.sleep(3)
for (k in seq_len(job)) {
  invisible(processx::run(command, c("fetch", paste0("faults-", k), "--wait"), wd = folder,
                          error_on_status = FALSE, timeout = 120))
}
strike(farm)

# ---- what is there -------------------------------------------------------------------------------
con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "standin/standin.sqlite"))
there <- DBI::dbGetQuery(con, "SELECT id, request FROM jobs")
events <- DBI::dbGetQuery(con, "SELECT job, event FROM events")
DBI::dbDisconnect(con)
ledger <- open_ledger(project$ledger, read_only = TRUE)
count <- c(whole = 0, arrived = 0, twice = 0, ready = 0, known = 0, charged = 0, lost = 0)
books <- 0
for (k in seq_len(job)) {
  name <- paste0("faults-", k)
  own <- as.data.frame(job_events(ledger, name))
  ids <- unique(own$detail[own$what == "sent"])
  files <- list.files(file.path(folder, "placed", name, "frames"), "png$", recursive = TRUE,
                      full.names = TRUE)
  count["whole"] <- count["whole"] +
    sum(vapply(files, function(f) is.null(ns$picture_fault(f, "png")), NA))
  count["arrived"] <- count["arrived"] + length(unique(own$frame[own$what == "arrived"]))
  count["known"] <- count["known"] + length(ids)
  count["charged"] <- count["charged"] + sum(own$amount[own$what == "charged"])
  at <- lapply(events$event[events$job %in% ids], jsonlite::fromJSON)
  ready <- unlist(lapply(at, function(e) if (e$what == "ready") e$frame))
  count["twice"] <- count["twice"] + sum(duplicated(ready))
  count["ready"] <- count["ready"] + length(unique(ready))
  rate <- ns$rate_to(project$sites$quayside, project$currency, project$rates)$rate
  books <- books + rate * sum(unlist(lapply(at, function(e) if (e$what == "charged") e$amount)))
}
sound <- DBI::dbGetQuery(ns$ledger_connection(ledger), "PRAGMA integrity_check")[[1]]
close_ledger(ledger)
for (kind in names(struck)) say(paste0("kills_", kind), struck[[kind]], "processes")
say("jobs", job, "jobs")
say("jobs_there", nrow(there), "jobs")
say("jobs_there_that_are_known_here", count[["known"]], "jobs")
say("frames_asked", job * frames, "frames")
say("frames_ready_there", count[["ready"]], "frames")
say("frames_whole", count[["whole"]], "frames")
say("frames_arrived_in_the_ledger", count[["arrived"]], "frames")
say("frames_rendered_twice", count[["twice"]], "frames")
say("charged_over_books", count[["charged"]] / books, "ratio")
say("ledger_sound", identical(sound, "ok"), "flag")
say("took", as.numeric(Sys.time() - begun, units = "secs"), "s")
