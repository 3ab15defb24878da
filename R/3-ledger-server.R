# A ledger on a PostgreSQL server, which many machines write at once: its address, its connection,
# and the SQL that is not SQLite's. All else of the ledger is written once, with `?` for what is
# bound.

# Is this a connection to a server?
on_server <- function(con) inherits(con, "PqConnection")

# Has the database a table of this name? Asking SQLite's own list takes a fifth of the time of
# DBI::dbExistsTable(), which every write of a job's events pays.
has_table <- function(con, table) {
  if (on_server(con)) return(DBI::dbExistsTable(con, table))
  nrow(DBI::dbGetQuery(con, "SELECT 1 FROM sqlite_master WHERE name = ?", params = list(table))) > 0
}

# Is there a ledger to read: a file that exists, or a server, which reports errors itself?
has_ledger <- function(where) is_server_address(where) || file.exists(where)

# `postgresql://user@host:port/database?sslmode=require` as arguments of a connection. No password:
# libpq finds it in PGPASSWORD, PGPASSFILE or ~/.pgpass, so that it stands in no file of a project
# and in no message.
server_address <- function(where) {
  refuse <- function(what, instead)
    stop_input("ledger", what, sub("//[^/@]*@", "//...@", where), instead)
  form <- paste0("^postgres(?:ql)?://(?:([^/@:]*)(:[^/@]*)?@)?(\\[[^]]+\\]|[^/:?]*)",
                 "(?::([0-9]+))?(?:/([^?]*))?(?:\\?(.*))?$")
  parts <- regmatches(where, regexec(form, where, perl = TRUE))[[1]]
  if (!length(parts))
    refuse("is no address of a database", "Write postgresql://user@host/database.")
  if (nzchar(parts[3]) || grepl("(^|&)password=", parts[7])) {
    refuse("has a password in its address",
           "Leave it out, and put it into ~/.pgpass or PGPASSWORD.")
  }
  said <- strsplit(parts[7], "&", fixed = TRUE)[[1]]
  pairs <- regmatches(said, regexec("^([a-z_]+)=(.*)$", said))
  odd <- said[lengths(pairs) != 3]
  if (length(odd))
    refuse(paste("has", show_value(odd[1]), "in its address"),
           "Write parameters as sslmode=require.")
  given <- c(list(user = parts[2], host = gsub("[][]", "", parts[4]), port = parts[5],
                  dbname = parts[6]),
             stats::setNames(lapply(pairs, `[[`, 3), vapply(pairs, `[[`, "", 2)))
  lapply(Filter(nzchar, given), utils::URLdecode)
}

connect_server <- function(where, read_only) {
  need_package("RPostgres", "a ledger on a server")
  given <- server_address(where)
  # A server that is gone is to be known as gone, not waited for.
  usual <- list(connect_timeout = "10", keepalives_idle = "30", tcp_user_timeout = "30000")
  con <- do.call(DBI::dbConnect, c(list(RPostgres::Postgres(), bigint = "integer64"), given,
                                   usual[setdiff(names(usual), names(given))]))
  told <- c("SET client_min_messages = warning", "SET idle_in_transaction_session_timeout = '5min'",
            if (read_only) "SET default_transaction_read_only = on")
  for (sql in told) DBI::dbExecute(con, sql)
  con
}

# Messages of a server run over several lines.
one_line <- function(text) sub("[.]$", "", trimws(gsub("[[:space:]]+", " ", text)))

# ---- SQL for both --------------------------------------------------------------------------------

# `?` becomes $1, $2, ..., and a list in one text is taken apart as each database does.
server_sql <- function(sql) {
  sql <- gsub("SELECT value FROM json_each(?)",
              "SELECT jsonb_array_elements_text(?::jsonb) AS value", sql,
              fixed = TRUE)
  sql <- gsub("json_extract\\(([a-z.]+), '\\$[.]([a-z_]+)'\\)", "(\\1::jsonb ->> '\\2')", sql)
  pieces <- strsplit(paste0(sql, " "), "?", fixed = TRUE)[[1]]
  paste0(pieces, c(if (length(pieces) > 1) paste0("$", seq_len(length(pieces) - 1)), ""),
         collapse = "")
}

