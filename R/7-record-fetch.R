# Taking from a site what has come of a job: its events, its times and charges, its pictures; and
# sending it orders.

#' Fetch what has come of a job that was placed elsewhere
#'
#' Asks each site that was sent a part of the job over Clock Pigeon's site protocol: orders given
#' here (`pause`, `resume`, `stop`) are passed on, events are recorded once in any order, pictures
#' are fetched, checked against their SHA-256 and given their names, times become evidence of the
#' site, and when all has ended the bill is kept. Interrupted fetches continue the next time.
#'
#' For a site that is used by hand it reads the `reports` that the site's file names
#' ([read_site()]): frames that are ready there, started or failed, their times and charges, each
#' once however often a report is put there again. The times become evidence of the site.
#'
#' @param project From [read_project()].
#' @param ledger A ledger from [open_ledger()], for writing.
#' @param job The job's name.
#' @param seconds How long to go on fetching at most.
#' @param links What keeps connections between two calls, for those that ask often; `NULL` opens new
#'   ones.
#' @return A tibble, one row a job at a site: `site`, `id` (`NA` by hand), `state` (as the site
#'   says: `waiting`, `running`, `paused`, `stopped`, `done`; `NA` where it does not answer),
#'   `frames`, `ready` (there), `here`, `left_s` (what the site takes to be left), `spent`,
#'   `currency`, `trouble` (why it could not be asked, or its report not be read; `NA`).
#' @section Conditions: `clockpigeon_error_job` for a job that is not in the ledger.
#' @examplesIf requireNamespace("curl", quietly = TRUE)
#' project <- read_project(demo_file())
#' ledger <- open_ledger(":memory:")
#' job <- render_job(project$shots["gears"], "sundew", example_timings(), rates = project$rates)
#' forecast <- forecast_job(plan_options(job, project$sites, only = "quayside"), draws = 100)
#' record_job(ledger, choose_option(forecast, "30 h"), "gears-final")
#' fetch_job(project, ledger, "gears-final")
#' close_ledger(ledger)
#' @export
fetch_job <- function(project, ledger, job, seconds = Inf, links = NULL) {
  check_class(project, argument("project"), "cp_project", "read_project()")
  if (is.null(links)) {
    links <- new_links()
    on.exit(close_links(links))
  }
  remotes <- Filter(function(remote) !remote$deleted, remote_jobs(ledger, job))
  until <- steady_clock() + seconds
  # Time for one site's whole exchange without its pictures, so that a slow site does not delay the
  # others.
  patience <- min(60, max(10, seconds))
  rows <- lapply(remotes, function(remote) {
    tryCatch(fetch_remote(project, ledger, job, remote, until, patience, links),
             clockpigeon_error_service = function(e)
             fetched_row(ledger, job, remote, trouble = e$what))
  })
  out <- bind_tables(c(rows, list(take_reports(project, ledger, job, links))))
  if (is.null(out)) out <- fetched_row(ledger, job, NULL)
  note_reach(ledger, job, out)
  as_table(out)
}

# One row of a fetch: state of a site's job, frames ready and here, time left, money spent.
fetched_row <- function(ledger, job, remote, state = list(), trouble = NA_character_) {
  if (is.null(remote)) {
    return(data.frame(site = character(), id = character(), state = character(), frames = integer(),
                      ready = integer(), here = integer(), left_s = numeric(), spent = numeric(),
                      currency = character(), trouble = character()))
  }
  frames <- order_frames(remote$order)
  events <- remote_frame_events(ledger, job, remote)
  count <- function(what) sum(row_key(frames, c("shot", "frame")) %in%
                                row_key(events[events[["what"]] %in% what, , drop = FALSE],
                                        c("shot", "frame")))
  data.frame(site = remote$site, id = remote$id, state = text_or_na(state$state),
             frames = nrow(frames), ready = count(c("ready", "arrived")), here = count("arrived"),
             left_s = number_or_na(state$left_s), spent = number_or_na(state$spent),
             currency = text_or_na(state$currency), trouble = trouble)
}

# Reports on frames by one job at a site: a refused frame appears again in a later one.
remote_frame_events <- function(ledger, job, remote) {
  events <- as_frame(job_events(ledger, job))
  own <- startsWith(events[["key"]], paste("site", remote$site, remote$id, "")) |
    startsWith(events[["key"]], paste("fetch arrived", remote$site, remote$id, ""))
  events[own, , drop = FALSE]
}

