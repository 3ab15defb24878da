# Seals of a ledger's file: a digest for each block of timings, written with them, by which a
# changed bit is found.

# Timings of one block, and the most blocks that are sealed at once, so that an import is not slowed
# down. Later writes seal the rest.
seal_size <- 200L
seals_at_once <- 20L

# Seal the complete blocks of timings that have no seal yet, in the transaction that wrote them. A
# server guards its pages itself.
seal_timings <- function(con) {
  if (on_server(con) || !nzchar(con@dbname) || con@dbname == ":memory:") return(invisible())
  DBI::dbExecute(
    con, paste(
    "CREATE TABLE IF NOT EXISTS seals (first INTEGER PRIMARY KEY, last INTEGER NOT NULL,",
    "hash TEXT NOT NULL)"))
  ends <- DBI::dbGetQuery(con, paste("SELECT coalesce((SELECT max(last) FROM seals), 0) AS sealed,",
                                     "coalesce((SELECT max(rowid) FROM runs), 0) AS newest"))
  blocks <- min((ends[["newest"]] - ends[["sealed"]]) %/% seal_size, seals_at_once)
  for (k in seq_len(blocks)) {
    first <- ends[["sealed"]] + (k - 1L) * seal_size + 1L
    last <- first + seal_size - 1L
    insert_rows(con, "seals",
                list(first = first, last = last, hash = timings_hash(con, first, last)))
  }
  invisible()
}

# SHA-256 of the timings from one place to another, as they are read: with their settings. Numbers
# are written to 17 digits, which tells every double from its neighbours.
timings_hash <- function(con, first, last) {
  rows <- DBI::dbGetQuery(con, "SELECT * FROM timings WHERE place BETWEEN ? AND ? ORDER BY place",
                          params = list(first, last))
  texts <- lapply(rows, function(x) {
    ifelse(is.na(x), "\x1f", if (is.numeric(x)) sprintf("%.17g", x) else enc2utf8(as.character(x)))
  })
  paste(openssl::sha256(charToRaw(paste(unlist(texts), collapse = "\x1e"))))
}

# Blocks whose timings differ from their seal, as texts. Blocks with archived rows are skipped.
seal_faults <- function(con) {
  if (on_server(con) || !has_table(con, "seals")) return(character())
  seals <- DBI::dbGetQuery(con, "SELECT * FROM seals ORDER BY first")
  wrong <- vapply(seq_len(nrow(seals)), function(k) {
    first <- seals[["first"]][k]
    last <- seals[["last"]][k]
    count <- "SELECT count(*) AS n FROM runs WHERE rowid BETWEEN ? AND ?"
    there <- DBI::dbGetQuery(con, count, params = list(first, last))[["n"]]
    there == last - first + 1 && !identical(timings_hash(con, first, last), seals[["hash"]][k])
  }, NA)
  sprintf("timings %.0f to %.0f are not as they were written", seals[["first"]][wrong],
          seals[["last"]][wrong])
}
