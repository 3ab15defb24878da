# A site's bill in the ledger: lines of this job, each once, with corrections next to the lines that
# they correct.

# The lines of a bill that are of this job go to the ledger. A line without a key of its site is
# known by all that is read of it but its kind, and by how often the same is in its file: another
# file or form with the same lines adds nothing. The same file read again, by a corrected map,
# replaces the lines of its earlier reading.
take_bill <- function(path, project, ledger, job, card, watched) {
  read <- read_bill(path, card)
  x <- read$lines
  x <- lines_of_job(x, read, ledger, job)
  other <- nrow(read$lines) - nrow(x)
  check_period(x, read, watched, card)
  all <- job_charges(ledger, job)
  known <- lines_in_force(all)
  digest <- bill_digest(path)
  # Ledgers of earlier releases know a line by its raw text, or by its kind too.
  is_known <- function(mark) paste("file", card$site, mark) %in% all[["key"]]
  mark <- ifelse(is_known(x[["raw"]]), x[["raw"]],
                 ifelse(is_known(x[["kind_mark"]]), x[["kind_mark"]], x[["mark"]]))
  same <- ifelse(is.na(x[["key"]]), mark,
                 paste(x[["key"]], stats::ave(seq_len(nrow(x)), x[["key"]], FUN = seq_along)))
  key <- paste("file", card$site, same)
  text <- function(at)
    ifelse(is.na(at), NA, utc_now(as.POSIXct(at, origin = "1970-01-01", tz = "UTC")))
  rows <- data.frame(site = card$site, kind = x[["kind"]], item = x[["item"]],
                     began = text(x[["began"]]), ended = text(x[["ended"]]),
                     quantity = x[["quantity"]], unit = x[["unit"]], price = x[["price"]],
                     amount = x[["amount"]], currency = x[["currency"]], node = x[["node"]],
                     shot = x[["shot"]], frames = x[["frames"]], basis = "billed",
                     source = paste0("line ", x[["line"]], " of ", basename(path), " #", digest),
                     key = key)
  reread <- reread_lines(rows, known, all, digest)
  rows <- corrected_lines(reread$rows, known[!known[["key"]] %in% reread$gone, , drop = FALSE])
  gone <- withdrawn_lines(all, reread$gone)
  new <- add_charges(ledger, job, bind_tables(list(rows, gone))) - NROW(gone)
  list(new = new, other = other, off = read$off, replaced = length(reread$gone),
       unmatched = read$unmatched)
}

# A file is identified by its content, not by its name.
bill_digest <- function(path) substr(unname(file_hashes(path)), 1, 12)

# Changes that another reading of the same file makes: `rows` to add, and keys of lines that are
# `gone` because the map now reads them as totals or as another kind.
reread_lines <- function(rows, known, all, digest) {
  mine <- known[endsWith(or_else(known[["source"]], ""), paste0("#", digest)), , drop = FALSE]
  if (!nrow(mine)) return(list(rows = rows, gone = character()))
  base <- function(key) sub(" reading [0-9]+$", "", key)
  at <- match(rows[["key"]], base(mine[["key"]]))
  compared <- c("kind", "item", "quantity", "unit", "price", "amount", "node", "began", "ended")
  changed <- !is.na(at) & row_key(rows, compared) != row_key(mine[at, , drop = FALSE], compared)
  lost <- !base(mine[["key"]]) %in% rows[["key"]] &
    !grepl(" corrected ", mine[["key"]], fixed = TRUE)
  gone <- mine[["key"]][sort(c(at[changed], which(lost)))]
  readings <- vapply(rows[["key"]], function(key) sum(base(all[["key"]]) == key), 0L)
  again <- changed |
    rows[["key"]] %in% base(all[["key"]][all[["key"]] %in% withdrawn_keys(all)]) & is.na(at)
  rows$key[again] <- paste(rows[["key"]][again], "reading", readings[again] + 1)
  kept <- !is.na(at) & !changed
  rows$key[kept] <- mine[["key"]][at[kept]]
  list(rows = rows, gone = gone)
}

# The ledger keeps every line that was ever read. One that counts no more has a line of kind
# `withdrawn` with its key.
withdrawn_keys <- function(lines) lines[["item"]][lines[["kind"]] %in% "withdrawn"]

lines_in_force <- function(lines) {
  lines[!lines[["kind"]] %in% "withdrawn" & !lines[["key"]] %in% withdrawn_keys(lines), ,
        drop = FALSE]
}

