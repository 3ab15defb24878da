# The ledger: one SQLite file, append only.

#' Open a ledger
#'
#' The ledger is the store of all timings: one SQLite file that several programs may have open at once. Rows are never
#' rewritten; the database itself refuses it.
#'
#' @param where Path of the file; it is made when absent. `":memory:"` for a ledger that goes with the session.
#' @param read_only `TRUE` to open an existing ledger without the means to change it.
#' @return An object of class `cp_ledger`. [close_ledger()] closes it; so does its removal from memory. A ledger of an
#'   older release is carried over to today's form when it is opened for writing, in one transaction; `carried` is then
#'   the path of a copy of it as it was, beside it. Opened read only it stays as it is, and columns it lacks are `NA`.
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
  carried <- tryCatch({
    RSQLite::sqliteSetBusyHandler(con, 60000L)
    check_ledger_file(con, where, read_only)
    if (!read_only) bring_to_form(con, where)
  }, error = refuse)
  ready <- TRUE
  ledger <- new.env(parent = emptyenv())
  ledger$con <- con
  ledger$path <- where
  ledger$carried <- carried
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

# Whose database it is, whether this release knows its form, and whether it is whole.
check_ledger_file <- function(con, where, read_only = FALSE) {
  ask <- function(what) DBI::dbGetQuery(con, paste("PRAGMA", what))[[1]]
  if (ask("schema_version") == 0) {
    if (!read_only) return(invisible())
    stop_input("ledger", "is empty", short_path(where), "Measure something first: clockpigeon bench.")
  }
  if (ask("application_id") != ledger_mark) {
    stop_input("ledger", "is a database, but no ledger of Clock Pigeon", short_path(where), "Name another file.")
  }
  if (ask("user_version") > ledger_form) {
    stop_input("ledger", paste0("has format ", ask("user_version"), ", this release knows ", ledger_form),
               short_path(where), "Install a later release.")
  }
  there <- DBI::dbGetQuery(con, "SELECT name FROM sqlite_master")[["name"]]
  lost <- setdiff(c("runs", "settings", "corrections", "plans", "timings"), there)
  if (length(lost)) {
    stop_input("ledger", paste("is damaged: it has no", lost[1]), short_path(where),
               "The file was left as it is. Restore it from a copy.")
  }
  if (!identical(DBI::dbGetQuery(con, "PRAGMA quick_check(1)")[[1]], "ok")) {
    stop_input("ledger", "is damaged", short_path(where), "The file was left as it is. Restore it from a copy.")
  }
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

# A ledger that is open while `code(ledger)` runs.
with_ledger <- function(where, code, read_only = TRUE) {
  ledger <- open_ledger(where, read_only)
  on.exit(close_ledger(ledger))
  code(ledger)
}
