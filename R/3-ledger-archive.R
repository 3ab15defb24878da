# Archives: old timings move from a ledger into files next to it, and are read as if they were in
# place.

# Takes the timings that were measured before a day (`before`, as 2025-01-01, UTC) out of a ledger
# that is open for writing, into files of `folder`, batch by batch: each is written, read back and
# compared before its rows go, in one transaction with the note of its file, so that what is cut off
# loses and doubles nothing. Settings, corrections, jobs and bills stay; so does the newest timing,
# from which places are counted on. The files are Parquet where nanoparquet is installed, otherwise
# gzipped CSV (all fields quoted, `\N` for what is not known), with `place` and those columns of
# timings() in which something stands. `say(done, all)` is called after each. Returns a tibble, one
# row a file: `file`, `timings`, `first_at`, `last_at`.
archive_timings <- function(ledger, before, folder = archive_folder(ledger), batch = 500000,
                            say = function(done, all) NULL) {
  con <- ledger_connection(ledger)
  before <- check_day(before, argument("before"))
  old <- "measured_at < ? AND %s < (SELECT max(rowid) FROM runs)"
  all <- ask_rows(con, paste("SELECT count(*) AS n FROM runs WHERE", sprintf(old, "rowid")),
                  list(before))[["n"]]
  if (!all) return(as_table(data.frame(file = character(), timings = integer(),
                                       first_at = character(), last_at = character())))
  dir.create(folder, FALSE, TRUE)
  check_folder_open(folder)
  remove_old_drafts(folder)
  done <- 0
  made <- list()
  while (done < all) {
    rows <- ask_ledger(con, paste("SELECT * FROM timings WHERE", sprintf(old, "place"),
                                  "ORDER BY place LIMIT", sprintf("%.0f", batch)), list(before))
    if (!nrow(rows)) break
    rows <- archived_columns(rows)
    file <- write_archive(rows, folder)
    note <- data.frame(file = basename(file), timings = nrow(rows),
                       first_at = min(rows[["measured_at"]]), last_at = max(rows[["measured_at"]]))
    tryCatch(remove_archived(ledger, before, range(rows[["place"]]), c(as.list(note), list(
      folder = real_path(folder), hash = archive_hash(file), made_at = utc_now(), by = user_name()
    ))), error = function(e) {
      unlink(file, expand = FALSE)
      stop(e)
    })
    made <- c(made, list(note))
    done <- done + nrow(rows)
    say(done, all)
  }
  as_table(bind_tables(made))
}

# Beside the file of the ledger; of a server's, in the folder of the project that one works in.
archive_folder <- function(ledger) {
  file.path(if (is_server_address(ledger$path) || ledger$path == ":memory:") "." else
            dirname(ledger$path), "archive")
}

