# The command `watch`: how a job that was placed by hand stands.

cli_watch <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  name <- args[1]
  now <- this_moment()
  decision <- cli_ledger(project, code = function(ledger) decided_job(ledger, name))
  placed <- cli_placed(project, name, o, decision, now)
  asked <- asked_again(decision, project)
  job <- cli_ledger(project, code = function(ledger) asked_job(ledger, asked, project, name))
  scenario <- plan_options(job, project$sites, now = placed$moment)
  question <- asked$question(placed$moment)
  x <- watch_frames(decision$plan, scenario, question, placed$folders, now, asked$draws, asked$seed)
  cli_emit(x$parts, o$format, function() watch_lines(name, x, decision$plan, question, scenario))
  if (identical(x$look$due, "send")) 3L else 0L
}

# When the job was placed and where its frames appear: as it is told now, or was told before. It is written down once.
cli_placed <- function(project, name, o, decision, now) {
  sites <- unique(vapply(decision$plan$parts, `[[`, "", "site"))
  events <- as_frame(cli_ledger(project, code = function(ledger) job_events(ledger, name)))
  before <- events[events[["what"]] == "placed" & !is.na(events[["detail"]]), , drop = FALSE]
  before <- before[!duplicated(before[["place"]], fromLast = TRUE), , drop = FALSE]  # what was told last
  folders <- stats::setNames(as.list(before[["detail"]]), before[["place"]])
  if (length(o$frames)) folders[names(cli_folders(o$frames, sites))] <- cli_folders(o$frames, sites)
  missing <- setdiff(sites, names(folders))
  if (length(missing)) {
    stop_input("usage", paste("names no folder for", either(missing)), "option --frames",
               if (length(sites) == 1) "Write --frames FOLDER, where its frames appear."
               else paste0("Write --frames ", paste0(sites, "=FOLDER", collapse = ","), "."))
  }
  moment <- cli_past_moment(c(o$placed, before[["time"]], decision$made_at)[1], project$time_zone, now)
  if (length(o$frames) || length(o$placed)) {
    rows <- data.frame(time = format(moment, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"), place = sites, what = "placed",
                       detail = unlist(folders[sites]), source = "watch")
    cli_ledger(project, FALSE, function(ledger) add_events(ledger, name, rows))
  }
  list(moment = moment, folders = folders)
}

cli_past_moment <- function(text, zone, now) {
  where <- "option --placed"
  moment <- parse_deadline(text, as.POSIXct("2000-01-01", tz = "UTC"), zone, where)
  if (moment > now) stop_input("deadline", paste0("got ", show_value(text), ", which is still to come"), where,
                               "Write when it was placed.")
  if (moment < as.POSIXct("2001-01-01", tz = "UTC")) {
    stop_input("deadline", paste0("got ", show_value(text), ", which is no date"), where, "Write 2026-11-27 10:00.")
  }
  moment
}

# Folders by site: `site=folder,site=folder`, or the one folder of the one site.
cli_folders <- function(text, sites) {
  where <- "option --frames"
  pairs <- if (length(sites) == 1 && !grepl("^[A-Za-z0-9._-]+=", text)) stats::setNames(list(text), sites)
           else as.list(cli_pairs(text, where, "folders as attic=frames/attic"))
  stray <- setdiff(names(pairs), sites)
  if (length(stray)) {
    stop_input("usage", paste("the plan has no site", show_value(stray[1])), where,
               paste0("Its sites are ", toString(sites), "."))
  }
  lapply(pairs, function(folder) {
    if (!dir.exists(folder)) stop_input("file", "there is no such folder", folder, "Make it, or name another.")
    real_path(folder)
  })
}
