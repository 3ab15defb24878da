# Reports of sites on a job apart from its frames: their charges, that they ended it, that they
# cannot be reached.

# `told`: events, their times in seconds from the placing; `columns`: the frames of the job. Returns
# a list: `ready` (when each frame's picture could be fetched, by its place in the job; Inf), and
# `sites`, a data frame of `site`, `charged` (NA: it tells of no charges), `halted_s` and
# `halted_by`, `silent_s` (since when it cannot be asked, or its report not be read) and `trouble`,
# `by_hand` (it was sent nothing by its address), `spoilt` (pictures that arrived incomplete and are
# not there), `other` (a version of the engine that was not asked for and made frames).
site_states <- function(told, columns) {
  key <- row_key(columns, c("shot", "frame"))
  ready <- told[told[["what"]] %in% "ready", , drop = FALSE]
  at <- match(key, row_key(ready, c("shot", "frame")))
  here <- row_key(told[told[["what"]] %in% "arrived", , drop = FALSE], c("shot", "frame"))
  names <- unique(told[["place"]][told[["what"]] %in% c("sent", "unreached", "reached") |
                                      or_else(told[["source"]], "") %in% "report"])
  rows <- lapply(names, function(site) {
    mine <- told[told[["place"]] %in% site, , drop = FALSE]
    of <- function(...) mine[mine[["what"]] %in% c(...), , drop = FALSE]
    # A halt counts until something is sent there again; that all frames are done is none.
    halted <- of("halted")
    sent <- max(c(of("sent")[["time"]], -Inf))
    halted <- halted[halted[["time"]] >= sent & halted[["detail"]] != "all frames", , drop = FALSE]
    reach <- of("unreached", "reached")
    lost <- nrow(reach) && utils::tail(reach[["what"]], 1) == "unreached"
    spoilt <- setdiff(row_key(of("spoilt"), c("shot", "frame")), here)
    charges <- of("charged")
    data.frame(site = site,
               charged = if (nrow(charges)) sum(charges[["amount"]], na.rm = TRUE) else NA_real_,
               halted_s = c(halted[["time"]], NA_real_)[1],
               halted_by = c(halted[["detail"]], NA_character_)[1],
               silent_s = if (lost) utils::tail(reach[["time"]], 1) else NA_real_,
               trouble = if (lost) utils::tail(reach[["detail"]], 1) else NA_character_,
               spoilt = length(spoilt),
               by_hand = !nrow(of("sent")),
               other = c(of("other version")[["detail"]], NA_character_)[1])
  })
  list(ready = ifelse(is.na(at), Inf, pmax(ready[["time"]][at], 1e-3)), sites = bind_tables(rows))
}

# Cost of a part at a site that reports its charges: the charges so far, and the draws' cost of the
# rest, scaled by the ratio of actual to expected charges for the finished work; the first tenth of
# the work weighs that against the card. `weight`: mean seconds of each frame of the part.
charged_cost <- function(cost, charged, weight, done, prior = 0.1) {
  work <- sum(weight[done]) / sum(weight)
  if (is.na(charged) || charged <= 0) return(cost)
  charged + (1 - work) * cost * charged_ratio(mean(cost), charged, work, prior)
}

charged_ratio <- function(mean, charged, work, prior = 0.1) (charged + prior * mean) /
  (mean * work + prior * mean)

# Amounts of a site as of the project's currency; as they are where no rate is known.
in_job_currency <- function(amount, site, project) {
  rate <- rate_to(site, project$currency, project$rates)
  round(amount * or_else(rate$rate, 1), 4)
}

# The time of a frame as a site tells it, a row of evidence.
add_reported_timing <- function(ledger, row, limit, card) {
  row$frame <- as.integer(row$frame)
  row$measured_at <- utc_now(row$measured_at)
  row$billed <- null_if_na(row$billed)
  row <- c(row, list(activity = "render", site = card$site, status = "ok", kind = "reported",
                     currency = if (length(row$billed)) card$currency))
  add_timings(ledger, as_table(c(limit_columns(limit), Filter(length, row))))
  invisible()
}

# Jobs of ours at a site: a list of `id`, `key`, `sequence` and `sent` (of the event that says so,
# and its time), `order` (what was ordered), `halted`, `deleted`.
remote_jobs <- function(ledger, job, site = NULL, events = as_frame(job_events(ledger, job))) {
  asked <- events[events[["what"]] == "asked", , drop = FALSE]
  sent <- events[events[["what"]] == "sent" & startsWith(events[["key"]], "sent "), , drop = FALSE]
  if (length(site)) sent <- sent[sent[["place"]] %in% site, , drop = FALSE]
  gone <- events[events[["what"]] == "deleted", , drop = FALSE]
  lapply(seq_len(nrow(sent)), function(k) {
    at <- match(sub("^sent", "asked", sent[["key"]][k]), asked[["key"]])
    id <- sent[["detail"]][k]
    place <- sent[["place"]][k]
    list(id = id, site = place, sequence = sent[["sequence"]][k], sent = sent[["time"]][k],
         order = jsonlite::parse_json(asked[["detail"]][at])$order,
         halted = any(startsWith(events[["key"]], paste("halted", place, id, ""))),
         deleted = any(gone[["detail"]] %in% id & gone[["place"]] %in% place))
  })
}

# Frames of an order, in its order: the numbers by which the site's list of frames has them.
order_frames <- function(order) {
  each <- lapply(order$shots, function(shot) parse_frames(shot$frames))
  data.frame(shot = rep(vapply(order$shots, `[[`, "", "shot"), lengths(each)), frame = unlist(each))
}

# Worth of the balances at a site that still count, in the currency of a job. `kinds`: prepaid
# money, or what is given (starting, gift, earned).
balance_held <- function(site, job, kinds = given_kinds) {
  counts <- Filter(function(b) {
    b$kind %in% kinds && (is.null(b$until) || this_day(site$time_zone) <= b$until)
  }, site$balances)
  sum(vapply(counts, function(b) b$amount, 0)) * rate_to(site, job$currency, job$rates)$rate
}

given_kinds <- c("starting", "gift", "earned")
