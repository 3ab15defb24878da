# The command `verify`: is what came back whole and right?

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
    if (is.null(x$job)) {
      if (o$again) stop_input("usage", "is of a job, and a folder was named", "option --again",
                              "Render its frames again where they came from.")
    } else if (o$again) {
      refused <<- refuse_frames(x, project, ledger)
    } else if (!o$quick) {
      rows <- as_frame(x$frames)
      keep_usable(rows[rows[["verdict"]] == "usable", , drop = FALSE], ledger, x$job)
    }
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
