# What an own pool's part of a job comes to by its site's card: nobody sends a bill for it, so it is
# made here.

# Writes the lines once a part has ended: all of its frames are there, or failed for good, or the
# job was stopped.
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

# The lines, as the ledger has them: what the job's runs there took, priced by the card. Where the
# card's meter runs from boot to release, a node's waiting between its frames is priced too.
own_charges <- function(place, ledger, site) {
  card <- place$project$sites[[site]]
  usage <- site_meter(place$project, ledger, place$job, site, place$state$job$shots)$usage
  if (is.null(usage)) return(NULL)
  part <- place$parts[match(site, place$parts[["site"]]), ]
  lines <- as_frame(bill(usage[metered_columns], card, tier = null_if_na(part[["tier"]]),
                         hire = null_if_na(part[["hire"]]), engine = place$state$job$engine,
                         on = this_moment()))
  lines <- lines[lines[["amount"]] != 0 | lines[["part"]] == "list", , drop = FALSE]
  data.frame(site = site, kind = vapply(lines[["part"]], billed_kind, ""), item = lines[["item"]],
             quantity = lines[["quantity"]], unit = lines[["unit"]], price = lines[["price"]],
             amount = lines[["amount"]], currency = lines[["currency"]], basis = "priced",
             source = "own pool", key = paste("own", site, seq_len(nrow(lines))))
}

# What of a usage is priced.
metered_columns <- c("node", "activity", "status", "seconds", "frames", "megapixels", "began")