# Numbers are bound as texts that say all of them: 1e5 is no whole number to a server.
server_params <- function(params) {
  lapply(params, function(x) if (is.double(x)) ifelse(is.na(x), NA, sprintf("%.17g", x)) else x)
}

# Rows of a query. On a server a table has its rows' places as a column, which SQLite's `*` does not
# show, and whole numbers of 64 bits are integers where they fit, as SQLite has them.
ask_rows <- function(con, sql, params = NULL) {
  # Bound parameters may be used on the same connection.
  force(params)
  if (!on_server(con)) {
    return(tryCatch(DBI::dbGetQuery(con, sql, params = if (length(params)) params),
                    error = function(e) {
      if (grepl("disk image is malformed|file is not a database", conditionMessage(e)))
        damaged_ledger(con@dbname)
      stop(e)
    }))
  }
  rows <- DBI::dbGetQuery(con, server_sql(sql), params = if (length(params)) server_params(params))
  if (grepl("^SELECT \\*", sql)) rows <- rows[setdiff(names(rows), "rowid")]
  for (k in which(vapply(rows, inherits, NA, "integer64"))) {
    x <- as.numeric(rows[[k]])
    rows[[k]] <- if (all(is.na(x) | abs(x) <= .Machine$integer.max)) as.integer(x) else x
  }
  rows
}

damaged_ledger <- function(where) {
  stop_input("ledger", "is damaged", short_path(where),
             "The file was left as it is. Restore it from a copy.")
}

# From this number of rows on, a server takes them in one COPY.
copied_rows <- 20

# Rows into a table of a server; how many were new. `once`: those whose key is there add nothing.
insert_on_server <- function(con, table, rows, once = FALSE) {
  n <- max(lengths(rows))
  rows <- lapply(rows, rep_len, n)
  quoted <- paste0("\"", names(rows), "\"", collapse = ", ")
  ending <- if (once) " ON CONFLICT DO NOTHING" else ""
  if (n < copied_rows) {
    marks <- paste0("$", seq_along(rows), collapse = ", ")
    return(DBI::dbExecute(con, sprintf("INSERT INTO %s (%s) VALUES (%s)%s", table, quoted, marks,
                                       ending),
                          params = unname(server_params(rows))))
  }
  frame <- list2DF(server_params(rows))
  if (!once) return(DBI::dbAppendTable(con, table, frame, copy = TRUE))
  DBI::dbExecute(
    con, sprintf("CREATE TEMP TABLE taken_in ON COMMIT DROP AS SELECT %s FROM %s LIMIT 0", quoted,
                 table))
  DBI::dbAppendTable(con, "taken_in", frame, copy = TRUE)
  new <- DBI::dbExecute(
    con, sprintf("INSERT INTO %s (%s) SELECT %s FROM taken_in ON CONFLICT DO NOTHING", table,
                 quoted, quoted))
  DBI::dbExecute(con, "DROP TABLE taken_in")
  new
}

# The number of the lock that writers wait for.
writers_lock <- 74759L

# One transaction of a server. Writers wait for each other, as they do with a file: rows of one
# batch stand together.
write_server <- function(con, change) {
  DBI::dbBegin(con)
  done <- FALSE
  on.exit(if (!done) suppressWarnings(try(DBI::dbRollback(con), silent = TRUE)))
  DBI::dbGetQuery(con, paste0("SELECT pg_advisory_xact_lock(", writers_lock,
                              ", hashtext(current_schema()))::text"))
  out <- change()
  DBI::dbCommit(con)
  done <- TRUE
  invisible(out)
}

# ---- waiting -------------------------------------------------------------------------------------

