# Rows in a ledger's tables: how they are written and read.

# The numbers of the rows' settings, of which `code` is equal where they are; settings that are new
# are written down.
setting_ids <- function(con, rows, code) {
  # Codes are counted as they first occur.
  distinct <- rows[which(diff(c(0L, cummax(code))) > 0), setting_columns, drop = FALSE]
  key <- row_key(distinct, setting_columns)
  find <- function(key) {
    known <- ask_rows(
      con, "SELECT setting, key FROM settings WHERE key IN (SELECT value FROM json_each(?))",
      params = list(as.character(jsonlite::toJSON(key))))
    known[["setting"]][match(key, known[["key"]])]
  }
  last <- ask_rows(con, "SELECT coalesce(max(setting), 0) AS n FROM settings")[["n"]]
  id <- if (last > 0) find(key) else rep(NA_integer_, length(key))
  new <- is.na(id)
  if (any(new)) {
    # A file has one writer at a time, who knows what number comes next; a server gives them.
    own <- if (!on_server(con)) list(setting = last + seq_len(sum(new)))
    insert_rows(con, "settings",
                c(own, list(key = key[new]), as.list(distinct[new, , drop = FALSE])))
    id[new] <- if (length(own)) own$setting else find(key[new])
  }
  id[code]
}

# One prepared statement for all rows. (DBI::dbAppendTable() spends 30 ms on quoting the 39 names
# each time; this takes 1.) `once`: rows with a known key add nothing. Values shared by very many
# rows are written into the statement, which saves passing them for each row.
insert_rows <- function(con, table, rows, once = FALSE) {
  rows <- as.list(rows)
  if (on_server(con)) return(insert_on_server(con, table, rows, once))
  same <- vapply(rows, is_one_value, NA)
  if (all(same)) same[1] <- FALSE
  value <- rep("?", length(rows))
  value[same] <- vapply(rows[same], function(column)
                        as.character(DBI::dbQuoteLiteral(con, column[1])), "")
  sql <- sprintf("INSERT %sINTO %s (%s) VALUES (%s)", if (once) "OR IGNORE " else "", table,
                 paste0("\"", names(rows), "\"", collapse = ", "), paste(value, collapse = ", "))
  DBI::dbExecute(con, sql, params = unname(rows[!same]))
}

# Does a column of thousands of short texts or whole numbers hold only one value?
is_one_value <- function(x) {
  n <- length(x)
  n > 5000 && (is.character(x) || is.integer(x)) && !anyNA(x) && x[1] == x[n] &&
    nchar(x[1], "bytes") < 1000 &&
    all(x == x[1])
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

# Columns as the types of a timing: databases return an empty column with another type.
typed_columns <- function(x) {
  for (name in names(x)) {
    as <- switch(timing_columns[[name]], text = as.character, integer = as.integer,
                 number = as.numeric, flag = as.logical)
    clean <- suppressWarnings(as(x[[name]]))
    if (any(is.na(clean) & !is.na(x[[name]]))) odd_column(name)
    x[[name]] <- clean
  }
  x
}

# Values that another program wrote into a ledger: a text in place of a number.
odd_column <- function(says) {
  name <- regmatches(says, regexpr("[a-z_]+_s|[a-z_]+_mb|[a-z_]{4,}", says))
  stop_input("ledger", paste0("holds a text where a number belongs, in the column `",
                              c(name, says)[1], "`"), NULL,
             "Another program wrote it: restore the file from a copy.")
}

# Asks a ledger for rows; the database takes a text among numbers for 0 and warns, which must not
# stand.
ask_ledger <- function(con, sql, params = NULL) {
  tryCatch(ask_rows(con, sql, params), warning = function(w) {
    odd_column(sub("^Column `?([^`:]*)`?:.*$", "\\1", conditionMessage(w)))
  })
}
