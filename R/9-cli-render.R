# Commands of a running job: `place`, `pause`, `resume`, `stop`, `watch`, `fetch`, `delete` and
# `verify`.

# Run `place`.
cli_place <- function(o, args) {
  name <- args[1]
  limit <- if (length(o$frame_limit)) parse_duration(o$frame_limit, "option --frame-limit")
  project <- read_project()
  despite <- parse_despite(o$despite)
  cli_ledger(project, FALSE, function(ledger) {
    place <- plan_place(project, ledger, name)
    stops <- place$findings[["code"]][place$findings[["weight"]] == "stops"]
    goes <- all(stops %in% despite)
    if (!goes || !o$yes && !confirm_placing(place, o))
      return(emit_not_placed(place, o, goes, despite))
    if (o$yes) cli_note(paste(place_lines(place, despite), collapse = "\n"), "\n")
    placed <- place_job(place, ledger, despite, progress = TRUE, options = place_options(limit),
                        trial = o$trial)
    if (o$trial && length(placed$remote)) wait_remote(project, ledger, name, progress = TRUE)
    cli_emit(or_else(placed$frames, place$parts), o$format, function() {
      lines <- placed_lines(placed, place)
      if (!o$trial) return(lines)
      again <- plan_place(project, ledger, name)
      c(lines, "", "With what the trial frames took:", "", place_lines(again, despite))
    })
    if (any(placed$frames[["state"]] %in% c("waiting", "failed"))) 1L else 0L
  })
}

# Codes of the findings in spite of which a job is placed.
parse_despite <- function(text) {
  codes <- if (length(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1]])
  for (code in codes) check_choice(code, "option --despite", finding_codes)
  codes
}

# The last look of a job that is not placed; returns the exit status.
emit_not_placed <- function(place, o, goes, despite) {
  cli_emit(place$findings, o$format, function() place_lines(place, despite))
  if (!goes) return(3L)
  if (!o$yes)
    cli_note("Nothing was placed. To place it: clockpigeon place ", place$job, " --yes",
             if (length(despite)) paste0(" --despite ", o$despite))
  0L
}

# Ask the user on a terminal.
confirm_placing <- function(place, o) {
  if (!isatty(stdin()) || !on_terminal() || o$format != "table") return(FALSE)
  write_at_once(paste0(place_lines(place), "\n"), "\nPlace it? [y/N] ")
  answer <- readLines(file("stdin"), 1)
  length(answer) > 0 && tolower(trimws(answer)) %in% c("y", "yes")
}

# An order to the process that runs the job.
cli_order <- function(args, what) {
  project <- read_project(parts = c("shots", "sites", "rates"))
  said <- cli_ledger(project, FALSE, function(ledger) order_job(project, ledger, args[1], what))
  cli_note("job ", args[1], said$says)
  if (length(said$trouble)) cli_note(said$trouble)
  if (length(said$trouble)) 1L else 0L
}

# ---- watch ---------------------------------------------------------------------------------------

# Run `watch`.
cli_watch <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "jobs", "rates"))
  if (!length(args)) return(cli_watch_all(project, o))
  name <- args[1]
  decision <- cli_ledger(project, code = function(ledger) job_plan_record(ledger, name))
  add_typed_events(project, name, o, decision)
  check_can_tell(project, o)
  live <- !o$once && !length(o$figure) && !o$ways && !length(o$what_if)
  links <- new_links()
  on.exit(close_links(links))
  # Open the ledger for each look and close it again.
  look <- function(last = NULL) {
    cli_take(project, name, if (live) 1 else 5, links)
    x <- cli_ledger(project, code = function(ledger) watch_job(project, ledger, name, last = last))
    if (o$tell) cli_tell(project, x)
    x
  }
  x <- if (live) watch_live(project, name, o, look)
  if (is.null(x)) {
    x <- look()
    emit_watch(x, o)
  }
  cli_figure(x, o$figure, show = or_else(o$show, "belief"))
  if (any(x$alarms[["level"]] == "now")) 3L else 0L
}

check_can_tell <- function(project, o) {
  if (!o$tell || !is.null(project$tell)) return(invisible())
  stop_input("usage", "the project has no target for alarms", "option --tell",
             "Write `tell: {run: [program, argument]}` in clockpigeon.yaml.")
}

