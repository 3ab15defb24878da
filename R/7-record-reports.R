# Reports of sites that are used by hand: exports of frame times or charges, and logs, placed in the
# job's folder. Their rows become events of the job and evidence of the site, each once, however
# often they are read.

# Reads what is new in the reports of a job's sites; `links$reports` keeps which files were read as
# they are. Returns rows as fetch_job() has them, one a site that has `reports` in its file.
take_reports <- function(project, ledger, job, links) {
  plan <- job_decision(ledger, job)$plan
  folders <- placed_of(ledger, job, list(made_at = utc_now()))$folders
  sites <- report_sites(project, ledger, job)
  bind_tables(lapply(sites, function(site) {
    trouble <- tryCatch({
      take_site_reports(project, ledger, job, site, links)
      NA_character_
    }, clockpigeon_error = function(e)
                        paste0("has a report that cannot be read: ", e$where, " ", e$what))
    reported_row(project, ledger, job, site, plan, folders[[site]], trouble)
  }))
}

# Sites at which the job was placed, and whose file names reports.
report_sites <- function(project, ledger, job) {
  events <- job_events(ledger, job)
  sites <- unique(events[["place"]][events[["what"]] %in% "placed"])
  Filter(function(site) length(project$sites[[site]]$reports), sites)
}

# Take new reports of a site by hand, and add their events.
take_site_reports <- function(project, ledger, job, site, links) {
  card <- project$sites[[site]]
  decision <- job_plan_record(ledger, job)
  for (entry in card$reports) for (path in report_files(project, job, entry)) {
    name <- paste(site, path)
    mark <- paste(file.mtime(path), file.size(path))
    if (identical(links$reports[[name]], mark)) next
    found <- read_report(path, entry, project, card, decision)
    keep_report(found, project, ledger, job, card, decision)
    written <- utc_now(file.mtime(path))
    add_events(ledger, job,
               data.frame(what = "reported", time = written, place = site, detail = basename(path),
                          source = "report", key = paste("reported", site, path, written)))
    links$reports[[name]] <- mark
  }
}

# Existing files of a report: in the job's folder, unless the path is a full one.
report_files <- function(project, job, entry) {
  at <- if (is_absolute(entry$file)) entry$file else
    file.path(project$root, "placed", job, entry$file)
  files <- Sys.glob(at)
  files[!dir.exists(files) & file.size(files) > 0]
}

# A report's rows in our words: `shot`, `frame` (NA for a charge without a frame), `state` (`ready`,
# `failed`, `rendering`), `node`, `wall_s`, `begun`, `finished` (seconds since 1970), `charge` (in
# the site's currency), `version`, `line` (to distinguish charges without a frame).
read_report <- function(path, entry, project, card, decision) {
  where <- short_path(path)
  as <- or_else(entry$as, tell_import(path))
  if (as == "log") {
    engine <- project_entry(project$engines, decision$evidence$engine, "engine")
    x <- import_log(path, engine)
    x <- data.frame(frame = x[["frame"]], wall_s = x[["wall_s"]])
  } else {
    found <- if (as == "csv") read_foreign_csv(path, entry$map) else read_foreign_json(path)
    x <- map_columns(found, entry$map, where, names(report_columns))$rows
    x$line <- row_marks(found)
  }
  if (is.null(x[["frame"]]) && is.null(x[["charge"]])) {
    stop_input("import", "says neither frames nor charges", where,
               paste0("Map them in sites/", card$site,
                                                                         ".yaml: reports, map."))
  }
  plain_report(x, entry, decision, card, where, as.numeric(file.mtime(path)))
}

