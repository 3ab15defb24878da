# Queries of all timings of a ledger of any length.

# The timings that a question about some scenes takes: all of these scenes, of very many the newest
# of each setting; and of the others the newest `most`, which are enough to tell rigs apart and what
# shots are like.
timings_near <- function(ledger, scenes, most = 20000) {
  since <- last_run(ledger_connection(ledger)) - most
  rows <- from_all_parts(ledger, function(part) part_timings(part, scenes, since, 3 * most))
  new_timings(rows[names(timing_columns)])
}

# The same of one part: at most about `most` of the scenes, and what stands behind the place
# `since`.
part_timings <- function(part, scenes, since, most) {
  if (since <= 0) return(select_here(part, NULL, list()))
  of_scenes <- "scene IN (SELECT value FROM json_each(?))"
  scenes <- list(as.character(jsonlite::toJSON(as.character(scenes))))
  most <- most_of_part(part, most)
  newest <- newest_runs(ledger_connection(part), of_scenes, scenes, most, most)
  if (is.null(newest)) {
    newest <- list(with = "", from =
                   paste("FROM runs WHERE runs.setting IN (SELECT setting FROM settings WHERE",
                         of_scenes, ")"), params = scenes)
  }
  select_places(part, newest, sprintf("SELECT rowid FROM runs WHERE rowid > %.0f UNION ", since))
}

# All timings of a ledger, of a very long one the newest of each setting.
newest_timings <- function(ledger, most = 200000) {
  rows <- from_all_parts(ledger, function(part) {
    most <- most_of_part(part, most)
    newest <- newest_runs(ledger_connection(part), NULL, list(), most, most)
    if (is.null(newest)) select_here(part, NULL, list()) else select_places(part, newest)
  })
  new_timings(rows[names(timing_columns)])
}

# Timings among those of newest_runs(); `beside`: SQL of more places. A server looks up each element
# of an array; a join would read all rows.
select_places <- function(part, newest, beside = "") {
  among <- if (on_server(ledger_connection(part))) "place = ANY (ARRAY(%s %sSELECT runs.rowid %s))"
           else "place IN (%s %sSELECT runs.rowid %s)"
  select_here(part, sprintf(among, newest$with, beside, newest$from), newest$params)
}

# The last timings that came, to be looked at one by one; how many `older` ones there are is an
# attribute, a text, where there are any.
last_timings <- function(ledger, most = 200000) {
  last <- last_run(ledger_connection(ledger))
  if (last <= most) return(timings(ledger))
  structure(select_timings(ledger, "place > ?", list(last - most)),
            older = whole_number(last - most))
}

# All nodes that the ledger has a timing of.
seen_nodes <- function(ledger) {
  # Settings stay when their timings are taken out.
  ask_rows(ledger_connection(ledger),
           "SELECT DISTINCT node FROM settings WHERE node IS NOT NULL")[["node"]]
}
