# Placing at a site that answers our protocol: what is sent there, under which key, with which cap.

# Does a part of a plan go to a site by its address?
has_service <- function(project, site) length(project$sites[[site]]$service) > 0

# Places the remaining frames of a part, or its trial frames. The request is recorded with its key
# before it is sent, so that an interrupted run repeats the same request, and the site places it
# once. Returns the id of the job there; NULL if no frames remained.
place_remote <- function(place, part, columns, ledger, folder, trial = FALSE,
                         service = site_service(place$project$sites[[part$site]])) {
  project <- place$project
  site <- project$sites[[part$site]]
  # Sending its files is part of the job.
  placed <- this_moment()
  pending <- pending_order(ledger, place$job, part$site)
  if (is.null(pending)) {
    columns <- unplaced_columns(place, ledger, part$site, columns)
    if (!length(columns)) return(NULL)
    job <- job_part(place$state$job, columns)
    if (trial) job <- trial_frames_of(job)
    about <- ask_site(service)
    elapsed <- job_timer()
    sent <- send_site_files(service, project$root, needed_files(job, project), about$part_bytes)
    if (sum(sent[["sent"]]) > 0) {
      add_events(ledger, place$job,
                 data.frame(what = "uploaded", time = utc_now(this_moment()), place = part$site,
                            seconds = elapsed(), amount = sum(sent[["sent"]]),
                            source = "place"))
    }
    work <- site_work(job, part, or_else(project$engines[[job$engine]]$output, "png"),
                      shot_files(job, project, sent))
    name <- paste0(place$job, if (trial) "-trial")
    share <- sum(lengths(lapply(job$shots, `[[`, "frames"))) / part$count
    cap <- remote_cap(place, part, site, share, trial, ledger)
    pending <- list(key = paste(place$id, part$site,
                                count_orders(ledger, place$job, part$site) + 1, sep = "/"),
                    order = c(work, list(name = name, trial = trial, cap = cap)))
    add_events(ledger, place$job,
               data.frame(what = "asked", time = utc_now(place$now), place = part$site,
                          detail = to_json_line(pending), source = "place",
                          key = paste("asked", pending$key)))
  }
  answer <- tryCatch(place_at_site(service, pending$order, pending$key),
                     clockpigeon_error_service = function(e) {
    # A finally refused request is not repeated: the next one states the work as it is then.
    if (isTRUE(e$status %in% c(400, 404, 409, 422))) {
      add_events(ledger, place$job,
                 data.frame(what = "refused", time = utc_now(this_moment()), place = part$site,
                            detail = e$what, source = "place", key = paste("sent", pending$key)))
    }
    stop(e)
  })
  add_events(ledger, place$job,
             data.frame(what = "sent", time = utc_now(this_moment()), place = part$site,
                        detail = check_remote_id(answer$job), source = "place",
                        key = paste("sent", pending$key)))
  if (!trial) note_placed(place, ledger, folder, part$site, placed)
  answer$job
}

# An id as a site gives it: a text without spaces or control characters.
check_remote_id <- function(id) {
  if (is.character(id) && length(id) == 1 && grepl("^[!-~]{1,200}$", id)) return(id)
  stop_input("service", "answered an order with an id that is none", "a site",
             "It may speak another protocol than this one.")
}

# Number of orders sent to a site for a job, with any outcome.
count_orders <- function(ledger, job, site) {
  events <- job_events(ledger, job)
  sum(events[["what"]] == "asked" & events[["place"]] %in% site)
}

# Request to a site that is still unanswered; NULL for none.
pending_order <- function(ledger, job, site) {
  events <- as_frame(job_events(ledger, job))
  events <- events[events[["place"]] %in% site, , drop = FALSE]
  asked <- events[events[["what"]] == "asked", , drop = FALSE]
  open <- !sub("asked", "sent", asked[["key"]]) %in% events[["key"]]
  if (any(open)) jsonlite::parse_json(asked[["detail"]][which(open)[1]])
}

# Frames of a part that are neither received nor running there.
unplaced_columns <- function(place, ledger, site, columns) {
  frames <- job_columns(place$state$job)[columns, , drop = FALSE]
  events <- as_frame(job_events(ledger, place$job))
  key <- row_key(frames, c("shot", "frame"))
  told <- without_refused(events)
  there <- key %in%
    row_key(told[told[["what"]] %in% c("arrived", "ready"), , drop = FALSE], c("shot", "frame"))
  # Frames refused since then are no longer running there.
  refused <- refused_frames(events)
  since <- refused[["sequence"]][match(key, row_key(refused, c("shot", "frame")))]
  for (remote in remote_jobs(ledger, place$job, site, events)) {
    ordered <- key %in% row_key(order_frames(remote$order), c("shot", "frame"))
    if (!remote$halted) there <- there | ordered & (is.na(since) | since < remote$sequence)
  }
  columns[!there]
}

# A job of the frames that say most of the others.
trial_frames_of <- function(job, most = 3) {
  job$shots <- lapply(job$shots, function(shot) {
    shot$frames <- sort(first_probes(shot$frames, min(most, length(shot$frames))))
    shot
  })
  job
}

# Which files are of which shot.
shot_files <- function(job, project, sent) {
  bind_tables(lapply(job$shots, function(shot) {
    own <- needed_files(list(shots = list(shot)), project)
    rows <- sent[sent[["path"]] %in% own, c("path", "sha256"), drop = FALSE]
    if (nrow(rows)) cbind(shot = shot$shot, rows)
  }))
}

# Spending cap for a site, in its own currency: a tenth more than the part costs in 99 % of cases,
# at most what the budget leaves, less its earlier charges; for trial frames three times their
# share. The site's meter counts gifts as charges, so that they are added. Never below the card's
# price of a job without a frame.
remote_cap <- function(place, part, site, share, trial, ledger) {
  rate <- rate_to(site, place$state$job$currency, place$state$job$rates)$rate
  # A site ends a job when its cap is reached: one that costs just that must not be ended, where the
  # budget has room.
  room <- place$state$asked$budget - (place$judged$mean - part$cost_mean)
  most <- part_cap(place, part)
  most <- max(most, min(1.1 * most, room))
  gifts <- balance_held(site, place$state$job)
  amount <- if (trial) 3 * part$full_p90 * share else
    most + gifts - charged_so_far(ledger, place$job, part$site)
  list(amount = ceiling(100 * max(amount / rate, least_charge(site), 0.01)) / 100,
       currency = site$currency)
}

# Least that a card charges for a job: its fee, and the larger of its minimum and a node's minimum,
# with tax.
least_charge <- function(site) {
  price <- site$price
  least <- or_else(price$fixed, 0) + max(or_else(price$minimum, 0), or_else(price$minimum_node, 0))
  tax <- if (length(site$tax) && !site$tax$included) 1 + site$tax$percent / 100 else 1
  least * tax
}

# Charges of a site so far, in the job's currency.
charged_so_far <- function(ledger, job, site) {
  events <- job_events(ledger, job)
  sum(events[["amount"]][events[["what"]] == "charged" & events[["place"]] %in% site], na.rm = TRUE)
}