# Report once that a site cannot be reached, and once that it can again.
note_reach <- function(ledger, job, rows) {
  events <- job_events(ledger, job)
  for (site in unique(rows[["site"]])) {
    why <- rows[["trouble"]][rows[["site"]] == site & is.na(rows[["state"]])]
    said <- events[["place"]] %in% site & events[["what"]] %in% c("unreached", "reached")
    last <- utils::tail(events[["what"]][said], 1)
    what <- if (length(why)) "unreached" else "reached"
    if (identical(or_else(last, "reached"), what)) next
    add_events(ledger, job,
               data.frame(what = what, time = utc_now(this_moment()), place = site,
                          source = "fetch", detail = if (length(why)) why[1] else NA_character_))
  }
}

# Fetch from a site with an address: events, times, charges, pictures.
fetch_remote <- function(project, ledger, job, remote, until, patience, links) {
  service <- links$service(project_entry(project$sites, remote$site, "site"), tries = 3,
                           timeout_s = 30)
  prompt <- service_within(service, patience)
  pass_orders(prompt, ledger, job, remote)
  state <- site_job(prompt, remote$id)
  check_state_currency(state, project$sites[[remote$site]])
  take_remote_events(prompt, project, ledger, job, remote, links, state)
  elapsed <- job_timer()
  trouble <- tryCatch({
    fetch_pictures(service, project, ledger, job, remote, until, state$ready)
    NA_character_
  }, clockpigeon_error_file = function(e) paste("has pictures for us;", e$where, e$what))
  prompt <- service_within(service, patience)
  if (elapsed() > 1) {
    # Much may have happened while pictures came.
    state <- site_job(prompt, remote$id)
    take_remote_events(prompt, project, ledger, job, remote, links, state)
  }
  keep_claim(ledger, job, remote, state)
  if (text_or_na(state$state) %in% c("done", "stopped"))
    keep_bill(prompt, project, ledger, job, remote)
  if (is.na(trouble)) trouble <- quarantine_words(ledger, job, remote)
  fetched_row(ledger, job, remote, state, trouble)
}

check_state_currency <- function(state, site) {
  if (identical(state$currency, site$currency)) return(invisible())
  stop_input("service", paste0("counts in ", show_value(state$currency), " and its card in ",
                               site$currency),
             site$site, "Correct `currency` of the card, or ask the site.")
}

# Orders given here since the job was sent, each passed on once.
pass_orders <- function(service, ledger, job, remote) {
  events <- as_frame(job_events(ledger, job))
  orders <- events[events[["what"]] %in% names(remote_orders) &
                   events[["sequence"]] > remote$sequence &
                     !events[["source"]] %in% "site", , drop = FALSE]
  passed <- events[["key"]][events[["what"]] == "ordered"]
  for (k in seq_len(nrow(orders))) {
    key <- paste("ordered", remote$site, remote$id, orders[["sequence"]][k])
    if (key %in% passed || remote$halted) next
    # One that is ended needs no order any more.
    tryCatch(order_at_site(service, remote$id, remote_orders[[orders[["what"]][k]]], key),
             clockpigeon_error_service = function(e) if (!identical(e$problem, "state")) stop(e))
    add_events(ledger, job,
               data.frame(what = "ordered", time = utc_now(this_moment()), place = remote$site,
                          detail = orders[["what"]][k], source = "fetch", key = key))
  }
}

remote_orders <- list(paused = "pause", resumed = "resume", stopped = "stop")

# ---- events --------------------------------------------------------------------------------------

# Events there since the last known one, recorded with our clock's times.
take_remote_events <- function(service, project, ledger, job, remote, links, state) {
  name <- paste(remote$site, remote$id)
  stream <- links$streams[[name]]
  if (is.null(stream)) {
    numbers <- remote_numbers(job_events(ledger, job), remote)
    stream <- open_site_events(service, remote$id)
    for (number in numbers) note_number(stream, number)
    links$streams[[name]] <- stream
  }
  expect_number(stream, state$last_event)
  found <- read_site_events(stream, links$patience_s)
  rows <- bind_tables(lapply(found, received_event, remote = remote, bounds = order_bounds(remote),
                             ahead = or_else(stream$ahead_s, 0)))
  if (is.null(rows)) return(invisible())
  site <- project$sites[[remote$site]]
  charged <- rows[["what"]] == "charged"
  if (any(charged))
    rows$amount[charged] <- in_job_currency(rows[["amount"]][charged], site, project)
  add_events(ledger, job, rows)
  invisible()
}