# A function that waits a number of seconds, at most until another program wrote events into a
# ledger: `TRUE` then. A file sends no notice.
event_ear <- function(where) {
  if (!is_server_address(where)) return(function(seconds) {
    Sys.sleep(seconds)
    FALSE
  })
  con <- NULL
  again_at <- -Inf
  listen <- function() {
    con <<- connect_server(where, TRUE)
    DBI::dbExecute(con, "LISTEN clockpigeon")
  }
  function(seconds) {
    if (steady_clock() < again_at) {
      Sys.sleep(seconds)
      return(FALSE)
    }
    heard <- tryCatch({
      if (is.null(con)) listen()
      length(RPostgres::postgresWaitForNotify(con, seconds)) > 0
    }, error = function(e) NA)
    if (!is.na(heard)) return(heard)
    # Connection lost: listen again after a while, since asking a dead server may take its time.
    again_at <<- steady_clock() + 15
    suppressWarnings(try(DBI::dbDisconnect(con), silent = TRUE))
    con <<- NULL
    Sys.sleep(seconds)
    FALSE
  }
}

# ---- its tables ----------------------------------------------------------------------------------

# SQLite's tables on a server: rows know their places, ids count automatically, numbers have 64
# bits, no row is changed, deleted or emptied, and listeners receive events.
server_tables <- function(tables) {
  name <- sub("^CREATE TABLE IF NOT EXISTS ([a-z_]+) .*$", "\\1", tables)
  body <- sub("^CREATE TABLE IF NOT EXISTS [a-z_]+ \\(", "", tables)
  body <- gsub("INTEGER PRIMARY KEY", "BIGINT GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY", body,
               fixed = TRUE)
  body <- gsub(" REAL", " DOUBLE PRECISION", body, fixed = TRUE)
  body <- sub("name TEXT NOT NULL UNIQUE COLLATE NOCASE", "name TEXT NOT NULL", body, fixed = TRUE)
  refused <- unlist(lapply(name, function(table) sprintf(
    paste("DROP TRIGGER IF EXISTS append_only ON %s;",
          "CREATE TRIGGER append_only BEFORE UPDATE OR DELETE OR TRUNCATE ON %s EXECUTE FUNCTION",
          "append_only()"),
    table, table
  )))
  c(
    paste("CREATE TABLE IF NOT EXISTS ledger_forms (form INTEGER NOT NULL, mark BIGINT NOT NULL,",
          "made_at TIMESTAMPTZ NOT NULL DEFAULT now())"),
    sprintf("CREATE TABLE IF NOT EXISTS %s (rowid BIGINT GENERATED BY DEFAULT AS IDENTITY, %s",
            name, body),
    "CREATE UNIQUE INDEX IF NOT EXISTS one_row_an_id ON runs (id)",
    "CREATE INDEX IF NOT EXISTS rows_by_place ON runs (rowid)",
    "CREATE INDEX IF NOT EXISTS runs_of_setting ON runs (setting, rowid)",
    "CREATE UNIQUE INDEX IF NOT EXISTS one_job_a_name ON jobs (lower(name))",
    paste("CREATE OR REPLACE FUNCTION append_only() RETURNS trigger LANGUAGE plpgsql AS",
          "$$ BEGIN RAISE EXCEPTION 'the ledger is append only'; END $$"),
    paste("CREATE OR REPLACE FUNCTION tell_listeners() RETURNS trigger LANGUAGE plpgsql AS",
          "$$ BEGIN PERFORM pg_notify('clockpigeon', TG_TABLE_NAME); RETURN NULL; END $$"),
    "DROP TRIGGER IF EXISTS told ON events",
    "CREATE TRIGGER told AFTER INSERT ON events EXECUTE FUNCTION tell_listeners()",
    unlist(strsplit(refused, "; ", fixed = TRUE))
  )
}

server_view_triggers <- c(
  "DROP TRIGGER IF EXISTS append_only ON timings",
  paste("CREATE TRIGGER append_only INSTEAD OF INSERT OR UPDATE OR DELETE ON timings FOR EACH ROW",
        "EXECUTE FUNCTION append_only()")
)
