# The form of a ledger: its tables, and how a ledger of an older form is carried over.

# 1: timings, plans, imports, corrections, judgements. 2: jobs, events, bill lines and forecasts;
# timings have `job`, `cost_basis` and `work`. 3: imports know their rows, and can be withdrawn. 4:
# events have `shot`, `seconds`, `amount`. 5: bill lines have `kind`, `price`, `node`, `shot`,
# `frames`; outcomes. 6: edits. 7: indexes, archives.
ledger_form <- 7L
ledger_mark <- 1129074759L  # "CLPG": says in the file's header whose database this is

# Makes the tables of a new ledger, and upgrades an older one: adds the missing parts in one
# transaction, after writing a copy next to it. Returns the path of the copy, or NULL if nothing was
# upgraded.
bring_to_form <- function(con, where) {
  if (is_of_form(con)) return(NULL)
  new <- form_of(con) == 0
  # A server's owner keeps its copies.
  copy <- if (!new && where != ":memory:" && !on_server(con)) copy_ledger_file(con, where)
  write_ledger(con, function() {
    # Another process may have done it while this one waited.
    if (is_of_form(con)) return()
    add_columns(con)
    for (sql in ledger_tables(on_server(con))) DBI::dbExecute(con, sql)
  })
  copy
}

is_of_form <- function(con) {
  form_of(con) == ledger_form && !length(lacking_columns(con))
}

# The form that a ledger has; 0 for one that is new.
form_of <- function(con) {
  if (!on_server(con)) return(DBI::dbGetQuery(con, "PRAGMA user_version")[[1]])
  if (!has_table(con, "ledger_forms")) return(0L)
  as.integer(DBI::dbGetQuery(con, "SELECT max(form) AS form FROM ledger_forms")[["form"]])
}

# Columns of a run that its table has not.
lacking_columns <- function(con) {
  setdiff(setdiff(names(timing_columns), setting_columns), columns_of(con, "runs"))
}

columns_of <- function(con, table) if (has_table(con, table)) DBI::dbListFields(con, table)

# Add columns to tables of an older form, so that rows of the present form fit.
add_columns <- function(con) {
  add <- function(table, name, type) {
    type <- if (on_server(con)) sub("REAL", "DOUBLE PRECISION", column_types[[type]]) else
      column_types[[type]]
    DBI::dbExecute(con, sprintf("ALTER TABLE %s ADD COLUMN \"%s\" %s", table, name, type))
  }
  if (has_table(con, "events")) {
    for (name in setdiff(names(event_types), columns_of(con, "events")))
      add("events", name, event_types[[name]])
    for (name in setdiff(names(line_types), columns_of(con, "lines")))
      add("lines", name, line_types[[name]])
  }
  if (!has_table(con, "runs")) return()
  for (name in lacking_columns(con)) add("runs", name, timing_columns[[name]])
  # It names the columns, and is made again with today's; its triggers go and come with it.
  DBI::dbExecute(con, "DROP VIEW IF EXISTS timings")
}

# A copy made by SQLite itself: complete even if other programs write meanwhile.
copy_ledger_file <- function(con, where) {
  version <- DBI::dbGetQuery(con, "PRAGMA user_version")[[1]]
  stem <- sub("(\\.[A-Za-z0-9]+)?$", paste0("-form-", version), where)
  end <- sub("^.*?((\\.[A-Za-z0-9]+)?)$", "\\1", basename(where))
  copy <- paste0(stem, end)
  k <- 1
  while (file.exists(copy)) {
    k <- k + 1
    copy <- paste0(stem, "-", k, end)
  }
  DBI::dbExecute(con, "VACUUM INTO ?", params = list(copy))
  copy
}

# Tables of a ledger, each after those that it refers to.
ledger_parts <- c("settings", "runs", "plans", "blocks", "machines", "imports", "import_turns",
                  "corrections", "judgements", "edits", "archives", "jobs", "events", "lines",
                  "forecasts", "outcomes")

column_types <- c(text = "TEXT", integer = "INTEGER", number = "REAL", flag = "INTEGER")