# Follow a job to its end: as JSON lines, or as a screen on a terminal. NULL where neither is
# possible.
watch_live <- function(project, name, o, look) {
  ear <- function() event_ear(project$ledger)
  if (o$format == "json") return(stream_watch(look, o$every, wait = ear()))
  if (o$format != "table" || !on_terminal()) return(NULL)
  order <- function(what) {
    cli_ledger(project, FALSE,
               function(l) add_events(l, name, data.frame(what = what, source = "watch")))
  }
  live_watch(look, order, o$every, hear = ear())
}

# One look at a job, with the alternatives that were requested.
emit_watch <- function(x, o) {
  ways <- if (length(o$what_if)) job_what_if(x, strsplit(o$what_if, ",", fixed = TRUE)[[1]])
          else if (o$ways) as_table(job_alternatives(x))
  cli_emit(or_else(ways, x$parts), o$format,
           function() c(watch_lines(x), if (length(ways)) alternatives_lines(x, ways)))
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

# Record once what the options report of the job: when it was placed, where its frames appear, what
# a site claims, and that the rest was sent to the fallback.
add_typed_events <- function(project, name, o, decision) {
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
  if (length(folders) || length(o$placed))
    add(placed_events(o, known, folders, project$time_zone, now))
  if (length(o$claim)) add(claim_events(o$claim, sites, plan$rescue$site, now))
  if (o$sent) add(data.frame(time = utc_now(now), what = "looked", detail = "send",
                             source = "watch"))
}

placed_events <- function(o, known, folders, zone, now) {
  moment <- if (length(o$placed)) cli_past_moment(o$placed, zone, now) else known$moment
  folders <- utils::modifyList(as.list(known$folders), as.list(folders))
  data.frame(time = utc_now(moment), place = names(folders), what = "placed",
             detail = unlist(folders), source = "watch",
             key = paste("placed", names(folders), unlist(folders), utc_now()))
}

# `claim`: the time left that a site states, as `3h20m`, or `attic=3h20m` for one of several sites.
claim_events <- function(claim, sites, rescue, now) {
  alone <- length(sites) == 1 && !grepl("=", claim, fixed = TRUE)
  pairs <- if (alone) stats::setNames(list(claim), sites) else
    as.list(cli_pairs(claim, "option --claim", "times as attic=3h20m"))
  for (site in names(pairs)) check_choice(site, "option --claim", c(sites, rescue))
  data.frame(time = utc_now(now), place = names(pairs), what = "claim", source = "watch",
             amount = vapply(pairs, parse_duration, 0, "option --claim"))
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

# ---- fetch ---------------------------------------------------------------------------------------

cli_fetch <- function(o, args) {
  project <- read_project()
  cli_ledger(project, FALSE, function(ledger) {
    rows <- if (o$wait) wait_remote(project, ledger, args[1], progress = TRUE) else
      fetch_job(project, ledger, args[1])
    cli_emit(rows, o$format, function() fetch_lines(rows, args[1]))
    if (any(!is.na(rows[["trouble"]]))) 1L else 0L
  })
}

# Fetches until all that a job has at sites is ended and here; what cannot be asked for `patience`
# seconds ends it too.
wait_remote <- function(project, ledger, job, progress = FALSE, every = 1, patience = 600) {
  links <- new_links()
  on.exit(close_links(links))
  said <- -Inf
  heard <- steady_clock()
  repeat {
    rows <- as_frame(fetch_job(project, ledger, job, 30, links))
    now <- steady_clock()
    if (all(is.na(rows[["trouble"]]))) heard <- now
    if (all(rows[["state"]] %in% c("done", "stopped") & rows[["here"]] >= rows[["ready"]]))
      return(as_table(rows))
    if (now - heard > patience) return(as_table(rows))
    if (progress && now - said >= 5) {
      said <- now
      cli_note(paste0(rows[["site"]], ": ", rows[["here"]], " of ", rows[["frames"]],
                      " frames here",
                      ifelse(is.na(rows[["trouble"]]), "", paste0(" (", rows[["trouble"]], ")")),
                      collapse = "; "))
    }
    Sys.sleep(every)
  }
}

cli_delete <- function(o, args) {
  project <- read_project()
  cli_ledger(project, FALSE, function(ledger) {
    if (!o$yes) {
      cli_note("This deletes what job ", args[1],
               " has at its sites; what is here stays. To do it: ", "clockpigeon delete ", args[1],
               " --yes")
      return(3L)
    }
    ids <- delete_remote(project, ledger, args[1])
    cli_note("deleted there: ", toString(ids))
    0L
  })
}

# Fetches news from a job's sites before looking at it, for a few seconds at most.
cli_take <- function(project, name, seconds, links) {
  if (cli_ledger(project, code = function(ledger) has_reporting_site(project, ledger, name))) {
    cli_ledger(project, FALSE, function(ledger) fetch_job(project, ledger, name, seconds, links))
  }
  invisible()
}

# ---- verify --------------------------------------------------------------------------------------

# Run `verify`.
cli_verify <- function(o, args) {
  where <- first_of(args, ".")
  folder <- dir.exists(where)
  project <- if (!folder || file.exists("clockpigeon.yaml"))
    read_project(parts = c("shots", "sites", "rates"))
  if (!length(args)) where <- cli_one_job(project)
  check_choice(o$list, "option --list", c("findings", "frames", "again"))
  frames <- if (length(o$frames)) parse_frames(o$frames, "option --frames")
  refused <- NULL
  run <- function(ledger = NULL) {
    x <- verify_frames(where, project, ledger, frames, o$reference, o$quick, progress = TRUE)
    refused <<- keep_verdicts(x, o, project, ledger)
    x
  }
  x <- if (dir.exists(where)) run() else cli_ledger(project, FALSE, run)
  if (length(o$sheet)) {
    if (nrow(sheet_suspects(x, 1))) suspect_sheet(x, o$sheet) else
      cli_note("Nothing is suspect: no sheet was written.")
  }
  cli_emit(x[[o$list]], o$format, function() verify_lines(x, refused = refused))
  bad <- any(x$frames[["verdict"]] != "usable")
  faults <- if (length(o$film)) cli_film(o, x, bad)
  if (length(faults)) 1L else if (bad) 3L else 0L
}

# Store the verdicts on a job's frames: usable ones, or with `--again` the frames to render again,
# which are returned.
keep_verdicts <- function(x, o, project, ledger) {
  if (is.null(x$job)) {
    if (o$again) stop_input("usage", "is of a job, and a folder was named", "option --again",
                            "Render its frames again where they came from.")
    return(NULL)
  }
  if (o$again) return(refuse_frames(x, project, ledger))
  if (o$quick) return(NULL)
  rows <- as_frame(x$frames)
  keep_usable(rows[rows[["verdict"]] == "usable", , drop = FALSE], ledger, x$job)
  NULL
}

# The one job that was placed, where none is named.
cli_one_job <- function(project) {
  names <- cli_ledger(project, code = placed_jobs)
  if (length(names) == 1) return(names)
  stop_input("usage", if (length(names))
             paste0("names no job, and ", length(names), " were placed") else
    "names no job, and none was placed", "clockpigeon verify",
             "Write clockpigeon verify JOB, or a folder of pictures.")
}

# The film of the one sequence there is; none is made of frames that are not usable.
cli_film <- function(o, x, bad) {
  rows <- as_frame(x$frames)
  if (bad) {
    cli_note("No film was made: not all frames are usable.")
    return(NULL)
  }
  if (length(unique(rows[["sequence"]])) > 1) {
    stop_input("usage", paste("there are", length(unique(rows[["sequence"]])), "sequences"),
               "option --film", "Name the folder of one of them.")
  }
  paths <- vapply(rows[["path"]], function(path) {
    at <- file.path(x$folders, path)
    at[file.exists(at)][1]
  }, "")
  film <- make_film(paths, o$rate, o$film)
  cli_note(film$path, ": ", film$frames, " frames, ", format(film$rate), " a second, ", film$width,
           "x", film$height, ", ", format_duration(film$seconds),
           if (length(film$faults)) paste0("; ", toString(film$faults)) else
             "; counted and right")
  film$faults
}
