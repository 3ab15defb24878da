# A long history: choose the timings to read, so that a query of ten million is as quick as one of a
# few.

# From this number of timings on, a file has an index of their settings: a smaller one imports rows
# faster without it.
indexed_rows <- 200000

# Timings to read of the settings that `where` selects (SQL over `settings`, its values in `params`)
# if there are more than `whole` of them: a `part`, the newest of each setting; with very many
# settings those of every n-th frame of each scene; from a file without its index the newest of all.
# NULL if all are read. A list: `with` and `from`, the SQL of the rows of `runs`, `params`.
newest_runs <- function(con, where, params, whole, part) {
  asked <- asked_runs(con, where, params, whole)
  if (is.null(asked)) return(NULL)
  if (!asked$indexed) {
    return(list(with = "", params = params,
                from = sprintf("%s AND runs.rowid > %.0f", asked$from, asked$last - part)))
  }
  settings <- asked$count(paste("SELECT count(*) AS n FROM settings WHERE", asked$where))
  step <- ceiling(settings / part)
  each <- max(1, part %/% ceiling(settings / step))
  of_newest <- function(what, end) {
    sprintf("SELECT %s FROM runs r WHERE r.setting = c.setting ORDER BY r.rowid DESC LIMIT %s",
            what, end)
  }
  # A file looks up the place of the first one; a server, which would then read all rows, takes a
  # number of each.
  from <- if (on_server(con)) {
    sprintf("FROM chosen c CROSS JOIN LATERAL (%s) runs WHERE TRUE",
            of_newest("r.*", sprintf("%.0f", each)))
  } else {
    sprintf(
      "FROM (SELECT c.setting, coalesce((%s), 0) AS least FROM chosen c) b CROSS JOIN runs ON %s",
      of_newest("r.rowid", sprintf("1 OFFSET %.0f", each - 1)),
      "runs.setting = b.setting AND runs.rowid >= b.least")
  }
  list(with = chosen_settings(asked$where, step, 1), params = params, from = from)
}

# The same for timings that are to be compared, whose partners must stay: all runs of the settings
# at every n-th frame of each scene, keeping eight where it has them. If these are still too many,
# those of one stretch of the history, including the newest, because runs that belong together lie
# in one stretch. `rows`: the number of timings (counting takes a second). The list has `settings`,
# their SQL, and `says`, the note on them.
paired_runs <- function(con, where, params, whole, part, rows = last_run(con)) {
  asked <- asked_runs(con, where, params, whole)
  if (is.null(asked)) return(NULL)
  every <- ceiling(rows / part)
  if (!asked$indexed) {
    return(list(with = "", params = params, settings = asked$where,
                from = paste(asked$from, "AND", in_stretches("runs", asked$last, every)),
                says = paste("all but one of", every, "stretches of the history")))
  }
  all <- if (asked$all) rows else asked$count(paste("SELECT count(*) AS n", asked$from))
  step <- ceiling(all / part)
  chosen <- ask_rows(con, paste(chosen_settings(asked$where, step, 8),
                                "SELECT setting FROM chosen"), params)
  # Computed once for all queries.
  with <- paste("WITH chosen AS MATERIALIZED (SELECT CAST(value AS BIGINT) AS setting FROM",
                "(SELECT value FROM json_each(?)) AS given)")
  params <- list(as.character(jsonlite::toJSON(as.character(chosen[["setting"]]))))
  left <- paste(
    with, "SELECT count(*) AS n FROM chosen c CROSS JOIN runs WHERE runs.setting = c.setting")
  every <- ceiling(as.numeric(ask_rows(con, left, params)[["n"]]) / part)
  from <- if (on_server(con)) {
    # It reads the index alone, and then the rows that are kept.
    sprintf(
      paste(
      "FROM runs WHERE runs.rowid = ANY (ARRAY(SELECT p.rowid FROM chosen c CROSS JOIN LATERAL",
      "(SELECT",
      "r.rowid FROM runs r WHERE r.setting = c.setting AND %s OFFSET 0) p))"),
      in_stretches("r", asked$last, every))
  } else {
    sprintf("FROM chosen c CROSS JOIN runs ON runs.setting = c.setting AND %s",
            in_stretches("runs", asked$last, every))
  }
  list(with = with, params = params, from = from,
       settings = "setting IN (SELECT setting FROM chosen)",
       says = paste0("of ", whole_number(all),
                     " timings all but those of some frames of each scene",
                     if (every > 1) paste0(", in one of ", every, " stretches of the history")))
}

