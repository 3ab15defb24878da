# The ledger: one SQLite file, or a database on a server; append only.

#' Open a ledger
#'
#' The ledger is the store of all timings: one SQLite file that several programs may have open at
#' once, or a database on a PostgreSQL server that many machines write. Rows are never rewritten;
#' the database itself refuses it.
#'
#' @param where Path of the file; it is made when absent. `":memory:"` for a ledger that goes with
#'   the session. Or the address of a database, `postgresql://user@host/database`, with libpq's
#'   parameters behind a `?` (such as `sslmode=verify-full`); its tables are made when they are
#'   absent. It needs the package RPostgres. A password is refused there: it stands in `~/.pgpass`
#'   or `PGPASSWORD`.
#' @param read_only `TRUE` to open an existing ledger without the means to change it.
#' @return An object of class `cp_ledger`. [close_ledger()] closes it; so does its removal from
#'   memory. A ledger of an older release is carried over to today's form when it is opened for
#'   writing, in one transaction; `carried` is then the path of a copy of the old ledger, next to
#'   it. Opened read only it stays as it is, and columns it lacks are `NA`.
#' @section Conditions: `clockpigeon_error_ledger` when the folder does not exist, the file cannot
#'   be read or written, is no ledger or is damaged, or was made by a later release. The file is
#'   left as it was.
#' @examples
#' ledger <- open_ledger(":memory:")
#' add_timings(ledger, example_timings())
#' nrow(timings(ledger, engine = "sundew"))
#' close_ledger(ledger)
#' @export
open_ledger <- function(where, read_only = FALSE) {
  where <- check_text(where, argument("where"))
  read_only <- check_flag(read_only, argument("read_only"))
  ledger <- structure(new.env(parent = emptyenv()), class = "cp_ledger")
  ledger$path <- where
  ledger$read_only <- read_only
  connect_ledger(ledger)
  reg.finalizer(ledger, function(l) close_ledger(l), onexit = TRUE)
  ledger
}

# Connects a ledger with its file or its server, and brings it to today's form.
connect_ledger <- function(ledger) {
  where <- ledger$path
  read_only <- ledger$read_only
  server <- is_server_address(where)
  if (where != ":memory:" && !server) check_ledger_path(where, read_only)
  refuse <- function(e) {
    if (inherits(e, "clockpigeon_error")) stop(e)
    stop_input("ledger", paste0("cannot be used: ", one_line(conditionMessage(e))),
               short_path(where),
               if (server) paste0("Is the server there, and do libpq's own places (~/.pgpass, ",
                                  "PGPASSWORD) have the password?")
               else "The file was left as it is. Restore it from a copy, or name another file.",
               parent = e)
  }
  con <- tryCatch(if (server) connect_server(where, read_only) else connect_file(where, read_only),
                  error = refuse)
  ready <- FALSE
  on.exit(if (!ready) DBI::dbDisconnect(con))
  ledger$carried <- tryCatch({
    if (server) check_server_ledger(con, where, read_only) else
      check_ledger_file(con, where, read_only)
    if (!read_only) {
      carried <- bring_to_form(con, where)
      index_settings(con)
      carried
    }
  }, error = refuse)
  ready <- TRUE
  ledger$con <- con
  ledger$job_ids <- list()
  ledger$lost <- FALSE
  if (server) ledger$process <- server_process(con)
  invisible(ledger)
}

connect_file <- function(where, read_only) {
  if (read_only) take_back_broken(where)
  con <- DBI::dbConnect(RSQLite::SQLite(), where,
                        flags = if (read_only) RSQLite::SQLITE_RO else RSQLite::SQLITE_RWC,
                        synchronous = NULL, loadable.extensions = FALSE)
  RSQLite::sqliteSetBusyHandler(con, 60000L)
  # 64 MB of pages in memory where that many are touched, so that a large import writes each page
  # once.
  DBI::dbExecute(con, "PRAGMA cache_size = -64000")
  con
}

# Unfinished writes of a killed process are rolled back, which a reader may not do.
take_back_broken <- function(where) {
  if (!isTRUE(file.size(paste0(where, "-journal")) > 0)) return(invisible())
  try({
    con <- DBI::dbConnect(RSQLite::SQLite(), where, flags = RSQLite::SQLITE_RW, synchronous = NULL)
    on.exit(DBI::dbDisconnect(con))
    RSQLite::sqliteSetBusyHandler(con, 60000L)
    DBI::dbGetQuery(con, "SELECT name FROM sqlite_master LIMIT 1")
  }, silent = TRUE)
  invisible()
}