# A timing is a row of `runs`, and its setting a row of `settings`, which many runs share: half the
# size, and what is to be compared is found by one number a row. The view `timings` shows them
# together, as everything else reads them. Ids of runs have no index, which would take a quarter of
# the time of a large import: those made here are new by how they are made, and those given are
# looked up first (check_new_ids()).
ledger_tables <- function(server = FALSE) {
  typed <- function(columns)
    paste0("\"", columns, "\" ", column_types[timing_columns[columns]], collapse = ", ")
  own <- setdiff(names(timing_columns), c("id", setting_columns))
  shown <- paste0(ifelse(names(timing_columns) %in% setting_columns, "s.", "r."), "\"",
                  names(timing_columns), "\"", collapse = ", ")
  refuse <- "BEGIN SELECT RAISE(ABORT, 'the ledger is append only'); END"
  changes <- c("UPDATE", "DELETE")
  frozen <- function(table, when = "BEFORE", change = changes) {
    sprintf("CREATE TRIGGER IF NOT EXISTS %s_no_%s %s %s ON %s %s", table, tolower(change), when,
            change, table, refuse)
  }
  view <- paste("VIEW", if (!server) "IF NOT EXISTS", "timings AS SELECT r.rowid AS place,", shown,
                "FROM runs r JOIN settings s ON s.setting = r.setting")
  tables <- c(
    paste0("CREATE TABLE IF NOT EXISTS settings (setting INTEGER PRIMARY KEY, key TEXT UNIQUE, ",
           typed(setting_columns), ")"),
    paste0("CREATE TABLE IF NOT EXISTS runs (id TEXT NOT NULL, setting INTEGER NOT NULL, ",
           typed(own), ")"),
    paste0("CREATE TABLE IF NOT EXISTS plans (id TEXT PRIMARY KEY, made_at TEXT, name TEXT, seed ",
           "INTEGER, options TEXT)"),
    paste0("CREATE TABLE IF NOT EXISTS blocks (plan_id TEXT, block INTEGER, trials TEXT, ",
           "PRIMARY KEY (plan_id, block))"),
    "CREATE TABLE IF NOT EXISTS machines (id TEXT PRIMARY KEY, facts TEXT)",
    paste0("CREATE TABLE IF NOT EXISTS imports (mark TEXT PRIMARY KEY, path TEXT, imported_at ",
           "TEXT, timings INTEGER)"),
    paste(
      "CREATE TABLE IF NOT EXISTS import_turns (turn INTEGER PRIMARY KEY, mark TEXT NOT NULL,",
      "first_row INTEGER,",
      "last_row INTEGER, withdrawn INTEGER NOT NULL, at TEXT)"),
    "CREATE TABLE IF NOT EXISTS corrections (old_id TEXT PRIMARY KEY, new_id TEXT NOT NULL)",
    paste(
      "CREATE TABLE IF NOT EXISTS judgements (judged_at TEXT, by TEXT, shot TEXT, frame INTEGER,",
      "tile INTEGER,",
      "samples REAL, noise REAL, accepted INTEGER)"),
    paste0("CREATE TABLE IF NOT EXISTS edits (made_at TEXT, by TEXT, file TEXT NOT NULL, ",
           "change TEXT NOT NULL)"),
    paste(
      "CREATE TABLE IF NOT EXISTS archives (file TEXT PRIMARY KEY, folder TEXT, hash TEXT NOT",
      "NULL, made_at TEXT,",
      "by TEXT, timings INTEGER NOT NULL, first_at TEXT, last_at TEXT)"),
    job_tables()
  )
  if (server) {
    return(c(server_tables(tables), paste("CREATE OR REPLACE", view), ledger_indexes(),
             server_view_triggers,
             sprintf("INSERT INTO ledger_forms (form, mark) VALUES (%d, %d)", ledger_form,
                     ledger_mark)))
  }
  c(
    tables, paste("CREATE", view), ledger_indexes(), unlist(lapply(ledger_parts, frozen)),
    frozen("timings", "INSTEAD OF", c(changes, "INSERT")),
    paste("PRAGMA application_id =", ledger_mark), paste("PRAGMA user_version =", ledger_form)
  )
}