# So many timings, in the order in which they came, are a stretch.
stretch_rows <- 5000

# One stretch of several, as SQL; by a hash, so that settings run in turn do not always fall between
# stretches.
in_stretches <- function(table, last, every) {
  sprintf("(%.0f - %s.rowid) / %.0f * 7919 %% 10007 %% %.0f = 0", last, table, stretch_rows, every)
}

# Limits of a query on a ledger: NULL if it has at most `whole` timings, or is a short file without
# an index. The text after `from` begins with AND; `all`: the query covers every setting.
asked_runs <- function(con, where, params, whole) {
  last <- last_run(con)
  if (last <= whole) return(NULL)
  where <- if (length(where)) paste(where, collapse = " AND ") else "1 = 1"
  from <- sprintf("FROM runs WHERE runs.setting IN (SELECT setting FROM settings WHERE %s)", where)
  count <- function(sql) as.numeric(ask_rows(con, sql, params)[["n"]])
  indexed <- has_setting_index(con)
  if (!indexed && last < indexed_rows) return(NULL)
  settings <- function(where) paste("SELECT count(*) AS n FROM settings WHERE", where)
  all <- indexed && count(settings(where)) == as.numeric(ask_rows(con, settings("1 = 1"))[["n"]])
  some <- paste("SELECT count(*) AS n FROM (SELECT 1", if (all) "FROM runs", if (!all) from,
                sprintf("LIMIT %.0f) AS found", whole + 1))
  if (indexed && as.numeric(ask_rows(con, some, if (!all) params)[["n"]]) <= whole) return(NULL)
  list(last = last, where = where, params = params, from = from, count = count, indexed = indexed,
       all = all)
}


# Settings as the SQL of a table `chosen`: of the frames of a scene every `step`-th, from its first
# on, as long as `least` are left.
chosen_settings <- function(where, step, least) {
  if (step < 2) return(
    sprintf("WITH chosen AS MATERIALIZED (SELECT setting FROM settings WHERE %s)", where))
  sprintf(paste(
    "WITH counted AS MATERIALIZED (SELECT scene, min(frame) AS first, count(DISTINCT frame) / %d",
    "AS most FROM settings",
    "GROUP BY scene), steps AS MATERIALIZED (SELECT scene AS whose, first, CASE WHEN most > %.0f",
    "THEN %.0f",
    "WHEN most < 1 THEN 1 ELSE most END AS step FROM counted),",
    "chosen AS MATERIALIZED (SELECT w.setting FROM settings w LEFT JOIN steps ON steps.whose =",
    "w.scene",
    "WHERE (%s) AND coalesce((w.frame - first) %% step, 0) = 0)"
  ), least, step, step, where)
}

# The place of the newest timing; 0 when there is none.
last_run <- function(con) {
  last <- ask_rows(con, "SELECT max(rowid) AS n FROM runs")[["n"]]
  if (is.na(last)) 0 else as.numeric(last)
}

# An index of settings for a file that has become long; a server has it from the start.
index_settings <- function(con) {
  if (on_server(con) || last_run(con) < indexed_rows || has_setting_index(con)) return(invisible())
  DBI::dbExecute(con, "CREATE INDEX IF NOT EXISTS runs_of_setting ON runs (setting)")
}

has_setting_index <- function(con) {
  sql <- if (on_server(con)) "SELECT 1 WHERE to_regclass('runs_of_setting') IS NOT NULL"
         else "SELECT 1 FROM sqlite_master WHERE name = 'runs_of_setting'"
  nrow(ask_rows(con, sql)) > 0
}
