# The ledger: one SQLite file, append only.

ledger_format <- 1L
ledger_mark <- 1129074759L  # "CLPG": says in the file's header whose database this is

#' Open a ledger
#'
#' The ledger is the store of all timings: one SQLite file that several programs may have open at once. Rows are never
#' rewritten; the database itself refuses it.
#'
#' @param where Path of the file; it is made when absent. `":memory:"` for a ledger that goes with the session.
#' @param read_only `TRUE` to open an existing ledger without the means to change it.
#' @return An object of class `cp_ledger`. [close_ledger()] closes it; so does its removal from memory.
#' @section Conditions: `clockpigeon_error_ledger` when the folder does not exist, the file cannot be read or written,
#'   is no ledger or is damaged, or was made by a later release. The file is left as it was.
#' @examples
#' ledger <- open_ledger(":memory:")
#' add_timings(ledger, example_timings())
#' nrow(timings(ledger, engine = "sundew"))
#' close_ledger(ledger)
#' @export
open_ledger <- function(where, read_only = FALSE) {
  where <- check_text(where, argument("where"))
  read_only <- check_flag(read_only, argument("read_only"))
  memory <- where == ":memory:"
  if (!memory) check_ledger_path(where, read_only)
  refuse <- function(e) {
    if (inherits(e, "clockpigeon_error")) stop(e)
    stop_input("ledger", paste0("cannot be used: ", conditionMessage(e)), short_path(where),
               "The file was left as it is. Restore it from a copy, or name another file.")
  }
  con <- tryCatch(
    DBI::dbConnect(RSQLite::SQLite(), where, flags = if (read_only) RSQLite::SQLITE_RO else RSQLite::SQLITE_RWC,
                   synchronous = NULL, loadable.extensions = FALSE),
    error = refuse
  )
  ready <- FALSE
  on.exit(if (!ready) DBI::dbDisconnect(con))
  tryCatch({
    RSQLite::sqliteSetBusyHandler(con, 60000L)
    check_ledger_format(con, where, read_only)
  }, error = refuse)
  ready <- TRUE
  ledger <- new.env(parent = emptyenv())
  ledger$con <- con
  ledger$path <- where
  reg.finalizer(ledger, function(l) close_ledger(l), onexit = TRUE)
  structure(ledger, class = "cp_ledger")
}

check_ledger_path <- function(where, read_only) {
  if (dir.exists(where)) stop_input("ledger", "is a folder", where, "Name a file, such as ledger.sqlite.")
  if (!dir.exists(dirname(where))) {
    stop_input("ledger", paste("the folder", dirname(where), "does not exist"), where, "Make it first.")
  }
  if (read_only && !file.exists(where)) {
    stop_input("ledger", "there is no ledger yet", short_path(where), "Measure something first: clockpigeon bench.")
  }
  if (!read_only && file.access(if (file.exists(where)) where else dirname(where), 2) != 0) {
    stop_input("ledger", "cannot be written", where, "Give yourself the right to write there, or name another file.")
  }
}

# A new file gets the tables; an old one is checked for whose it is and which format it has.
check_ledger_format <- function(con, where, read_only) {
  ask <- function(what) DBI::dbGetQuery(con, paste("PRAGMA", what))[[1]]
  empty <- ask("schema_version") == 0
  if (!empty && ask("application_id") != ledger_mark) {
    stop_input("ledger", "is a database, but no ledger of Clock Pigeon", short_path(where), "Name another file.")
  }
  if (!empty && ask("user_version") > ledger_format) {
    stop_input("ledger", paste0("has format ", ask("user_version"), ", this release knows ", ledger_format),
               short_path(where), "Install a later release.")
  }
  if (!empty && !identical(DBI::dbGetQuery(con, "PRAGMA quick_check(1)")[[1]], "ok")) {
    stop_input("ledger", "is damaged", short_path(where), "The file was left as it is. Restore it from a copy.")
  }
  if (empty && !read_only) make_tables(con)
}