withdrawn_lines <- function(all, keys) {
  if (!length(keys)) return(NULL)
  rows <- all[match(keys, all[["key"]]), , drop = FALSE]
  data.frame(site = rows[["site"]], kind = "withdrawn", item = keys, began = NA_character_,
             ended = NA_character_, quantity = NA_real_, unit = NA_character_, price = NA_real_,
             amount = 0, currency = rows[["currency"]], node = NA_character_, shot = NA_character_,
             frames = NA_character_, basis = "billed", source = rows[["source"]],
             key = paste(keys, "withdrawn"))
}

# Withdraw the lines of a bill: the file, or the name by which it was read. Returns how many there
# were.
forget_bill <- function(ledger, job, bill) {
  all <- job_charges(ledger, job)
  known <- lines_in_force(all)
  source <- or_else(known[["source"]], "")
  named <- sub(" #[0-9a-f]{12}$", "", source)
  of <- endsWith(named, paste(" of", basename(bill)))
  if (file.exists(bill) && !dir.exists(bill)) of <- of |
    endsWith(source, paste0("#", bill_digest(bill)))
  if (!any(of)) {
    bills <- unique(sub("^line [0-9]+ of ", "", named[startsWith(named, "line ")]))
    stop_input("bill", paste("no line of", show_value(bill), "is known of job", job),
               "option --forget",
               if (length(bills)) paste0("Name ", either(bills), ".") else
               "No bill of this job was read from a file.")
  }
  add_charges(ledger, job, withdrawn_lines(all, known[["key"]][of]))
  sum(of)
}

# A known line with another amount: the difference becomes a separate line.
corrected_lines <- function(rows, known) {
  at <- match(rows[["key"]], known[["key"]])
  again <- which(!is.na(at))
  for (k in again) {
    like <- known[["key"]] == rows[["key"]][k] |
      startsWith(known[["key"]], paste0(rows[["key"]][k], " corrected "))
    more <- round(rows[["amount"]][k] - sum(known[["amount"]][like]), 6)
    if (more == 0) next
    rows[["key"]][k] <- paste0(rows[["key"]][k], " corrected ", sum(like))
    rows[["item"]][k] <- paste("correction:", rows[["item"]][k])
    rows[["kind"]][k] <- "refund"
    rows[k, c("amount", "quantity", "price")] <- list(more, NA_real_, NA_real_)
  }
  rows
}

# Lines that name a job: those of ours, by its name here or its id there. Those that name none are
# taken as of it.
lines_of_job <- function(x, read, ledger, job) {
  names <- c(job, vapply(remote_jobs(ledger, job), `[[`, "", "id"))
  mine <- is.na(x[["job"]]) | tolower(trimws(x[["job"]])) %in% tolower(names)
  if (!any(mine)) {
    stop_input("bill", paste0("is of ", if (length(unique(x[["job"]])) == 1) "another job, " else
                              "other jobs, ",
                              toString(vapply(utils::head(unique(x[["job"]]), 3), show_value, ""))),
               read$where,
               paste0("This job is ", paste(unique(names), collapse = " or "), "."))
  }
  x[mine, , drop = FALSE]
}

# A bill whose lines are all of another time is of something else.
check_period <- function(x, read, watched, card) {
  from <- as.numeric(watched$placed) - 86400
  to <- as.numeric(watched$placed) + watched$passed_s + 86400
  began <- ifelse(is.na(x[["began"]]), x[["ended"]], x[["began"]])
  ended <- ifelse(is.na(x[["ended"]]), x[["began"]], x[["ended"]])
  known <- !is.na(began) & x[["kind"]] == "usage"
  if (any(known) && all(began[known] > to | ended[known] < from)) {
    day <- function(at) format(as.POSIXct(at, origin = "1970-01-01", tz = "UTC"), "%Y-%m-%d")
    days <- unique(c(day(min(began[known])), day(max(ended[known]))))
    stop_input("bill", paste0("is of ", paste(days, collapse = " to "),
                              ", and the job was placed on ", day(as.numeric(watched$placed))),
               read$where, "Name the bill of that time.")
  }
}

# The lines that a site asks for: those of files, or else those it answered with, or what the card
# makes of its runs.
asked_lines <- function(ledger, job, site) {
  x <- lines_in_force(job_charges(ledger, job))
  x <- x[x[["site"]] %in% site, , drop = FALSE]
  file <- startsWith(x[["key"]], "file ")
  billed <- x[["basis"]] %in% "billed"
  x <- x[if (any(file)) file else if (any(billed)) billed else rep(TRUE, nrow(x)), , drop = FALSE]
  x$line <- seq_len(nrow(x))
  rownames(x) <- NULL
  x
}