# Is a path a named pipe? Who opens one waits for its other end. R does not tell the kind of a file.
is_pipe <- function(path) {
  if (.Platform$OS.type == "windows" || !file.exists(path) || !file.size(path) %in% 0) return(FALSE)
  ran <- tryCatch(processx::run("test", c("-p", path), error_on_status = FALSE),
                  error = function(e) list(status = 1L))
  ran$status == 0
}

# Check that a file can hold a ledger, to read it or to write to it.
check_ledger_path <- function(where, read_only) {
  if (dir.exists(where))
    stop_input("ledger", "is a folder", where, "Name a file, such as ledger.sqlite.")
  if (is_pipe(where))
    stop_input("ledger", "is no file but a pipe", where, "Name a file, such as ledger.sqlite.")
  if (!dir.exists(dirname(where))) {
    stop_input("ledger", paste("the folder", dirname(where), "does not exist"), where,
               "Make it first.")
  }
  if (read_only && !file.exists(where)) {
    stop_input("ledger", "there is no ledger yet", short_path(where),
               "Measure something first: clockpigeon bench.")
  }
  if (!read_only && file.access(if (file.exists(where)) where else dirname(where), 2) != 0) {
    stop_input("ledger", "cannot be written", where,
               "Give yourself the right to write there, or name another file.")
  }
}

# Does a server's database belong to this package, and does this release know its form?
check_server_ledger <- function(con, where, read_only) {
  there <- has_table(con, "ledger_forms")
  if (!there && has_table(con, "runs")) {
    stop_input("ledger", "is a database, but no ledger of Clock Pigeon", where, "Name another one.")
  }
  if (!there && read_only)
    stop_input("ledger", "is empty", where, "Measure something first: clockpigeon bench.")
  if (there && form_of(con) > ledger_form) {
    stop_input("ledger", paste0("has format ", form_of(con), ", this release knows ", ledger_form),
               where, "Install a later release.")
  }
}

# Files up to this size are checked whole when they are opened, which takes 0.3 s at most.
checked_bytes <- 64e6

# Does a file belong to this package, does this release know its form, and is it complete?
check_ledger_file <- function(con, where, read_only = FALSE) {
  ask <- function(what) DBI::dbGetQuery(con, paste("PRAGMA", what))[[1]]
  if (ask("schema_version") == 0) {
    if (!read_only) return(invisible())
    stop_input("ledger", "is empty", short_path(where),
               "Measure something first: clockpigeon bench.")
  }
  if (ask("application_id") != ledger_mark) {
    stop_input("ledger", "is a database, but no ledger of Clock Pigeon", short_path(where),
               "Name another file.")
  }
  if (ask("user_version") > ledger_form) {
    stop_input("ledger", paste0("has format ", ask("user_version"), ", this release knows ",
                                ledger_form),
               short_path(where), "Install a later release.")
  }
  there <- DBI::dbGetQuery(con, "SELECT name FROM sqlite_master")[["name"]]
  lost <- setdiff(c("runs", "settings", "corrections", "plans", "timings"), there)
  if (length(lost)) {
    stop_input("ledger", paste("is damaged: it has no", lost[1]), short_path(where),
               "The file was left as it is. Restore it from a copy.")
  }
  # All of a large file would be read at each start: what is damaged there is met when it is read.
  if (file.size(where) > checked_bytes) return(invisible())
  if (!identical(DBI::dbGetQuery(con, "PRAGMA quick_check(1)")[[1]], "ok")) damaged_ledger(where)
}

#' @rdname open_ledger
#' @param ledger A ledger.
#' @export
close_ledger <- function(ledger) {
  if (!is.null(ledger$con) && DBI::dbIsValid(ledger$con))
    suppressWarnings(DBI::dbDisconnect(ledger$con))
  ledger$con <- NULL
  ledger$lost <- FALSE
  for (part in ledger$archives) close_ledger(part)
  ledger$archives <- NULL
  invisible()
}

ledger_connection <- function(ledger) {
  check_ledger(ledger)
  if (is.null(ledger$con)) connect_ledger(ledger)
  ledger$con
}

# A ledger whose server is lost is open still.
check_ledger <- function(ledger) {
  check_class(ledger, argument("ledger"), "cp_ledger", "open_ledger()")
  if (is.null(ledger$con) && !isTRUE(ledger$lost)) {
    stop_input("ledger", "is closed", short_path(ledger$path), "Open it again with open_ledger().")
  }
}

# A ledger that is open while `code(ledger)` runs.
with_ledger <- function(where, code, read_only = TRUE) {
  ledger <- open_ledger(where, read_only)
  on.exit(close_ledger(ledger))
  code(ledger)
}