check_day <- function(x, where) {
  day <- if (grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", check_text(x, where)))
    as.Date(x, optional = TRUE) else NA
  if (is.na(day))
    stop_input("type", paste("got", show_value(x)), where, "Write a day such as 2025-01-01.")
  x
}

# Deletes the rows of a batch and records where they are, in one transaction that lifts the ledger's
# own refusal to delete for its owner.
remove_archived <- function(ledger, before, places, note) {
  con <- ledger_connection(ledger)
  lifted <- if (on_server(con))
    paste("ALTER TABLE runs", c("DISABLE", "ENABLE"), "TRIGGER append_only") else {
    refusal <- "SELECT sql FROM sqlite_master WHERE name = 'runs_no_delete'"
    c("DROP TRIGGER runs_no_delete", DBI::dbGetQuery(con, refusal)[["sql"]])
  }
  tryCatch(write_ledger(con, function() {
    DBI::dbExecute(con, lifted[1])
    sql <- sprintf("DELETE FROM runs WHERE measured_at < ? AND rowid BETWEEN %.0f AND %.0f",
                   places[1], places[2])
    gone <- DBI::dbExecute(con, if (on_server(con)) server_sql(sql) else sql, params = list(before))
    if (gone != note[["timings"]]) stop("another program wrote into them meanwhile")
    DBI::dbExecute(con, lifted[2])
    insert_rows(con, "archives", note)
  }), error = function(e) {
    stop_input("ledger", paste("no timing was taken out:", one_line(conditionMessage(e))),
               short_path(ledger$path),
               "The ledger is as it was. On a server it takes who owns the tables.", parent = e)
  })
}

# ---- files ---------------------------------------------------------------------------------------

# Rows of the view `timings` as an archive has them.
archived_columns <- function(rows) {
  place <- as.numeric(rows[["place"]])
  rows <- typed_columns(all_columns(rows, names(timing_columns)))
  cbind(place = place, as_frame(rows))
}

# Writes an archive and reads it back; returns its path, which tells its days and its content.
write_archive <- function(rows, folder) {
  parquet <- requireNamespace("nanoparquet", quietly = TRUE)
  draft <- file.path(folder, paste0("timings-", Sys.getpid(),
                                    if (parquet) ".parquet" else ".csv.gz"))
  on.exit(unlink(draft, expand = FALSE))
  # Columns in which nothing stands are left out.
  said <- rows[!vapply(rows, function(column) all(is.na(column)), NA)]
  write_whole(draft, function(part) {
    if (parquet) nanoparquet::write_parquet(said, part) else write_archived_csv(said, part)
  })
  if (!identical(as.list(read_archive(draft)), as.list(rows))) {
    stop_input("ledger", "a batch did not come back from its file as it was written", folder,
               "Nothing was taken out.")
  }
  days <- gsub("-", "", substr(range(rows[["measured_at"]]), 1, 10))
  path <- file.path(folder, sub(Sys.getpid(),
                                paste(days[1], days[2], substr(archive_hash(draft), 1, 8),
                                      sep = "-"),
                                basename(draft), fixed = TRUE))
  file.rename(draft, path)
  path
}

# Drafts of a killed archive run, after an hour without writes.
remove_old_drafts <- function(folder) {
  drafts <- list.files(
    folder, "^(part-[0-9]+-)?timings-[0-9]+[.](parquet|csv[.]gz)$|^part-[0-9a-f]+$",
    full.names = TRUE)
  unlink(drafts[file.mtime(drafts) < Sys.time() - 3600], expand = FALSE)
}

# Numbers with all their digits.
write_archived_csv <- function(rows, path) {
  texts <- lapply(rows, function(x) {
    text <- if (is.logical(x)) as.character(as.integer(x)) else plain_text(x)
    ifelse(is.na(x), "\\N", text)
  })
  out <- gzfile(path, "w", encoding = "UTF-8")
  on.exit(close(out))
  quoted <- function(x) paste0("\"", gsub("\"", "\"\"", x, fixed = TRUE), "\"")
  writeLines(paste(quoted(names(texts)), collapse = ","), out)
  writeLines(do.call(paste, c(lapply(unname(texts), quoted), sep = ",")), out, useBytes = TRUE)
}

read_archive <- function(path) {
  if (grepl("[.]parquet$", path)) {
    need_package("nanoparquet", "archives in Parquet")
    rows <- as.data.frame(nanoparquet::read_parquet(path))
  } else {
    rows <- utils::read.csv(gzfile(path, encoding = "UTF-8"), colClasses = "character",
                            na.strings = "\\N", check.names = FALSE, encoding = "UTF-8")
    for (name in intersect(names(timing_columns)[timing_columns == "flag"], names(rows))) {
      rows[[name]] <- as.integer(rows[[name]])
    }
  }
  archived_columns(rows)
}

archive_hash <- function(path) unname(file_hashes(path))

# ---- reading -------------------------------------------------------------------------------------

# A ledger's archives, each opened as a read-only ledger, and then the ledger itself: queries of all
# its timings run on each. Each knows its `share` of the history, whose last place is `last`.
history_parts <- function(ledger) {
  con <- ledger_connection(ledger)
  noted <- if (has_table(con, "archives"))
    ask_rows(con, "SELECT * FROM archives ORDER BY rowid")
  last <- last_run(con)
  ledger$last <- last
  ledger$share <- max(0, 1 - sum(noted[["timings"]]) / last, na.rm = TRUE)
  if (!NROW(noted)) return(list(ledger))
  open <- lapply(seq_len(nrow(noted)), function(k) {
    part <- open_archive(ledger, as.list(noted[k, ]))
    if (length(part)) {
      part$last <- last
      part$share <- noted[["timings"]][k] / last
    }
    part
  })
  open <- Filter(length, open)
  corrected <- ask_rows(con, "SELECT old_id FROM corrections")[["old_id"]]
  for (part in open) tell_corrections(part, corrected)
  c(open, list(ledger))
}

# One archive, whose rows stand in a ledger of their own in the user's cache once they were read;
# NULL, and one message, where its file is not there.
open_archive <- function(ledger, noted) {
  known <- ledger$archives[[noted$file]]
  if (length(known)) return(known)
  kept <- file.path(tools::R_user_dir("clockpigeon", "cache"), "archives",
                    paste0(noted$hash, "-", ledger_form, ".sqlite"))
  if (!file.exists(kept)) {
    path <- Filter(file.exists, file.path(c(archive_folder(ledger), noted$folder), noted$file))
    if (!length(path)) {
      if (noted$file %in% ledger$missed) return(NULL)
      ledger$missed <- c(ledger$missed, noted$file)
      message("The archive ", noted$file, " of this ledger is neither in ", archive_folder(ledger),
              " nor in ", noted$folder, ": its ", whole_number(noted[["timings"]]), " timings, ",
              substr(noted$first_at, 1, 10), " to ", substr(noted$last_at, 1, 10),
              ", are not read.")
      return(NULL)
    }
    if (archive_hash(path[1]) != noted$hash) {
      stop_input("ledger", "an archive of it was changed since it was written", path[1],
                 "Restore it from a copy.")
    }
    dir.create(dirname(kept), FALSE, TRUE)
    write_whole(kept, function(part) archive_as_ledger(read_archive(path[1]), part))
  }
  ledger$archives[[noted$file]] <- open_ledger(kept, read_only = TRUE)
}

archive_as_ledger <- function(rows, path) {
  kept <- open_ledger(path)
  on.exit(close_ledger(kept))
  for (flag in names(timing_columns)[timing_columns == "flag"])
    rows[[flag]] <- as.integer(rows[[flag]])
  names(rows)[names(rows) == "place"] <- "rowid"
  write_ledger(kept$con, function() {
    rows[["setting"]] <- setting_ids(kept$con, rows, row_codes(rows, setting_columns))
    insert_rows(kept$con, "runs", rows[setdiff(names(rows), setting_columns)])
    DBI::dbExecute(kept$con, "CREATE INDEX IF NOT EXISTS runs_of_setting ON runs (setting)")
  })
}

# How many timings are read of a part where `most` are read of the whole history: all of it where it
# has no more.
most_of_part <- function(part, most) if (part$last <= most) Inf else
  max(1, ceiling(most * part$share))

# The rows that `ask(part)` gives of each part of a ledger, in the order of their places.
from_all_parts <- function(ledger, ask) {
  parts <- history_parts(ledger)
  rows <- lapply(parts, ask)
  if (length(parts) == 1) return(rows[[1]])
  rows <- do.call(rbind, rows)
  rows[order(rows[["place"]]), , drop = FALSE]
}

# Corrections in the ledger apply to its archives: a table of this connection takes precedence over
# their own.
tell_corrections <- function(part, corrected) {
  if (identical(part$heard, length(corrected))) return(invisible())
  DBI::dbExecute(part$con, "DROP TABLE IF EXISTS temp.corrections")
  DBI::dbExecute(part$con, "CREATE TEMP TABLE corrections (old_id TEXT PRIMARY KEY)")
  if (length(corrected)) {
    DBI::dbExecute(part$con, "INSERT INTO temp.corrections VALUES (?)", params = list(corrected))
  }
  part$heard <- length(corrected)
}
