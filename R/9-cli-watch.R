# The command `watch`: how a placed job stands.

cli_watch <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  if (!length(args)) return(cli_watch_all(project, o))
  name <- args[1]
  decision <- cli_ledger(project, code = function(ledger) decided_job(ledger, name))
  cli_told(project, name, o, decision)
  # The ledger is opened for each look: nothing is held between them.
  if (o$tell && is.null(project$tell)) {
    stop_input("usage", "the project names nobody to be told", "option --tell",
               "Write `tell: {run: [program, argument]}` in clockpigeon.yaml.")
  }
  live <- !o$once && !length(o$figure) && !o$ways && !length(o$what_if)
  links <- new_links()
  on.exit(close_links(links))
  look <- function(last = NULL) {
    cli_take(project, name, if (live) 1 else 5, links)
    x <- cli_ledger(project, code = function(ledger) watch_job(project, ledger, name, last = last))
    if (o$tell) cli_tell(project, x)
    x
  }
  order <- function(what) {
    cli_ledger(project, FALSE,
               function(l) add_events(l, name, data.frame(what = what, source = "watch")))
  }
  if (live && o$format == "json") {
    x <- stream_watch(look, o$every, wait = event_ear(project$ledger))
  } else if (live && o$format == "table" && on_terminal()) {
    x <- live_watch(look, order, o$every, hear = event_ear(project$ledger))
  } else {
    x <- look()
    ways <- if (length(o$what_if)) what_if_now(x, strsplit(o$what_if, ",", fixed = TRUE)[[1]])
            else if (o$ways) as_table(ways_now(x))
    cli_emit(or_else(ways, x$parts), o$format,
             function() c(watch_lines(x), if (length(ways)) ways_lines(x, ways)))
  }
  cli_figure(x, o$figure, show = or_else(o$show, "belief"))
  if (any(x$alarms[["level"]] == "now")) 3L else 0L
}

# All jobs that run, a line each.
cli_watch_all <- function(project, o) {
  given <- names(Filter(length, o[c("frames", "placed", "claim", "figure", "what_if")]))
  given <- c(given, names(Filter(isTRUE, o[c("sent", "ways", "tell")])))
  if (length(given)) {
    stop_input("usage", paste0("--", given[1], " is of one job, and none is named"),
               "clockpigeon watch", "Write clockpigeon watch JOB.")
  }
  links <- new_links()
  on.exit(close_links(links))
  for (name in cli_ledger(project, code = placed_jobs)) cli_take(project, name, 2, links)
  found <- cli_ledger(project, code = function(ledger) watch_all(project, ledger))
  cli_emit(found, o$format, function() running_jobs_lines(found))
  if (any(found[["alarm"]] %in% "now")) 3L else 0L
}

# Programs that could not be told say so.
cli_tell <- function(project, x) {
  told <- cli_ledger(project, FALSE, function(ledger) tell_alarms(x, ledger, project$tell))
  unposted <- which(!is.na(told[["posted"]]))
  if (length(unposted))
    cli_note("telling of ", told[["code"]][unposted[1]], ": ", told[["posted"]][unposted[1]])
  failed <- told[!told[["status"]] %in% 0L, , drop = FALSE]
  if (NROW(failed)) {
    cli_note("telling of ", failed[["code"]][1], ": ", project$tell$run[1],
             if (is.na(failed[["status"]][1])) " did not run" else
             paste0(" ended with status ", failed[["status"]][1]))
  }
}

# What is told of the placing now is written down once: when it was, where its frames appear, and
# that the rest was sent to the fallback.
cli_told <- function(project, name, o, decision) {
  plan <- decision$plan
  sites <- unique(vapply(plan$parts, `[[`, "", "site"))
  folders <- if (length(o$frames)) cli_folders(o$frames, c(sites, plan$rescue$site))
  now <- this_moment()
  known <- cli_ledger(project, code = function(ledger) placed_of(ledger, name, decision))
  missing <- setdiff(sites, c(names(known$folders), names(folders)))
  if (length(missing)) {
    stop_input("usage", paste("names no folder for", either(missing)), "option --frames",
               if (length(sites) == 1) "Write --frames FOLDER, where its frames appear."
               else paste0("Write --frames ", paste0(sites, "=FOLDER", collapse = ","), "."))
  }
  if (o$sent && is.null(plan$look)) {
    stop_input("usage", "the plan has no fallback to which anything could be sent", "option --sent",
               "Leave it out.")
  }
  add <- function(rows) cli_ledger(project, FALSE, function(ledger) add_events(ledger, name, rows))
  if (length(folders) || length(o$placed)) {
    moment <- if (length(o$placed)) cli_past_moment(o$placed, project$time_zone, now) else
      known$moment
    folders <- utils::modifyList(as.list(known$folders), as.list(folders))
    add(data.frame(time = utc_now(moment), place = names(folders), what = "placed",
                   detail = unlist(folders), source = "watch",
                   key = paste("placed", names(folders), unlist(folders), utc_now())))
  }
  if (length(o$claim)) {
    pairs <- if (length(sites) == 1 && !grepl("=", o$claim, fixed = TRUE))
      stats::setNames(list(o$claim), sites)
             else as.list(cli_pairs(o$claim, "option --claim", "times as attic=3h20m"))
    for (site in names(pairs)) check_choice(site, "option --claim", c(sites, plan$rescue$site))
    add(data.frame(time = utc_now(now), place = names(pairs), what = "claim", source = "watch",
                   amount = vapply(pairs, parse_duration, 0, "option --claim")))
  }
  if (o$sent) add(data.frame(time = utc_now(now), what = "looked", detail = "send",
                             source = "watch"))
}

cli_past_moment <- function(text, zone, now) {
  where <- "option --placed"
  moment <- parse_deadline(text, as.POSIXct("2000-01-01", tz = "UTC"), zone, where)
  if (moment > now)
    stop_input("deadline", paste0("got ", show_value(text), ", which is still to come"), where,
               "Write when it was placed.")
  if (moment < as.POSIXct("2001-01-01", tz = "UTC")) {
    stop_input("deadline", paste0("got ", show_value(text), ", which is no date"), where,
               "Write 2026-11-27 10:00.")
  }
  moment
}

# Folders by site: `site=folder,site=folder`, or the one folder of the one site.
cli_folders <- function(text, sites) {
  where <- "option --frames"
  pairs <- if (length(sites) == 1 && !grepl("^[A-Za-z0-9._-]+=", text))
    stats::setNames(list(text), sites)
           else as.list(cli_pairs(text, where, "folders as attic=frames/attic"))
  stray <- setdiff(names(pairs), sites)
  if (length(stray)) {
    stop_input("usage", paste("the plan has no site", show_value(stray[1])), where,
               paste0("Its sites are ", toString(sites), "."))
  }
  lapply(pairs, function(folder) {
    if (!dir.exists(folder))
      stop_input("file", "there is no such folder", folder, "Make it, or name another.")
    real_path(folder)
  })
}
