# Checks of everything that a site sent about a job, before it is stored. An entry that cannot be
# true is quarantined: an event `quarantined` with the reason, which counts nowhere. Everything else
# of the answer is kept.

# A text or a number that a site says; NA for anything else.
text_or_na <- function(x, most = 60) if (is.character(x) && length(x) == 1) shown_text(x, most) else
  NA_character_
number_or_na <- function(x) if (is.numeric(x) && length(x) == 1) as.numeric(x) else NA_real_

# Kinds of events that have an effect here. Other kinds are stored under their own name.
remote_event_kinds <- c("begun", "node up", "node gone", "rendering", "ready", "failed", "lost",
                        "charged", "halted")

# Fields of an event, and which of them may be absent.
event_answer <- c(what = "text", at = "moment", shot = "text", frame = "count", node = "text",
                  seconds = "seconds", amount = "charge", detail = "text")
frame_event_kinds <- c("rendering", "ready", "failed", "lost")

# Why an event cannot be true, or NULL. `frames`: keys of the order's frames; `span`: from when to
# when it may be.
event_fault <- function(event, frames, span, ahead) {
  fault <- answer_fault(event, event_answer, setdiff(names(event_answer), c("what", "at")))
  if (length(fault)) return(fault)
  at <- as.numeric(service_moment(event$at)) - ahead
  if (at < span[1] || at > span[2]) return(paste("is of", event$at, "which is no time of this job"))
  if (event$what %in% "charged" && is.null(event$amount)) return("lacks amount")
  if (event$what %in% frame_event_kinds &&
      !row_key(list(shot = event$shot, frame = event$frame), c("shot", "frame")) %in% frames) {
    return(paste("is of", show_value(event$shot), "frame", or_else(event$frame, "unknown"),
                 "which was not ordered"))
  }
  NULL
}

# One event of a site as a row of ours. `order`: its frames and moments, from order_bounds().
received_event <- function(event, remote, bounds, ahead) {
  key <- paste("site", remote$site, remote$id, sprintf("%.0f", event$number))
  fault <- event_fault(event, bounds$frames, bounds$span, ahead)
  if (length(fault))
    return(quarantined_row(remote, paste0("event ", sprintf("%.0f", event$number), " ", fault),
                           key))
  text <- function(name) text_or_na(event[[name]], 200)
  if (event$what == "halted") key <- sub("^site", "halted", key)
  data.frame(
    what = if (event$what %in% remote_event_kinds) event$what else paste("site:", text("what")),
    time = utc_now(service_moment(event$at) - ahead), place = remote$site,
    node = if (is.na(text("node"))) NA_character_ else paste0(remote$site, "/", text("node")),
    shot = text("shot"), frame = as.integer(number_or_na(event$frame)),
    seconds = number_or_na(event$seconds), amount = number_or_na(event$amount),
    detail = text("detail"), source = "site", key = key
  )
}

# The frames that an order has, and the span of time in which anything of it can have happened: from
# a day before it was sent to a day from now, by our clock.
order_bounds <- function(remote) {
  list(frames = row_key(order_frames(remote$order), c("shot", "frame")),
       span = c(as.numeric(service_moment(remote$sent)) - 86400, as.numeric(this_moment()) + 86400))
}

quarantined_row <- function(remote, why, key) {
  data.frame(what = "quarantined", time = utc_now(this_moment()), place = remote$site,
             node = NA_character_, shot = NA_character_, frame = NA_integer_, seconds = NA_real_,
             amount = NA_real_, detail = shown_text(why, 200), source = "site", key = key)
}

# ---- pictures ------------------------------------------------------------------------------------

# Bytes that a picture of a shot may have: 64 a pixel (four layers of four 32-bit channels), and 1
# MB for its headers.
picture_bytes <- function(shot) 64 * shot$width * shot$height + 1e6

