# Imports: which files the ledger's rows are from, and how what a file gave is withdrawn.

# Marks of the files whose rows stand in the ledger: imported, and not withdrawn since.
imported_marks <- function(ledger) {
  con <- ledger_connection(ledger)
  all <- ask_rows(con, "SELECT mark FROM imports")[["mark"]]
  if (!has_table(con, "import_turns")) return(all)
  last <- ask_rows(con, "SELECT mark, withdrawn FROM import_turns ORDER BY turn")
  last <- last[!duplicated(last[["mark"]], fromLast = TRUE), , drop = FALSE]
  setdiff(all, last[["mark"]][last[["withdrawn"]] == 1])
}

# Adds imported timings and writes down where they are from, and which rows they became; returns
# them as they were added. `counts`: how many of the rows each file gave, in their order.
add_import <- function(ledger, x, paths, marks, counts) {
  ids <- add_rows(ledger, x, function(con, ids) {
    insert_rows(con, "imports",
                list(mark = marks, path = paths, imported_at = rep(utc_now(), length(paths)),
                     timings = counts), once = TRUE)
    last <- ask_rows(con, "SELECT max(rowid) AS n FROM runs")[["n"]] - length(ids) + cumsum(counts)
    for (i in seq_along(marks)) note_import(con, marks[i], last[i] - counts[i] + 1, last[i], 0L)
  })
  x[["id"]] <- ids
  x
}

note_import <- function(con, mark, first, last, withdrawn) {
  insert_rows(con, "import_turns",
              list(mark = mark, first_row = first, last_row = last, withdrawn = withdrawn,
                   at = utc_now()))
}

# Withdraws what a file gave: a correction for each of its rows, without a new row. Returns how
# many.
withdraw_import <- function(ledger, mark) {
  con <- ledger_connection(ledger)
  place <- ask_rows(
    con, paste("SELECT first_row, last_row FROM import_turns WHERE mark = ? AND withdrawn = 0",
                                      "ORDER BY turn DESC LIMIT 1"), params = list(mark))
  if (!mark %in% imported_marks(ledger) || !nrow(place)) {
    stop_input("import", "gave no row of this ledger that could be withdrawn",
               short_path(ledger$path),
               "Files that an earlier release took in are not known row by row.")
  }
  ids <- unlist(lapply(history_parts(ledger), function(part) {
    ask_rows(part$con, paste("SELECT id FROM runs WHERE rowid BETWEEN ? AND ?",
                             "AND id NOT IN (SELECT old_id FROM corrections)"),
             params = unname(as.list(place)))[["id"]]
  }))
  write_ledger(con, function() {
    if (length(ids))
      insert_rows(con, "corrections", list(old_id = ids, new_id = rep("withdrawn", length(ids))))
    note_import(con, mark, place$first_row, place$last_row, 1L)
  })
  length(ids)
}
