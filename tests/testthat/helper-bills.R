# Bills to settle: a job that saltmill's farm rendered, and files that it could have sent.

# The lines of an honest bill, one a run, from what the farm itself counted: 2 devices a node, by
# the tier's price.
farm_lines <- function(x, price = 2.53, digits = 4) {
  job <- x$farm$jobs[[1]]
  runs <- Filter(function(u) u$activity == "render", job$usage)
  ready <- Filter(function(e) e$what %in% c("ready", "failed", "lost"), job$events)
  begun <- Filter(function(e) e$what == "rendering", job$events)
  moment <- function(e) clockpigeon:::utc_now(as.POSIXct(e$at, origin = "1970-01-01", tz = "UTC"))
  lines <- do.call(rbind, lapply(ready, function(e) {
    mine <- Filter(function(b) b$frame == e$frame && b$node == e$node && b$at < e$at, begun)
    from <- mine[[length(mine)]]
    hours <- round((e$at - from$at) * 2 / 3600, 8)
    data.frame(Sort = "use", What = "Rendering", Hours = hours, Per = "device hours", Rate = price,
               Cost = round(hours * price, digits), Cur = "GBP", Machine = e$node,
               From = moment(from), To = moment(e), Frame = as.character(e$frame), Job = job$id)
  }))
  fee <- data.frame(Sort = "use", What = "Order", Hours = 1, Per = "order", Rate = 0.4, Cost = 0.4,
                    Cur = "GBP", Machine = NA, From = NA, To = NA, Frame = NA, Job = job$id)
  rbind(lines, fee)
}

# How saltmill's file says that such a bill is read.
bill_map <- list(
  as = "csv", map = c(kind = "Sort", item = "What", quantity = "Hours", unit = "Per",
                      price = "Rate", amount = "Cost", currency = "Cur", node = "Machine",
                      began = "From", ended = "To", frames = "Frame", job = "Job"),
  kinds = list(usage = "use", total = "sum"),
  units = list("device-hour" = "device hours", job = "order")
)

write_bill <- function(lines, name = "bill.csv", env = parent.frame()) {
  path <- file.path(scratch(env), name)
  utils::write.csv(lines, path, row.names = FALSE, na = "")
  path
}

# The job of at_farm(), rendered to its end; its project reads bills by `bill_map`. Has `project`,
# `ledger`, `folder`, `farm$jobs` and `settle()`. Rendered once for each set of arguments and run of
# the tests; later calls get a copy of the folder.
rendered_job <- function(faults = "", frames = "1-40", env = parent.frame(), ...) {
  withr::local_envvar(CLOCKPIGEON_NOW = "2026-11-26T22:00:00Z", .local_envir = env)
  key <- rlang::hash(list("rendered", faults, frames, ...))
  kept <- kept_fixture(key, function(folder) render_for_bill(folder, faults, frames, ...))
  state <- readRDS(file.path(kept, "state.rds"))
  x <- list2env(list(folder = copy_contents(file.path(kept, "project"), scratch(env))))
  withr::local_envvar(CLOCKPIGEON_NOW = state$now, .local_envir = env)
  x$farm <- list(jobs = state$jobs)
  move_events(file.path(x$folder, "ledger.sqlite"), state$folder, x$folder)
  x$project <- read_project(x$folder)
  x$project$sites$saltmill$bill <- bill_map
  x$ledger <- open_ledger(x$project$ledger)
  withr::defer(close_ledger(x$ledger), envir = env)
  x$watch <- function() watch_job(x$project, x$ledger, "review-1")
  x$settle <- function(lines = NULL, name = "bill.csv") {
    settle_job(x$project, x$ledger, "review-1", if (length(lines)) write_bill(lines, name, env))
  }
  x
}

# Renders the job at a farm and keeps its project, the farm's jobs and the time at the end in a folder.
render_for_bill <- function(folder, faults, frames, ...) {
  x <- at_farm(faults, frames = frames, seconds = 60, ...)
  x$send()
  for (turn in 1:20) {
    x$pass(600)
    if (all(x$fetch()$state %in% c("done", "stopped"))) break
  }
  x$fetch()
  dir.create(file.path(folder, "project"))
  copy_contents(x$folder, file.path(folder, "project"))
  saveRDS(list(folder = x$folder, jobs = x$farm$jobs, now = Sys.getenv("CLOCKPIGEON_NOW")),
          file.path(folder, "state.rds"))
}

# The event `placed` has the path of the job's folder. Ledgers refuse to change events, so the
# triggers that refuse it are dropped for the moment.
move_events <- function(path, from, to) {
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  on.exit(DBI::dbDisconnect(con))
  triggers <- DBI::dbGetQuery(con, paste("SELECT name, sql FROM sqlite_master",
                                         "WHERE type = 'trigger' AND tbl_name = 'events'"))
  for (name in triggers$name) DBI::dbExecute(con, paste("DROP TRIGGER", name))
  DBI::dbExecute(con, "UPDATE events SET detail = replace(detail, ?, ?)", params = list(from, to))
  for (sql in triggers$sql) DBI::dbExecute(con, sql)
}

found_of <- function(x) {
  f <- as.data.frame(x$findings)
  stats::setNames(f$amount, f$code)
}

adds_up <- function(x) {
  steps <- as.data.frame(x$steps)
  n <- nrow(steps)
  # In whole minor units, so that nothing is left over.
  expect_identical(sum(round(steps$difference[-1] * 100)),
                   round(steps$after[n] * 100) - round(steps$after[1] * 100))
  expect_equal(diff(steps$after), steps$difference[-1])
}
