# Jobs: each has a name, what was decided, what happened to it, what it cost, and what was promised.

# Adds a job and the forecasts that were made for it, in one transaction; returns its id. `job`: a
# list with `name` and any of the table's columns, texts.
add_job <- function(ledger, job, forecasts = NULL) {
  con <- ledger_connection(ledger)
  name <- check_job_name(job$name, argument("name"))
  id <- new_ids(1)
  write_ledger(con, function() {
    taken <- ask_rows(con, "SELECT name FROM jobs")[["name"]]
    findings <- name_findings(name, taken)
    if (length(findings)) {
      stop_input("job", paste0("the name ", show_value(name), " ", findings$what), argument("name"),
                 findings$instead)
    }
    row <- c(list(id = id), Filter(length, job))
    if (is.null(row$made_at)) row$made_at <- utc_now()
    insert_rows(con, "jobs", row)
    if (NROW(forecasts))
      insert_rows(con, "forecasts", c(list(job = rep(id, nrow(forecasts))), as.list(forecasts)))
  })
  id
}

# Letters, digits and - _ . : a name becomes part of file names and of what is typed.
check_job_name <- function(x, where) {
  if (!grepl("^[A-Za-z0-9][A-Za-z0-9._-]*$", check_text(x, where))) {
    stop_input("job", paste("got", show_value(x)), where,
               "Write letters, digits, and . _ - between them.")
  }
  check_name(x, where)
}

#' Jobs of a ledger
#'
#' Job names are unique regardless of case. It is written down with [record_job()] when it is
#' decided, or taken in from a list of jobs that were placed before (`clockpigeon import jobs.csv`:
#' a column `job`, and `site`, `date` and `state` where they are known).
#'
#' @param ledger A ledger from [open_ledger()].
#' @return `jobs()`: a tibble, one row a job, in the order they were written down: `name`, `made_at`
#'   (UTC), `by`, `pick` (the option that was chosen, or the site of a job that was taken in),
#'   `events` (how many there are), `id`. `job_events()`: a tibble, one row an event in the order
#'   they came: `sequence`, `job` (its name), `time` (UTC), `place`, `node`, `shot`, `frame`,
#'   `piece`, `what`, `seconds` (of the reported run), `amount` (of money, or of the reported
#'   remaining seconds), `detail`, `source`, `key`.
#' @section Conditions: `clockpigeon_error_job` for a name that no job has.
#' @examples
#' ledger <- open_ledger(":memory:")
#' project <- read_project(demo_file())
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' scenario <- plan_options(job, project$sites, only = "saltmill")
#' record_job(ledger, choose_option(forecast_job(scenario, draws = 100), "30 h"), "gears-final")
#' jobs(ledger)[c("name", "pick", "events")]
#' job_events(ledger, "gears-final")[c("time", "what", "place")]
#' close_ledger(ledger)
#' @export
jobs <- function(ledger) {
  con <- ledger_connection(ledger)
  empty <- data.frame(name = character(), made_at = character(), by = character(),
                      pick = character(), events = integer(), id = character())
  if (!has_table(con, "jobs")) return(as_table(empty))
  rows <- ask_rows(con, paste(
    "SELECT j.name, j.made_at, j.by, json_extract(j.decision, '$.pick') AS pick,",
    "(SELECT count(*) FROM events e WHERE e.job = j.id) AS events, j.id FROM jobs j ORDER BY",
    "j.rowid"
  ))
  for (name in c("by", "pick")) rows[[name]] <- as.character(rows[[name]])
  as_table(rows)
}

# Id of a job by its name, regardless of case. Jobs are never removed or renamed, so the ledger
# keeps the ids it has looked up.
job_id <- function(ledger, name, where = argument("job")) {
  con <- ledger_connection(ledger)
  key <- tolower(check_text(name, where))
  id <- ledger$job_ids[[key]]
  if (length(id)) return(id)
  id <- find_job_id(con, key)
  if (!length(id)) {
    near <- closest(name, jobs(ledger)[["name"]])
    stop_input("job", paste("no job is called", show_value(name)), where,
               if (length(near)) paste0("Did you mean ", near, "?") else
               "clockpigeon jobs lists them.")
  }
  ledger$job_ids[[key]] <- id
  id
}