# A timing is a row of `runs`, and its setting a row of `settings`, which many runs share: half the size, and what is to
# be compared is found by one number a row. The view `timings` shows them together, as everything else reads them.
# Ids of runs have no index, which would take a quarter of the time of a large import: those made here are new by how
# they are made, and those given are looked up first (check_new_ids()).
make_tables <- function(con) {
  types <- c(text = "TEXT", integer = "INTEGER", number = "REAL", flag = "INTEGER")
  typed <- function(columns) paste0("\"", columns, "\" ", types[timing_columns[columns]], collapse = ", ")
  own <- setdiff(names(timing_columns), c("id", setting_columns))
  shown <- paste0(ifelse(names(timing_columns) %in% setting_columns, "s.", "r."), "\"", names(timing_columns), "\"",
                  collapse = ", ")
  refuse <- "BEGIN SELECT RAISE(ABORT, 'the ledger is append only'); END"
  changes <- c("UPDATE", "DELETE")
  frozen <- function(table, when = "BEFORE", change = changes) {
    sprintf("CREATE TRIGGER IF NOT EXISTS %s_no_%s %s %s ON %s %s", table, tolower(change), when, change, table, refuse)
  }
  write_ledger(con, function() {
    for (sql in c(
      paste0("CREATE TABLE IF NOT EXISTS settings (setting INTEGER PRIMARY KEY, key TEXT UNIQUE, ",
             typed(setting_columns), ")"),
      paste0("CREATE TABLE IF NOT EXISTS runs (id TEXT NOT NULL, setting INTEGER NOT NULL, ", typed(own), ")"),
      paste("CREATE VIEW IF NOT EXISTS timings AS SELECT r.rowid AS place,", shown,
            "FROM runs r JOIN settings s ON s.setting = r.setting"),
      "CREATE UNIQUE INDEX IF NOT EXISTS one_row_a_trial ON runs (plan_id, run_order) WHERE plan_id IS NOT NULL",
      "CREATE TABLE IF NOT EXISTS plans (id TEXT PRIMARY KEY, made_at TEXT, name TEXT, seed INTEGER, options TEXT)",
      "CREATE TABLE IF NOT EXISTS blocks (plan_id TEXT, block INTEGER, trials TEXT, PRIMARY KEY (plan_id, block))",
      "CREATE TABLE IF NOT EXISTS machines (id TEXT PRIMARY KEY, facts TEXT)",
      paste("CREATE TABLE IF NOT EXISTS imports (mark TEXT PRIMARY KEY, path TEXT, imported_at TEXT,",
            "timings INTEGER)"),
      "CREATE TABLE IF NOT EXISTS corrections (old_id TEXT PRIMARY KEY, new_id TEXT NOT NULL)",
      unlist(lapply(c("runs", "settings", "plans", "blocks", "machines", "imports", "corrections"), frozen)),
      frozen("timings", "INSTEAD OF", c(changes, "INSERT")),
      paste("PRAGMA application_id =", ledger_mark), paste("PRAGMA user_version =", ledger_format)
    )) DBI::dbExecute(con, sql)
  })
}

# One transaction, taken for writing from its start: two writers wait for each other, and none is lost.
write_ledger <- function(con, change) {
  DBI::dbExecute(con, "BEGIN IMMEDIATE")
  done <- FALSE
  on.exit(if (!done) try(DBI::dbExecute(con, "ROLLBACK"), silent = TRUE))
  out <- change()
  DBI::dbExecute(con, "COMMIT")
  done <- TRUE
  invisible(out)
}

#' @rdname open_ledger
#' @param ledger A ledger.
#' @export
close_ledger <- function(ledger) {
  if (!is.null(ledger$con) && DBI::dbIsValid(ledger$con)) DBI::dbDisconnect(ledger$con)
  ledger$con <- NULL
  invisible()
}

ledger_connection <- function(ledger) {
  check_class(ledger, argument("ledger"), "cp_ledger", "open_ledger()")
  if (is.null(ledger$con)) {
    stop_input("ledger", "is closed", short_path(ledger$path), "Open it again with open_ledger().")
  }
  ledger$con
}
