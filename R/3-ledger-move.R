# A ledger moved to another place, file or server: row by row in the order they came, each compared
# as it arrives.

# Tables whose own number is what SQLite counts its rows by.
counted_tables <- c("settings", "import_turns", "events")

# Copies what is in the ledger `from` and not yet in `to` (a ledger that is open for writing), table
# by table and batch by batch, so that a move that was cut off goes on where it stood.
# `say(table, done, all)` is called after each batch. Returns a tibble, one row a table: `table`,
# `rows`, `hash` (of all its rows, the same in both).
move_ledger <- function(from, to, batch = 10000, say = function(table, done, all) NULL) {
  source <- ledger_connection(from)
  target <- ledger_connection(to)
  rows <- lapply(ledger_parts, function(table) {
    if (!has_table(source, table)) return(NULL)
    all <- count_rows(source, table)
    done <- count_rows(target, table)
    last <- last_place(target, table)
    # Existing rows must be the first rows of the moved ones.
    if (done && table_hash(source, table, last) != table_hash(target, table)) {
      stop_input("ledger", paste("has rows of its own in the table", table), to$path,
                 "Move to a new place, or to one where the same move was started.")
    }
    while (done < all) {
      part <- moved_rows(source, table, last, batch)
      write_ledger(target, function() insert_moved_rows(target, table, part))
      done <- done + nrow(part)
      last <- part[[order_column(table)]][nrow(part)]
      say(table, done, all)
    }
    if (on_server(target)) renumber_rows(target, table)
    hash <- table_hash(source, table)
    if (hash != table_hash(target, table)) {
      stop_input("ledger", paste0("the table ", table, " came out otherwise than it went in"),
                 to$path, paste0("The ledger it came from is as it was. Did somebody write ",
                                 "meanwhile? Move to a new place."))
    }
    data.frame(table = table, rows = all, hash = hash)
  })
  as_table(do.call(rbind, rows))
}

count_rows <- function(con, table)
  as.numeric(ask_rows(con, paste("SELECT count(*) AS n FROM", table))[["n"]])

# Order of a table's rows, and the key of the last one.
order_column <- function(table) {
  switch(table, settings = "setting", import_turns = "turn", events = "sequence", "rowid")
}

last_place <- function(con, table) {
  last <- ask_rows(con, sprintf("SELECT max(%s) AS n FROM %s", order_column(table), table))[["n"]]
  if (is.na(last)) 0 else as.numeric(last)
}

# Rows of a table with their places: those behind one place, and not behind another.
moved_rows <- function(con, table, after, batch, upto = Inf) {
  place <- order_column(table)
  rows <- ask_rows(con, sprintf(
    "SELECT t.*%s FROM %s t WHERE t.%s > %.0f%s ORDER BY t.%s LIMIT %d",
    if (on_server(con) || table %in% counted_tables) "" else ", t.rowid AS rowid", table, place,
    after, if (is.finite(upto)) sprintf(" AND t.%s <= %.0f", place, upto) else "", place,
    as.integer(batch)
  ))
  rows[sort(names(rows))]
}

insert_moved_rows <- function(con, table, rows) {
  # There the own number is the place.
  if (table %in% counted_tables) rows <- rows[setdiff(names(rows), "rowid")]
  insert_rows(con, table, as.list(rows))
}

# New rows are counted on from the last.
renumber_rows <- function(con, table) {
  for (column in unique(c(order_column(table), "rowid"))) {
    DBI::dbGetQuery(con, sprintf(
      paste0("SELECT setval(pg_get_serial_sequence('%s', '%s'), greatest((SELECT ",
             "coalesce(max(%s), 1) FROM %s), 1))::text"),
      table, column, column, table
    ))
  }
}

# Hash of a table's rows as texts, up to one place: equal for equal rows in any database.
table_hash <- function(con, table, upto = Inf) {
  hash <- ""
  last <- 0
  repeat {
    part <- moved_rows(con, table, last, 10000, upto)
    if (!nrow(part)) return(hash)
    last <- part[[order_column(table)]][nrow(part)]
    if (table %in% counted_tables) part <- part[setdiff(names(part), "rowid")]
    texts <- serialize(unname(lapply(part, plain_text)), NULL, FALSE, version = 2)
    hash <- paste(openssl::sha256(c(charToRaw(hash), texts)), collapse = "")
  }
}

plain_text <- function(x) {
  text <- enc2utf8(if (is.numeric(x)) sprintf("%.17g", x) else as.character(x))
  ifelse(is.na(x), NA_character_, text)
}