picture_answer <- c(parts = "count", bytes = "bytes", sha256 = "sha256")
time_answer <- c(node = "text", seconds = "seconds", charge = "charge", version = "text",
                 ended = "moment")

# Check one finished frame: list(row, fault). Facts about the picture that cannot be true are
# dropped, and `fault` names them.
received_picture <- function(row, shot) {
  fault <- answer_fault(row, picture_answer)
  if (is.null(fault) && row$bytes > picture_bytes(shot)) {
    fault <- paste("has", format_size(row$bytes), "for a picture of", shot$width, "x", shot$height,
                   "pixels")
  }
  # By the protocol every part but the last has 1 KiB at least.
  if (is.null(fault) && row$parts > max(1, ceiling(row$bytes / 1024))) {
    fault <- paste("has", row$parts, "parts for", format_size(row$bytes))
  }
  if (length(fault)) return(list(row = NULL, fault = fault))
  for (name in names(time_answer)) {
    wrong <- if (length(row[[name]])) answer_fault(row[name], time_answer[name])
    if (length(wrong)) {
      fault <- wrong
      row[[name]] <- NULL
    }
  }
  list(row = row, fault = fault)
}

# Free space that a picture leaves on the disk it is written to.
spare_bytes <- 200e6

check_room <- function(folder, bytes) {
  free <- 1e6 * disk_free_mb(folder)
  if (is.na(free) || free > bytes + spare_bytes) return(invisible())
  stop_input("file", paste("the disk has", format_size(free), "left"), short_path(folder),
             "Make room there.")
}

# ---- bills ---------------------------------------------------------------------------------------

line_answer <- c(part = "text", item = "text", quantity = "amount", unit = "text", price = "amount",
                 amount = "amount")
most_lines <- 10000

# Lines of a bill as rows of ours, and what is wrong with the others: list(lines, faults).
received_bill <- function(bill, remote, currency) {
  refused <- function(why) list(lines = NULL, faults = paste("its bill", why))
  if (!identical(bill$currency, currency)) {
    return(refused(paste("is in", show_value(bill$currency), "and its card in", currency)))
  }
  if (length(bill$lines) > most_lines) return(refused(paste("has", length(bill$lines), "lines")))
  found <- sound_rows(bill$lines, line_answer, setdiff(names(line_answer), "amount"))
  rows <- found$rows
  pick <- function(name, read, of) vapply(rows, function(row) read(row[[name]]), of)
  text <- function(name) pick(name, text_or_na, "")
  number <- function(name) pick(name, number_or_na, 0)
  lines <- if (length(rows)) data.frame(
    site = remote$site, kind = vapply(text("part"), billed_kind, "", USE.NAMES = FALSE),
    item = text("item"), quantity = number("quantity"), unit = text("unit"),
    price = number("price"), amount = number("amount"), currency = currency, basis = "billed",
    source = remote$id, key = paste("bill", remote$site, remote$id, seq_along(rows))
  )
  list(lines = lines, faults = if (length(found$faults)) paste("a line of its bill", found$faults))
}

# Write down what of an answer was set aside, each once; `about` names the answer.
note_quarantined <- function(ledger, job, remote, faults, about) {
  if (!length(faults)) return(invisible())
  # One event says all there is to say of a thousand lines with one fault.
  faults <- utils::head(unique(faults), 20)
  add_events(ledger, job, bind_tables(lapply(faults, function(fault) {
    quarantined_row(remote, fault, paste("quarantined", remote$site, remote$id, about, fault))
  })))
  invisible()
}

# Words for what of a site's answers was set aside; NA for nothing.
quarantine_words <- function(ledger, job, remote) {
  events <- as_frame(job_events(ledger, job))
  mine <- events[["what"]] == "quarantined" & events[["place"]] %in% remote$site
  n <- sum(mine)
  if (!n) return(NA_character_)
  paste0("sent ", n, if (n == 1) " entry that cannot be right: " else
         " entries that cannot be right, the first: ",
         events[["detail"]][which(mine)[1]])
}