find_job_id <- function(con, key) {
  if (!has_table(con, "jobs")) return(character())
  ask_rows(con, "SELECT id FROM jobs WHERE lower(name) = ?", params = list(key))[["id"]]
}

#' @rdname jobs
#' @param job The job's name.
#' @export
job_events <- function(ledger, job) {
  con <- ledger_connection(ledger)
  # A ledger of an older form, read only, lacks some.
  there <- intersect(names(event_types), columns_of(con, "events"))
  rows <- ask_rows(con, paste("SELECT e.sequence, j.name AS job,",
                              paste0("e.", there, collapse = ", "),
                                     "FROM events e JOIN jobs j ON j.id = e.job WHERE e.job = ?",
                                     "ORDER BY e.sequence"),
                          params = list(job_id(ledger, job)))
  rows <- cbind(rows[c("sequence", "job")], all_columns(rows[there], names(event_types)))
  as <- list(text = as.character, integer = as.integer, number = as.numeric)
  for (name in names(event_types)) rows[[name]] <- as[[event_types[[name]]]](rows[[name]])
  as_table(rows)
}

# Placed jobs, in the order of placing; stopped ones only on request.
placed_jobs <- function(ledger, stopped = FALSE) {
  con <- ledger_connection(ledger)
  if (!has_table(con, "events")) return(character())
  ask_rows(con, paste(
    "SELECT j.name FROM jobs j JOIN events e ON e.job = j.id WHERE", paste0("e.", job_event_sql),
    "AND e.what IN ('placed', 'stopped') GROUP BY j.id",
    "HAVING max(CASE WHEN e.what = 'placed' THEN 1 ELSE 0 END) = 1",
    if (!stopped) "AND max(CASE WHEN e.what = 'stopped' THEN 1 ELSE 0 END) = 0",
    "ORDER BY min(e.sequence)"
  ))[["name"]]
}

# Orders and reports that the process running a job must follow, in order.
job_orders <- function(ledger, job) {
  ask_rows(ledger_connection(ledger), paste(
    "SELECT what FROM events WHERE job = ? AND what IN ('paused', 'resumed', 'stopped') ORDER BY",
    "sequence"
  ), params = list(job_id(ledger, job)))[["what"]]
}

# `events`: A data frame with `what` and any of `time` (UTC; now when absent), `place`, `node`,
# `shot`, `frame`,
#   `piece`, `seconds`, `amount`, `detail`, `source` and `key`. An event whose key the job has
#   already adds nothing: by default the key is made of all other columns.
# Returns how many events were new.
add_events <- function(ledger, job, events) {
  check_columns(events, argument("events"), "what")
  columns <- names(event_types)
  odd <- setdiff(names(events), columns)
  if (length(odd)) {
    stop_input("field", paste0("unknown column `", odd[1], "`"), argument("events"),
               paste0("Columns are ", toString(columns), "."))
  }
  rows <- all_columns(as_frame(events), columns)
  bad <- which(is.na(rows[["what"]]) | !nzchar(rows[["what"]]))
  if (length(bad))
    stop_input("event", paste("row", bad[1], "says not what happened"), argument("events"),
               "Write `what`.")
  rows[["time"]][is.na(rows[["time"]])] <- utc_now()
  rows[["key"]] <- ifelse(is.na(rows[["key"]]), row_key(rows, setdiff(columns, c("key", "detail"))),
                          rows[["key"]])
  again <- event_writer(ledger)
  kept_safe(ledger, "events", rows, function() again(rows, job), again, job)
}

# How events are added, those that waited for a server too.
event_writer <- function(ledger) function(rows, job) {
  insert_once(ledger_connection(ledger), "events", job_rows(ledger, job, rows))
}

# Rows of a job, by its name, as the tables have them.
job_rows <- function(ledger, job, rows)
  c(list(job = rep(job_id(ledger, job), nrow(rows))), as.list(rows))

# Rows of a table with keys: those whose key is there add nothing. Returns how many were new.
insert_once <- function(con, table, rows) {
  changes <- function() if (on_server(con)) 0 else
    DBI::dbGetQuery(con, "SELECT total_changes()")[[1]]
  new <- 0
  write_ledger(con, function() {
    before <- changes()
    inserted <- insert_rows(con, table, rows, once = TRUE)
    new <<- as.integer(if (on_server(con)) inserted else changes() - before)
  })
  new
}