# Indexes for queries of a long history. Most rows have no plan, job or output, and most events
# concern frames.
ledger_indexes <- function() {
  paste("CREATE", c(
    paste0("UNIQUE INDEX IF NOT EXISTS one_row_a_trial ON runs (plan_id, run_order) WHERE ",
           "plan_id IS NOT NULL"),
    "INDEX IF NOT EXISTS runs_of_job ON runs (job) WHERE job IS NOT NULL",
    "INDEX IF NOT EXISTS runs_with_output ON runs (setting) WHERE output IS NOT NULL",
    "INDEX IF NOT EXISTS settings_of_scene ON settings (scene, frame)",
    paste("INDEX IF NOT EXISTS events_of_jobs ON events (what) WHERE", job_event_sql)
  ))
}

# Events that tell of a job as a whole; as SQL, which the index's own words must be.
job_event_sql <- "what IN ('placed', 'sent', 'claim', 'paused', 'resumed', 'stopped')"

# Columns of an event: place, kind, time; `seconds` of the run it reports, `amount` of money or of
# the seconds that are said to be left.
event_types <- c(time = "text", place = "text", node = "text", shot = "text", frame = "integer",
                 piece = "text", what = "text", seconds = "number", amount = "number",
                 detail = "text", source = "text", key = "text")

# A line of a bill: `kind` as read_bill() has it, `basis` (`billed`, or `priced` by the card),
# `source` (the file, or the id of the job at the site), `frames` as numbers.
line_types <- c(site = "text", kind = "text", item = "text", began = "text", ended = "text",
                quantity = "number", unit = "text", price = "number", amount = "number",
                currency = "text", node = "text", shot = "text", frames = "text", basis = "text",
                source = "text", key = "text")

# Job names are unique regardless of case; a key makes a repeated event or line harmless.
job_tables <- function() {
  c(
    paste(
      "CREATE TABLE IF NOT EXISTS jobs (id TEXT PRIMARY KEY, name TEXT NOT NULL UNIQUE COLLATE",
      "NOCASE,",
      "made_at TEXT, by TEXT, question TEXT, shots TEXT, scenario TEXT, decision TEXT)"),
    paste0("CREATE TABLE IF NOT EXISTS events (sequence INTEGER PRIMARY KEY, job TEXT NOT NULL, ",
           paste0(names(event_types), " ", column_types[event_types],
                  ifelse(names(event_types) %in% c("time", "what", "key"), " NOT NULL", ""),
                  collapse = ", "),
           ", UNIQUE (job, key))"),
    paste0("CREATE TABLE IF NOT EXISTS lines (job TEXT NOT NULL, ",
           paste0(names(line_types), " ", column_types[line_types],
                  ifelse(names(line_types) == "key", " NOT NULL", ""), collapse = ", "),
           ", UNIQUE (job, key))"),
    paste(
      "CREATE TABLE IF NOT EXISTS forecasts (job TEXT NOT NULL, made_at TEXT, stage TEXT, option",
      "TEXT, what TEXT,",
      "draws INTEGER, seed INTEGER, ", paste0(forecast_points(), " REAL", collapse = ", "), ")"),
    paste(
      "CREATE TABLE IF NOT EXISTS outcomes (job TEXT NOT NULL, made_at TEXT, site TEXT, tier",
      "TEXT, evidence TEXT,",
      "what TEXT, actual REAL, count REAL, ", paste0(forecast_points(), " REAL", collapse = ", "),
      ", key TEXT NOT NULL, UNIQUE (job, key))")
  )
}

# The quantiles that are kept of a forecast, as columns p01 to p99.
forecast_probs <- c(0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99)
forecast_points <- function() sprintf("p%02d", round(100 * forecast_probs))

# One transaction, taken for writing from its start: two writers wait for each other, and none is
# lost.
write_ledger <- function(con, change) {
  if (on_server(con)) return(write_server(con, change))
  DBI::dbExecute(con, "BEGIN IMMEDIATE")
  done <- FALSE
  on.exit(if (!done) try(DBI::dbExecute(con, "ROLLBACK"), silent = TRUE))
  out <- change()
  DBI::dbExecute(con, "COMMIT")
  done <- TRUE
  invisible(out)
}
