# Edits: which files of the project were changed from the page, by whom, and how.

# `change`: lines that went (`- `) and came (`+ `), as one text.
add_edit <- function(ledger, file, change, by = user_name()) {
  con <- ledger_connection(ledger)
  write_ledger(con, function() {
    insert_rows(con, "edits", list(made_at = utc_now(), by = by, file = file, change = change))
  })
  invisible()
}

# All of them, the newest first: `made_at`, `by`, `file`, `change`.
ledger_edits <- function(ledger) {
  con <- ledger_connection(ledger)
  if (!has_table(con, "edits"))
    return(as_table(data.frame(made_at = character(), by = character(),
                               file = character(), change = character())))
  as_table(ask_rows(con, "SELECT * FROM edits ORDER BY rowid DESC"))
}

# Who works here, as the machine knows them.
user_name <- function() unname(Sys.info()[["user"]])