# Lines of bills of a job; returns how many were new.
add_charges <- function(ledger, job, lines) {
  con <- ledger_connection(ledger)
  lines <- all_columns(as_frame(lines), names(line_types))
  insert_once(con, "lines", job_rows(ledger, job, lines))
}

job_charges <- function(ledger, job) {
  rows <- ask_rows(ledger_connection(ledger), "SELECT * FROM lines WHERE job = ? ORDER BY rowid",
                          params = list(job_id(ledger, job)))
  # A ledger of an older form, read only, lacks some.
  rows <- all_columns(rows, names(line_types))
  for (name in names(line_types)) {
    rows[[name]] <- if (line_types[[name]] == "number") as.numeric(rows[[name]]) else
      as.character(rows[[name]])
  }
  rows[["kind"]][is.na(rows[["kind"]])] <- "usage"
  rows
}

# Outcomes of a job, by site: `site`, `tier`, `evidence` (of its speed), `what`, `actual`, `count`
# (of observations), quantiles of its forecast as the columns of forecast_points(), `key`.
add_outcomes <- function(ledger, job, rows) {
  con <- ledger_connection(ledger)
  columns <- c("made_at", "site", "tier", "evidence", "what", "actual", "count", forecast_points(),
               "key")
  rows <- all_columns(as_frame(rows), columns)
  insert_once(con, "outcomes", job_rows(ledger, job, rows))
}

# All outcomes, in the order in which they became known: `job` (its name) and the columns of
# add_outcomes().
job_outcomes <- function(ledger) {
  con <- ledger_connection(ledger)
  if (!has_table(con, "outcomes")) return(NULL)
  ask_rows(
    con, paste(
    "SELECT j.name AS job, o.made_at, o.site, o.tier, o.evidence, o.what, o.actual, o.count,",
                             paste0("o.", forecast_points(), collapse = ", "),
                             "FROM outcomes o JOIN jobs j ON j.id = o.job ORDER BY o.rowid"))
}

# The forecasts that were made of all jobs when they were decided, with the jobs' names as `job`.
all_job_promises <- function(ledger) {
  ask_rows(ledger_connection(ledger), paste(
    "SELECT j.name AS job, f.what,", paste0("f.", forecast_points(), collapse = ", "),
    "FROM forecasts f JOIN jobs j ON j.id = f.job WHERE f.stage = 'before'"
  ))
}

# Events of all jobs, of the kinds that concern a whole job: `job` (its name), `time`, `place`,
# `what`, `amount`, in order of arrival.
events_of_all_jobs <- function(ledger, what) {
  ask_rows(ledger_connection(ledger), paste0(
    "SELECT j.name AS job, e.time, e.place, e.what, e.amount FROM events e JOIN jobs j ON j.id = ",
    "e.job ",
    "WHERE e.", job_event_sql, " AND e.what IN (", toString(rep("?", length(what))),
    ") ORDER BY e.sequence"
  ), params = as.list(what))
}

job_promises <- function(ledger, job) {
  ask_rows(ledger_connection(ledger), "SELECT * FROM forecasts WHERE job = ?",
                  params = list(job_id(ledger, job)))
}

# The record of a job's decision as a list, as record_job() wrote it.
job_decision <- function(ledger, job) {
  text <- ask_rows(ledger_connection(ledger), "SELECT decision FROM jobs WHERE id = ?",
                          params = list(job_id(ledger, job)))[[1]]
  jsonlite::parse_json(text)
}

# `path`: A CSV file with a column `job`.
# Returns how many jobs were new.
import_jobs <- function(path, ledger) {
  known <- tolower(jobs(ledger)[["name"]])
  rows <- read_jobs(path)
  rows <- rows[!tolower(rows[["job"]]) %in% known & !duplicated(tolower(rows[["job"]])), ,
               drop = FALSE]
  for (i in seq_len(nrow(rows))) {
    row <- lapply(rows[i, , drop = FALSE], null_if_na)
    add_job(ledger, list(name = row$job, made_at = row$date,
                         decision = to_json(list(pick = row$site))))
    if (length(row$state)) {
      add_events(ledger, row$job, data.frame(what = row$state, time = first_of(row$date, utc_now()),
                                             place = first_of(row$site, NA),
                                             source = basename(path)))
    }
  }
  nrow(rows)
}