# A table that a site exports, with our columns and types.
plain_report <- function(x, entry, decision, card, where, written) {
  for (name in setdiff(names(report_columns), names(x))) x[[name]] <- rep(NA, nrow(x))
  if (is.null(x[["line"]])) x$line <- rep(NA_character_, nrow(x))
  for (name in names(report_columns)[report_columns %in% c("integer", "number")]) {
    x[[name]] <- column_numbers(x[[name]], name, where)
  }
  for (name in c("begun", "finished"))
    x[[name]] <- column_moments(x[[name]], name, card$time_zone, where)
  shots <- vapply(decision$asked$shots, `[[`, "", "shot")
  # With one shot nothing need say which.
  x$shot <- if (length(shots) == 1) rep(shots, nrow(x)) else shots[shot_named(x[["shot"]], shots)]
  done <- !is.na(x[["wall_s"]]) | !is.na(x[["finished"]])
  x$timed <- !is.na(x[["begun"]]) | !is.na(x[["finished"]])
  x$state <- if (length(entry$states)) report_states(x[["state"]], entry$states)
             else ifelse(done, "ready", ifelse(is.na(x[["begun"]]), NA, "rendering"))
  x$finished <- ifelse(is.na(x[["finished"]]) & x[["state"]] %in% c("ready", "failed"),
                       ifelse(is.na(x[["begun"]]) | is.na(x[["wall_s"]]), written,
                              x[["begun"]] + x[["wall_s"]]),
                       x[["finished"]])
  x$begun <- ifelse(is.na(x[["begun"]]), x[["finished"]] - x[["wall_s"]], x[["begun"]])
  x[c(names(report_columns), "line", "timed")]
}

# Their words for a state as ours; NA for any other.
report_states <- function(x, states) {
  out <- rep(NA_character_, length(x))
  for (ours in names(states)) out[tolower(x) %in% tolower(states[[ours]])] <- ours
  out
}

# ---- kept ----------------------------------------------------------------------------------------

# New rows of a report, as events, charges and evidence.
keep_report <- function(x, project, ledger, job, card, decision) {
  of_job <- x[!is.na(x[["frame"]]) & !is.na(x[["shot"]]) & !is.na(x[["state"]]), , drop = FALSE]
  if (nrow(of_job)) {
    before <- job_events(ledger, job)[["key"]]
    rows <- report_events(of_job, card$site)
    add_events(ledger, job, rows)
    new <- of_job[of_job[["state"]] == "ready" & !is.na(of_job[["wall_s"]]) &
                    !paste("report ready", card$site, of_job[["shot"]], of_job[["frame"]]) %in%
                  before, , drop = FALSE]
    keep_report_timings(new, project, ledger, job, card, decision)
    note_other_versions(of_job, ledger, job, card$site, decision$evidence$version)
  }
  charged <- x[!is.na(x[["charge"]]), , drop = FALSE]
  if (nrow(charged)) add_events(ledger, job, report_charges(charged, ledger, job, card, project))
}

# Events of a site's report: frames ready, failed, started, and charges.
report_events <- function(x, site) {
  event <- function(rows, what, time) {
    if (!nrow(rows)) return(NULL)
    # A frame can start and fail more than once, if the report has the times; it is ready once.
    turn <- if (what != "ready") ifelse(rows[["timed"]], paste0(" ", format(time, digits = 12)), "")
    data.frame(what = what, time = utc_now(as.POSIXct(time, origin = "1970-01-01")), place = site,
               node = ifelse(is.na(rows[["node"]]), NA, paste0(site, "/", rows[["node"]])),
               shot = rows[["shot"]],
               frame = as.integer(rows[["frame"]]), seconds = rows[["wall_s"]], source = "report",
               key = paste0("report ", what, " ", site, " ", rows[["shot"]], " ", rows[["frame"]],
                            turn))
  }
  begun <- x[!is.na(x[["begun"]]), , drop = FALSE]
  ready <- x[x[["state"]] == "ready", , drop = FALSE]
  failed <- x[x[["state"]] == "failed", , drop = FALSE]
  rows <- rbind(event(begun, "rendering", begun[["begun"]]),
                event(ready, "ready", ready[["finished"]]),
                event(failed, "failed", failed[["finished"]]))
  rows[["node"]] <- as.character(rows[["node"]])
  rows
}