# Numbers of the events of a remote job that are known here.
remote_numbers <- function(events, remote) {
  begins <- paste(c("site", "halted"), remote$site, remote$id, "")
  own <- events[["key"]][startsWith(events[["key"]], begins[1]) |
                         startsWith(events[["key"]], begins[2])]
  sort(as.numeric(sub(".* ", "", own)))
}

# The site's estimate of the time left, every five minutes.
keep_claim <- function(ledger, job, remote, state) {
  if (!answer_types$seconds(state$left_s)) return(invisible())
  now <- this_moment()
  add_events(ledger, job,
             data.frame(what = "claim", time = utc_now(now), place = remote$site,
                        amount = state$left_s, source = "fetch",
                        key = paste("claim", remote$site, as.numeric(now) %/% 300)))
}

# ---- pictures and the bill -----------------------------------------------------------------------

# Pictures that are ready there and not here, the earliest first, until the time is over. `ready`:
# how many the site has; with fewer `ready` events (one may be quarantined), every frame that is not
# here is requested.
fetch_pictures <- function(service, project, ledger, job, remote, until, ready) {
  frames <- order_frames(remote$order)
  events <- remote_frame_events(ledger, job, remote)
  of <- function(what) row_key(frames, c("shot", "frame")) %in%
    row_key(events[events[["what"]] %in% what, , drop = FALSE], c("shot", "frame"))
  told <- of("ready")
  left <- which((told | sum(told) < ready) & !of("arrived"))
  folder <- file.path(project$root, "placed", job, "frames")
  digits <- max(4, nchar(max(frames[["frame"]])))
  brought <- 0
  while (length(left) && steady_clock() < until) {
    page <- ask_json(service, "GET", paste0("/jobs/", path_piece(remote$id), "/frames"),
                     query = list(after = left[1] - 1,
                                  most = min(10, left[length(left)] - left[1] + 1)),
                     needed = c(frames = "rows"))$frames
    if (!length(page)) break
    listed <- sound_rows(page, c(shot = "text", frame = "count", state = "text"))
    note_quarantined(ledger, job, remote, listed$faults, "frames")
    for (row in listed$rows) {
      # However little time there is, some come each time.
      if (steady_clock() >= until && brought >= 3) return(invisible())
      at <- which(frames[["shot"]] %in% row$shot & frames[["frame"]] %in% row$frame)
      if (length(at) != 1 || !at %in% left || !identical(row$state, "ready")) next
      kind <- or_else(Find(function(s) s$shot == row$shot, remote$order$shots)$output, "png")
      to <- file.path(folder, row$shot,
                      sprintf(paste0("%s-%0", digits, "d.%s"), row$shot, row$frame, kind))
      bring_remote(service, project, ledger, job, remote, row, to)
      brought <- brought + 1
    }
    left <- left[left >= left[1] + length(page)]
  }
  invisible()
}

# Fetches one picture: a file under its final name is complete. A picture that fails to arrive
# complete in three tries is reported, and tried again the next time; a write error here is not the
# site's fault.
bring_remote <- function(service, project, ledger, job, remote, row, to) {
  whole <- file.exists(to)
  shot <- Find(function(s) s$shot == row$shot, remote$order$shots)
  received <- received_picture(row, shot)
  about <- paste("picture", row$shot, row$frame)
  note_quarantined(ledger, job, remote, if (length(received$fault)) paste(about, received$fault),
                   about)
  unwritten <- function(e) {
    if (inherits(e, "clockpigeon_error")) stop(e)
    stop_input("file", "cannot be written", to, "Make room, or see who owns the folder.")
  }
  if (!whole && length(received$row)) {
    dir.create(dirname(to), FALSE, TRUE)
    check_room(dirname(to), row$bytes)
    for (try in 1:3) {
      whole <- tryCatch(fetch_picture(service, remote$id, received$row, to), error = unwritten,
                        warning = unwritten)
      if (whole) break
    }
  }
  node <- text_or_na(received$row$node)
  if (!is.na(node)) node <- paste0(remote$site, "/", node)
  told <- function(what, detail = NA_character_, seconds = NA_real_) {
    add_events(ledger, job,
               data.frame(what = what, time = utc_now(this_moment()), place = remote$site,
                          node = node, shot = row$shot, frame = as.integer(row$frame),
                          seconds = seconds, detail = detail, source = "fetch",
                          key = paste("fetch", what, remote$site, remote$id, row$shot, row$frame)))
  }
  if (!whole) return(told("spoilt", "its picture is not what the site says it is"))
  new <- told("arrived", seconds = number_or_na(received$row$seconds))
  if (new > 0 && length(received$row))
    keep_remote_timing(project, ledger, job, remote, received$row)
}

