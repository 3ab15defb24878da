# A job of small frames on slots of this machine, as run_pool() takes it; the engine is a script,
# which gets the picture to write and the frame. `nodes`: one a slot, by label; an element of `...`
# replaces one of the job's.
pool_of <- function(folder, engine, frames = 1:6, slots = 1, nodes = NULL, ...) {
  shot <- small_shot(frames = as.integer(frames))
  trials <- clockpigeon:::part_trials(list(shots = list(shot), version = NA), engine, NULL)
  trials$version <- NA_character_
  if (is.null(nodes))
    nodes <- stats::setNames(rep(list(clockpigeon:::this_node()), slots),
                             paste0("here/", seq_len(slots)))
  made <- lapply(seq_along(nodes), function(k) {
    node <- nodes[[k]]
    node$slot <- paste0("test-", k, "-", basename(folder))
    list(node = node, site = "attic", number = k, share = 1)
  })
  job <- list(
    name = "night", id = basename(folder), root = folder, time_zone = "UTC",
    frames = data.frame(shot = shot$shot, frame = trials$frame, site = "attic", range = NA_integer_,
                        to = sprintf("placed/night/frames/%04d.png", trials$frame)),
    trials = trials, engines = stats::setNames(list(engine), engine$engine),
    pairs = unique(trials[c("engine", "version")]), making = "placed/night/making",
    slots = stats::setNames(made, names(nodes)), files = character(), look = NULL,
    retries = list(attic = 2L), limit_s = list(attic = 20), grace_s = 2, again_s = 0.1
  )
  # Elements that are data frames are replaced whole.
  over <- list(...)
  job[names(over)] <- over
  job
}

# A ledger with one job in it.
ledger_of_job <- function(name = "night", path = ":memory:", env = parent.frame()) {
  ledger <- open_ledger(path)
  withr::defer(close_ledger(ledger), envir = env)
  clockpigeon:::add_job(ledger, list(name = name))
  ledger
}

folded_frames <- function(ledger, job) {
  x <- job_events(ledger, job$name)
  x$time <- as.numeric(as.POSIXct(x$time, tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ"))
  clockpigeon:::fold_events(x, job$frames)
}

# The demo's review of the gears, decided for the attic with one node, its engine really here.
decided <- function(env = parent.frame(), frames = "1-12", ..., deadline = "30min",
                    only = "attic,nodes=1", seconds = c(0.3, 0.32)) {
  folder <- local_project(env)
  path <- file.path(folder, "shots/gears-review.yaml")
  text <- sub("^frames: .*", paste("frames:", frames), readLines(path))
  writeLines(text[!grepl("^cuts", text)], path)
  project <- read_project(folder)
  ledger <- open_ledger(project$ledger)
  withr::defer(close_ledger(ledger), envir = env)
  add_timings(ledger, some_timings(seconds, shot = "gears-review", scene = "gears",
                                   frame = c(1L, 12L), engine = "pebble", engine_version = "1.1",
                                   limit_value = 6, node = "here"))
  rows <- timings(ledger)
  job <- render_job(project$shots["gears-review"], c(pebble = "1.1"), rows, project$currency,
                    project$rates, project$time_zone)
  forecast <- forecast_job(plan_options(job, project$sites, only = strsplit(only, ",")[[1]]),
                           draws = 100)
  record_job(ledger, choose_option(forecast, deadline, ...), "review-1")
  list(project = project, ledger = ledger, folder = folder)
}

# Sixty frames of 10 s: slow does them in 600 s, quick in 200 s, each one after the other.
placed_at <- as.POSIXct("2026-11-24 12:00", tz = "UTC")
some_frames <- function(folder, frames, seconds, shot = "s", text = "x") {
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  for (k in seq_along(frames)) {
    path <- file.path(folder, sprintf("%s-%04d.png", shot, frames[k]))
    writeLines(text, path)
    Sys.setFileTime(path, placed_at + seconds[k])
  }
  folder
}
watched <- function(choice, folders, passed, draws = 300, events = NULL) {
  asked <- choice[clockpigeon:::question_fields]
  plan <- clockpigeon:::plan_record(choice)
  plan$parts <- lapply(seq_len(nrow(plan$parts)), function(k) as.list(plan$parts[k, ]))
  begun <- clockpigeon:::simulated_parts(plan, choice$forecast$scenario, asked, draws)
  files <- clockpigeon:::placed_files(begun, folders)
  x <- clockpigeon:::watch_frames(plan, begun, files, placed_at + passed, events)
  x$alarms <- clockpigeon:::watch_alarms(x)
  clockpigeon:::new_watch(c(list(job = "night", placed = placed_at,
                                 promised = plan[c("p_deadline", "p_both", "cost_mean")]), x))
}

# An engine whose frames are good, and what a job on own nodes left behind.
good_engine <- function(folder, ..., last = "sleep 0.05; echo load 0.01 compute 0.1") {
  script_engine(folder, ..., paste("cp", one_pixel(folder), "$1"), last)
}
pictures <- function(folder) list.files(file.path(folder, "placed/night/frames"))
leftovers <- function(folder)
  list.files(file.path(folder, "placed/night/making"), recursive = TRUE, pattern = "png")
runs_of <- function(ledger, what) {
  x <- job_events(ledger, "night")
  x$frame[x$what == what]
}
