# A bill that a site sent, taken into the ledger: lines of this job, each once, corrections beside what they correct.

# The lines of a bill that are of this job go to the ledger, those that are new. A line without a key of its site is
# known by all that is read of it, and by how often the same is in its file: a later file, in whatever form, that has it
# as often adds nothing.
take_bill <- function(path, project, ledger, job, card, watched) {
  read <- read_bill(path, card)
  x <- read$lines
  x <- lines_of_job(x, read, ledger, job)
  other <- nrow(read$lines) - nrow(x)
  check_period(x, read, watched, card)
  known <- job_charges(ledger, job)
  mark <- ifelse(paste("file", card$site, x[["raw"]]) %in% known[["key"]], x[["raw"]], x[["mark"]])
  same <- ifelse(is.na(x[["key"]]), mark,
                 paste(x[["key"]], stats::ave(seq_len(nrow(x)), x[["key"]], FUN = seq_along)))
  key <- paste("file", card$site, same)
  text <- function(at) ifelse(is.na(at), NA, utc_now(as.POSIXct(at, origin = "1970-01-01", tz = "UTC")))
  rows <- data.frame(site = card$site, kind = x[["kind"]], item = x[["item"]], began = text(x[["began"]]),
                     ended = text(x[["ended"]]), quantity = x[["quantity"]], unit = x[["unit"]], price = x[["price"]],
                     amount = x[["amount"]], currency = x[["currency"]], node = x[["node"]], shot = x[["shot"]],
                     frames = x[["frames"]], basis = "billed", source = paste0("line ", x[["line"]], " of ",
                                                                              basename(path)), key = key)
  rows <- corrected_lines(rows, known)
  list(new = add_charges(ledger, job, rows), other = other, off = read$off)
}

# A line that is known with another amount: what it differs by is a line of its own.
corrected_lines <- function(rows, known) {
  at <- match(rows[["key"]], known[["key"]])
  again <- which(!is.na(at))
  for (k in again) {
    like <- known[["key"]] == rows[["key"]][k] | startsWith(known[["key"]], paste0(rows[["key"]][k], " corrected "))
    more <- round(rows[["amount"]][k] - sum(known[["amount"]][like]), 6)
    if (more == 0) next
    rows[["key"]][k] <- paste0(rows[["key"]][k], " corrected ", sum(like))
    rows[["item"]][k] <- paste("correction:", rows[["item"]][k])
    rows[["kind"]][k] <- "refund"
    rows[k, c("amount", "quantity", "price")] <- list(more, NA_real_, NA_real_)
  }
  rows
}

# Lines that name a job: those of ours, by its name here or its id there. Those that name none are taken as of it.
lines_of_job <- function(x, read, ledger, job) {
  names <- c(job, vapply(remote_jobs(ledger, job), `[[`, "", "id"))
  mine <- is.na(x[["job"]]) | tolower(trimws(x[["job"]])) %in% tolower(names)
  if (!any(mine)) {
    stop_input("bill", paste0("is of ", if (length(unique(x[["job"]])) == 1) "another job, " else "other jobs, ",
                              toString(vapply(utils::head(unique(x[["job"]]), 3), show_value, ""))), read$where,
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
    stop_input("bill", paste0("is of ", paste(unique(c(day(min(began[known])), day(max(ended[known])))),
                                              collapse = " to "), ", and the job was placed on ",
                              day(as.numeric(watched$placed))), read$where, "Name the bill of that time.")
  }
}

# The lines that a site asks for: those of files, or else those it answered with, or what the card makes of its runs.
asked_lines <- function(ledger, job, site) {
  x <- job_charges(ledger, job)
  x <- x[x[["site"]] %in% site, , drop = FALSE]
  file <- startsWith(x[["key"]], "file ")
  billed <- x[["basis"]] %in% "billed"
  x <- x[if (any(file)) file else if (any(billed)) billed else rep(TRUE, nrow(x)), , drop = FALSE]
  x$line <- seq_len(nrow(x))
  rownames(x) <- NULL
  x
}