# Charges in the job's currency. A report states the total charged for a frame so far: only the
# difference to the known charge is new.
report_charges <- function(x, ledger, job, card, project) {
  x$amount <- in_job_currency(x[["charge"]], card, project)
  events <- as_frame(job_events(ledger, job))
  known <- events[events[["what"]] %in% "charged" & events[["source"]] %in% "report" &
                    events[["place"]] %in% card$site, , drop = FALSE]
  of_frame <- !is.na(x[["frame"]]) & !is.na(x[["shot"]])
  key <- paste("report charged", card$site,
               ifelse(of_frame, paste(x[["shot"]], x[["frame"]]), x[["line"]]))
  before <- vapply(paste(x[["shot"]], x[["frame"]]), function(name) {
    sum(known[["amount"]][paste(known[["shot"]], known[["frame"]]) == name])
  }, 0)
  new <- ifelse(of_frame, round(x[["amount"]] - before, 4), x[["amount"]])
  data.frame(what = "charged",
             time = utc_now(as.POSIXct(ifelse(is.na(x[["finished"]]), as.numeric(this_moment()),
                                              x[["finished"]]), origin = "1970-01-01")),
             place = card$site, shot = ifelse(of_frame, x[["shot"]], NA_character_),
             frame = ifelse(of_frame, as.integer(x[["frame"]]), NA_integer_), amount = new,
             source = "report",
             key = ifelse(of_frame, paste(key, x[["amount"]]), key))[new != 0, , drop = FALSE]
}

keep_report_timings <- function(x, project, ledger, job, card, decision) {
  for (k in seq_len(nrow(x))) {
    row <- as.list(x[k, ])
    shot <- project_entry(project$shots, row$shot, "shot")
    add_reported_timing(ledger, list(
      shot = row$shot, scene = shot$scene, frame = row$frame, width = shot$size[["width"]],
      height = shot$size[["height"]], engine = decision$evidence$engine,
      engine_version = or_else(null_if_na(row$version), decision$evidence$version),
      wall_s = row$wall_s,
      measured_at = as.POSIXct(row$finished, origin = "1970-01-01"), billed = row$charge, job = job
    ), shot$limit, card)
  }
}

note_other_versions <- function(x, ledger, job, site, asked) {
  other <- unique(stats::na.omit(setdiff(x[["version"]], asked)))
  if (!length(asked) || !length(other)) return(invisible())
  add_events(ledger, job,
             data.frame(what = "other version", time = utc_now(this_moment()), place = site,
                        detail = shown_text(other[1], 60), source = "report",
                        key = paste("version", site, other[1])))
}

# Row of a fetch for a site that is followed by its reports.
reported_row <- function(project, ledger, job, site, plan, folder, trouble) {
  events <- as_frame(job_events(ledger, job))
  mine <- events[events[["place"]] %in% site & events[["source"]] %in% "report", , drop = FALSE]
  ready <- unique(mine[mine[["what"]] == "ready", c("shot", "frame"), drop = FALSE])
  shots <- vapply(job_decision(ledger, job)$asked$shots, `[[`, "", "shot")
  here <- if (dir.exists(folder)) nrow(folder_frames(folder, shots)) else 0L
  part <- Find(function(part) part$site == site, plan$parts)
  frames <- as.integer(or_else(part$count, NA))
  charged <- mine[mine[["what"]] == "charged", , drop = FALSE]
  all <- nrow(ready) >= or_else(null_if_na(frames), Inf)
  data.frame(site = site, id = NA_character_,
             state = if (!is.na(trouble)) NA_character_ else if (all) "done" else "running",
             frames = frames,
             ready = max(nrow(ready), here), here = here, left_s = NA_real_,
             spent = if (nrow(charged)) sum(charged[["amount"]]) else NA_real_,
             currency = project$currency,
             trouble = trouble)
}
