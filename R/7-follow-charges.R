# What an own pool's part of a job comes to by its site's card: nobody sends a bill for it, so it is made here.

# Writes the lines once a part has ended: all of its frames are there, or failed for good, or the job was stopped.
keep_own_charges <- function(place, ledger, frames, stopped) {
  for (site in unique(frames[["site"]])) {
    mine <- frames[["state"]][frames[["site"]] == site]
    if (!stopped && !all(mine %in% c("done", "failed"))) next
    known <- job_charges(ledger, place$job)
    if (any(startsWith(known[["key"]], paste("own", site, "")))) next
    lines <- own_charges(place, ledger, site)
    if (NROW(lines)) add_charges(ledger, place$job, lines)
  }
  invisible()
}

# The lines, as the ledger has them: what the job's runs there took, priced by the card. Where the card's meter runs
# from boot to release, a node's waiting between its frames is priced too.
own_charges <- function(place, ledger, site) {
  card <- place$project$sites[[site]]
  rows <- as_frame(timings(ledger, job = place$job))
  rows <- rows[rows[["site"]] %in% site & rows[["activity"]] %in% c("render", "prepass") &
                 is.finite(rows[["wall_s"]]), , drop = FALSE]
  if (!nrow(rows)) return(NULL)
  began <- as.POSIXct(rows[["measured_at"]], tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ")
  usage <- data.frame(
    node = ifelse(is.na(rows[["node"]]), "-", rows[["node"]]), activity = rows[["activity"]],
    status = ifelse(rows[["status"]] %in% "ok", "ok", "failed"), seconds = rows[["wall_s"]],
    frames = as.integer(rows[["activity"]] == "render" & rows[["status"]] %in% "ok" & is.na(rows[["piece"]])),
    megapixels = ifelse(is.na(rows[["width"]]), 0, rows[["width"]] * rows[["height"]] / 1e6),
    began = format(began, "%Y-%m-%d %H:%M", tz = or_else(card$time_zone, "UTC"))
  )
  if (card$meter == "boot to release") usage <- rbind(usage, idle_usage(usage, began))
  part <- place$parts[match(site, place$parts[["site"]]), ]
  tier <- null_if_na(part[["tier"]])
  bill <- as_frame(bill(usage, card, tier = tier, hire = null_if_na(part[["hire"]]), engine = place$state$job$engine,
                        on = this_moment()))
  bill <- bill[bill[["amount"]] != 0 | bill[["part"]] == "list", , drop = FALSE]
  data.frame(site = site, item = bill[["item"]], quantity = bill[["quantity"]], unit = bill[["unit"]],
             amount = bill[["amount"]], currency = bill[["currency"]], basis = "priced", source = "own pool",
             key = paste("own", site, seq_len(nrow(bill))))
}

# A node's time between its first and last run in which it had none.
idle_usage <- function(usage, began) {
  rows <- lapply(split(seq_len(nrow(usage)), usage[["node"]]), function(at) {
    from <- as.numeric(began[at])
    idle <- max(from + usage[["seconds"]][at]) - min(from) - sum(usage[["seconds"]][at])
    if (!is.finite(idle) || idle <= 0) return(NULL)
    row <- usage[at[1], , drop = FALSE]
    row$activity <- "idle"
    row$status <- "ok"
    row$seconds <- idle
    row$frames <- 0L
    row
  })
  do.call(rbind, rows)
}