# The time of a frame that a site rendered, as evidence of the site.
keep_remote_timing <- function(project, ledger, job, remote, row) {
  shot <- Find(function(s) s$shot == row$shot, remote$order$shots)
  if (is.na(number_or_na(row$seconds))) return(invisible())
  asked <- remote$order$version
  if (length(asked) && !text_or_na(row$version) %in% c(NA, asked)) {
    add_events(ledger, job,
               data.frame(what = "other version", time = utc_now(this_moment()),
                          place = remote$site, detail = text_or_na(row$version), source = "fetch",
                          key = paste("version", remote$site, remote$id, text_or_na(row$version))))
  }
  limit <- shot$limit
  names(limit)[names(limit) == "time_s"] <- "time"
  ended <- service_moment(text_or_na(row$ended))
  add_reported_timing(ledger, list(
    shot = row$shot, scene = or_else(project$shots[[row$shot]]$scene, shot$scene),
    frame = row$frame, engine = remote$order$engine,
    engine_version = first_of(null_if_na(text_or_na(row$version)), remote$order$version),
    width = shot$width, height = shot$height, tier = remote$order$tier, wall_s = row$seconds,
    measured_at = if (is.na(ended)) this_moment() else ended, billed = number_or_na(row$charge),
    job = job
  ), limit, project$sites[[remote$site]])
}

# The last bill of a job that has ended, line by line, once.
keep_bill <- function(service, project, ledger, job, remote) {
  known <- job_charges(ledger, job)
  if (any(startsWith(known[["key"]], paste("bill", remote$site, remote$id, ""))))
    return(invisible())
  bill <- site_bill(service, remote$id)
  if (!bill$last || !length(bill$lines)) return(invisible())
  currency <- project$sites[[remote$site]]$currency
  received <- received_bill(bill, remote, currency)
  if (length(received$lines)) add_charges(ledger, job, received$lines)
  faults <- received$faults
  sum <- sum(to_minor(received$lines[["amount"]], currency))
  if (length(received$lines) && sum != to_minor(bill$total, currency)) {
    faults <- c(faults, paste("the lines of its bill sum to",
                              format_money(from_minor(sum, currency), currency),
                              "and its total is", format_money(bill$total, currency)))
  }
  note_quarantined(ledger, job, remote, faults, "bill")
  invisible()
}

# Deletes what a job left at its sites; refused while a picture that is paid for is not here.
# Returns the ids.
delete_remote <- function(project, ledger, job, links = new_links()) {
  on.exit(close_links(links))
  rows <- fetch_job(project, ledger, job, links = links)
  remotes <- Filter(function(remote) !remote$deleted, remote_jobs(ledger, job))
  if (!length(remotes)) {
    stop_input("job", paste("nothing of job", job, "is at a site that answers by an address"),
               argument("job"), "Delete it there by hand.")
  }
  away <- rows[!rows[["state"]] %in% c("done", "stopped") | rows[["here"]] < rows[["ready"]], ,
               drop = FALSE]
  if (nrow(away)) {
    row <- as.list(as_frame(away)[1, ])
    running <- !row$state %in% c("done", "stopped")
    stop_input("job", paste0("job ", job,
                             if (!is.na(row$trouble)) paste0(" cannot be asked for at ", row$site)
                             else if (running) paste0(" is not ended at ", row$site)
                             else paste0(" has ", row$ready - row$here, " frames at ", row$site,
                                         " that are paid for and not here")),
               argument("job"), if (running) paste0("Stop it first: clockpigeon stop ", job, ".")
                                else paste0("Fetch them first: clockpigeon fetch ", job, "."))
  }
  vapply(remotes, function(remote) {
    service <- links$service(project_entry(project$sites, remote$site, "site"))
    tryCatch(delete_at_site(service, remote$id), clockpigeon_error_service = function(e) {
      if (!identical(e$problem, "unknown")) stop(e)
    })
    add_events(ledger, job,
               data.frame(what = "deleted", time = utc_now(this_moment()), place = remote$site,
                          detail = remote$id, source = "delete"))
    remote$id
  }, "")
}
