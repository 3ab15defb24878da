# How a ledger stands: what is in it, who wrote last, and whether it holds together. Who may read,
# write and correct one on a server.

# A list: `place`, `form`, `bytes`, `rows` (by table), `first` and `last` (when the oldest and the
# newest timing was measured), `writers` (of the last thousand timings: `where`, `timings`, `last`),
# `waiting` (files that wait for the server), `archives` (their files, by when what is in them was
# measured), `faults` (texts; none: it holds together).
ledger_state <- function(ledger) {
  con <- ledger_connection(ledger)
  there <- Filter(function(table) has_table(con, table), ledger_parts)
  count <- vapply(there, function(table) {
    as.numeric(ask_rows(con, paste("SELECT count(*) AS n FROM", table))[["n"]])
  }, 0)
  ends <- ask_rows(con, "SELECT min(measured_at) AS first, max(measured_at) AS last FROM runs")
  writers <- ask_rows(con, paste(
    "SELECT coalesce(site, node, 'unknown') AS whose, count(*) AS timings, max(measured_at) AS",
    "last FROM",
    "(SELECT * FROM timings ORDER BY place DESC LIMIT 1000) AS newest GROUP BY 1 ORDER BY 3 DESC"
  ))
  waiting <- if (is_server_address(ledger$path)) spooled_files(ledger$path)
  list(place = ledger$path, form = form_of(con), bytes = ledger_bytes(con, ledger$path),
       rows = count, first = ends[["first"]], last = ends[["last"]], writers = as_table(writers),
       waiting = waiting,
       archives = if ("archives" %in% there)
       as_table(ask_rows(con, "SELECT * FROM archives ORDER BY first_at")),
       faults = ledger_faults(ledger, there))
}

ledger_bytes <- function(con, where) {
  if (on_server(con)) {
    sql <- paste("SELECT coalesce(sum(pg_total_relation_size(oid)), 0)::float8 AS n FROM pg_class",
                 "WHERE relkind = 'r' AND relnamespace = current_schema()::regnamespace")
    return(ask_rows(con, sql)[["n"]])
  }
  if (where == ":memory:") NA_real_ else
    sum(file.size(Filter(file.exists, paste0(where, c("", "-wal")))))
}

# Inconsistencies: rows that refer to missing rows, and the database's own findings.
ledger_faults <- function(ledger, there) {
  con <- ledger_connection(ledger)
  lost <- c(
    "timings whose setting is not there" =
      "runs r WHERE NOT EXISTS (SELECT 1 FROM settings s WHERE s.setting = r.setting)",
    "events of jobs that are not there" =
    "events e WHERE NOT EXISTS (SELECT 1 FROM jobs j WHERE j.id = e.job)",
    "bill lines of jobs that are not there" =
    "lines l WHERE NOT EXISTS (SELECT 1 FROM jobs j WHERE j.id = l.job)"
  )
  lost <- lost[sub(" .*$", "", lost) %in% there]
  n <- vapply(lost, function(of)
              as.numeric(ask_rows(con, paste("SELECT count(*) AS n FROM", of))[["n"]]), 0)
  # A corrected row may be in an archive.
  old <- ask_rows(
    con, paste0("SELECT old_id FROM corrections c WHERE NOT EXISTS (SELECT 1 FROM runs r WHERE ",
                "r.id = c.old_id)"))
  odd <- if (nrow(old)) setdiff(old[["old_id"]], known_ids(ledger, old[["old_id"]]))
  n <- c("corrections of timings that are not there" = length(odd), n)
  own <- if (!on_server(con)) setdiff(DBI::dbGetQuery(con, "PRAGMA integrity_check(5)")[[1]], "ok")
  c(paste(n, names(n))[n > 0], own, seal_faults(con))
}

# Gives a role of the server what it takes to `read`, to `write` (all but corrections) or to
# `correct`; each has what the one before it has. Who asks owns the tables.
grant_ledger <- function(ledger, role, what) {
  con <- ledger_connection(ledger)
  if (!on_server(con)) {
    stop_input("ledger", "is a file, whose readers and writers are those of the file",
               short_path(ledger$path), "Roles are of a ledger on a server.")
  }
  what <- check_choice(what, argument("what"), c("read", "write", "correct"))
  name <- as.character(DBI::dbQuoteIdentifier(con, check_text(role, argument("role"))))
  schema <- as.character(
    DBI::dbQuoteIdentifier(con, ask_rows(con, "SELECT current_schema() AS name")[["name"]]))
  all <- toString(c(ledger_parts, "timings", "ledger_forms"))
  writes <- if (what == "correct") ledger_parts else setdiff(ledger_parts, "corrections")
  sql <- c(paste("GRANT USAGE ON SCHEMA", schema, "TO", name),
           paste("GRANT SELECT ON", all, "TO", name),
           if (what != "read") paste("GRANT INSERT ON", toString(writes), "TO", name),
           if (what != "read") paste("GRANT USAGE ON ALL SEQUENCES IN SCHEMA", schema, "TO", name))
  tryCatch(write_ledger(con, function() for (one in sql) DBI::dbExecute(con, one)),
           error = function(e)
           stop_input("ledger", paste("the rights were not given:", one_line(conditionMessage(e))),
                      ledger$path, "Is the role there, and is it you who owns the tables?",
                      parent = e))
  invisible(sql)
}

# Stamp of a ledger on a server, a text that changes when the ledger does; a file's time serves as
# its stamp.
ledger_stamp <- function(where) {
  if (!is_server_address(where)) return(NULL)
  with_ledger(where, function(ledger) {
    last <- sprintf("(SELECT coalesce(max(rowid), 0) FROM %s)", ledger_parts)
    paste(unlist(ask_rows(ledger_connection(ledger), paste("SELECT", toString(last)))),
          collapse = " ")
  })
}
