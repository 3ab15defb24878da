# Rows as the tables of a ledger have them: how they are written, and what comes back.

# The numbers of the rows' settings, of which `code` is equal where they are; settings that are new are written down.
setting_ids <- function(con, rows, code) {
  # Codes are counted as they first occur.
  distinct <- rows[which(diff(c(0L, cummax(code))) > 0), setting_columns, drop = FALSE]
  key <- row_key(distinct, setting_columns)
  find <- function() {
    known <- ask_rows(con, "SELECT setting, key FROM settings WHERE key IN (SELECT value FROM json_each(?))",
                             params = list(as.character(jsonlite::toJSON(key))))
    known[["setting"]][match(key, known[["key"]])]
  }
  id <- find()
  if (anyNA(id)) {
    insert_rows(con, "settings", c(list(key = key[is.na(id)]), as.list(distinct[is.na(id), , drop = FALSE])))
    id <- find()
  }
  id[code]
}

# One prepared statement for all rows. (DBI::dbAppendTable() spends 30 ms on quoting the 39 names anew; this takes 1.)
# `once`: rows whose key is there already add nothing.
insert_rows <- function(con, table, rows, once = FALSE) {
  if (on_server(con)) return(insert_on_server(con, table, as.list(rows), once))
  sql <- sprintf("INSERT %sINTO %s (%s) VALUES (%s)", if (once) "OR IGNORE " else "", table,
                 paste0("\"", names(rows), "\"", collapse = ", "), paste(rep("?", length(rows)), collapse = ", "))
  DBI::dbExecute(con, sql, params = unname(as.list(rows)))
}

# New ids: a batch's digits by chance, and the place in it.
new_ids <- function(n) {
  batch <- paste(openssl::rand_bytes(5), collapse = "")
  if (n) batch_ids(batch, n) else character()
}

utc_now <- function(time = Sys.time()) format(time, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")

# A ledger of an older form that is read only lacks columns of today: they are NA.
all_columns <- function(rows, columns) {
  for (name in setdiff(columns, names(rows))) rows[[name]] <- rep(NA, nrow(rows))
  rows[columns]
}

# Columns as the types of a timing: what a database says of a column that holds nothing is not one of them.
typed_columns <- function(x) {
  for (name in names(x)) {
    as <- switch(timing_columns[[name]], text = as.character, integer = as.integer, number = as.numeric,
                 flag = as.logical)
    clean <- suppressWarnings(as(x[[name]]))
    if (any(is.na(clean) & !is.na(x[[name]]))) odd_column(name)
    x[[name]] <- clean
  }
  x
}

# What another program wrote into a ledger: a text where a number belongs.
odd_column <- function(says) {
  name <- regmatches(says, regexpr("[a-z_]+_s|[a-z_]+_mb|[a-z_]{4,}", says))
  stop_input("ledger", paste0("holds a text where a number belongs, in the column `", c(name, says)[1], "`"), NULL,
             "Another program wrote it: restore the file from a copy.")
}

# Asks a ledger for rows; the database takes a text among numbers for 0 and warns, which must not stand.
ask_ledger <- function(con, sql, params = NULL) {
  tryCatch(ask_rows(con, sql, params), warning = function(w) {
    odd_column(sub("^Column `?([^`:]*)`?:.*$", "\\1", conditionMessage(w)))
  })
}
