# Importing: timings from other clocks.

#' Take timings in from elsewhere
#'
#' Reads what other programs left behind and makes timings of it, each with its `kind` and `precision`.
#'
#' - `"log"`: an engine's log, by the `log` section and the `reads` of its profile; many frames may stand in one. `kind`
#'   is `reported`. The first of several frames of a process is not warm; a frame that the log breaks off in is
#'   `incomplete`; a time below zero (a clock that was set back) is `incomplete` too.
#' - `"frames"`: a folder of finished frames. How long each took follows from when the pictures were written, with
#'   pauses, restarts and parallel writers told apart from slow frames (see Details). `kind` is `measured`, `precision`
#'   `about`. Folders within it are nodes of their own.
#' - `"pictures"`: what pictures say of themselves, in PNG text chunks and OpenEXR header attributes, by the keys of the
#'   profile's `metadata`. `kind` is `reported`.
#' - `"csv"` and `"json"`: tables, with `map` from the columns of a timing to theirs. `kind` is `reported` where no
#'   column says it.
#'
#' @details Frames of a folder: frame numbers that run on in long chains were written by one writer a chain, and each
#'   frame was begun when the one before it was finished. Otherwise frames were handed out in order, as many at once as
#'   were ever unfinished together. A time over five times its neighbours on both sides is a gap: such frames and each
#'   writer's first are kept as `incomplete`, without a time.
#'
#' @param path A file, several, or for `"frames"` and `"pictures"` a folder.
#' @param as What it is; `NULL` to tell from the name: a folder is `"frames"`, and otherwise the ending says.
#' @param ledger A ledger to add the timings to; a file whose content was imported before adds nothing. `NULL` to
#'   return them only.
#' @param engine Profile from [read_engine()], for logs and pictures.
#' @param map Named character vector for tables: names are columns of a timing, values are theirs.
#' @param set Named list of columns that are the same for all rows, such as `list(shot = "gears", node = "loft-1")`.
#' @param writers For `"frames"`: number of pictures that were in work at once, where it is known.
#' @return The timings, a tibble; invisibly when added to a ledger. Those of a file that was imported before are not
#'   there.
#' @section Conditions: `clockpigeon_error_import` when a file is missing, empty, binary or not what it should be;
#'   `clockpigeon_error_duration` for an ambiguous time; `clockpigeon_error_timing` for a value that does not fit.
#'   Nothing is added unless all of it can be read.
#' @examples
#' path <- tempfile(fileext = ".csv")
#' writeLines(c("Frame;Time", "1;1m20s", "2;95 s"), path)
#' theirs <- c(frame = "Frame", wall_s = "Time")
#' import_timings(path, map = theirs, set = list(scene = "gears"))[c("frame", "wall_s")]
#' @export
import_timings <- function(path, as = NULL, ledger = NULL, engine = NULL, map = NULL, set = list(), writers = NULL) {
  path <- check_texts(path, argument("path"))
  absent <- path[!file.exists(path)]
  if (length(absent)) stop_input("import", "there is no such file or folder", absent[1], "Check the path.")
  if (is.null(as)) as <- tell_import(path[1])
  as <- check_choice(as, argument("as"), c("log", "frames", "pictures", "csv", "json"))
  if (as %in% c("log", "pictures")) check_class(engine, argument("engine"), "cp_engine", "read_engine()")
  odd <- setdiff(names(set), names(timing_columns))
  if (length(odd)) stop_input("field", paste0("unknown column `", odd[1], "`"), argument("set"), "See ?timings.")
  marks <- vapply(path, content_mark, "")
  known <- if (is.null(ledger)) rep(FALSE, length(path)) else marks %in% imported_marks(ledger)
  read <- switch(as, log = function(p) import_log(p, engine), frames = function(p) import_frames(p, writers),
                 pictures = function(p) import_pictures(p, engine),
                 csv = function(p) import_table(map_columns(read_foreign_csv(p, map), map, short_path(p))),
                 json = function(p) import_table(map_columns(read_foreign_json(p), map, short_path(p))))
  rows <- lapply(path[!known], function(p) as_timings(set_columns(read(p), set), short_path(p)))
  rows <- if (!length(rows)) as_timings(data.frame())
          else if (length(rows) == 1) rows[[1]] else as_table(bind_tables(rows), class = "cp_timings")
  if (!is.null(ledger) && nrow(rows)) rows <- add_import(ledger, rows, path[!known], marks[!known])
  if (is.null(ledger)) rows else invisible(rows)
}

# Which of these files and folders were imported before: what they hold is known.
known_imports <- function(path, ledger) {
  path <- path[file.exists(path)]
  path[vapply(path, content_mark, "") %in% imported_marks(ledger)]
}

tell_import <- function(path) {
  if (dir.exists(path)) return("frames")
  ending <- tolower(sub(".*\\.", "", basename(path)))
  switch(ending, csv = , tsv = "csv", json = "json", png = , exr = "pictures", "log")
}

# What a file or folder holds, in short: equal marks, equal content (for a folder: names, sizes and times).
content_mark <- function(path) {
  if (!dir.exists(path)) return(file_hash(path))
  files <- list.files(path, recursive = TRUE)
  info <- file.info(file.path(path, files))
  text_hash(paste(files, info$size, format(info$mtime, "%Y-%m-%dT%H:%M:%OS6")))
}

set_columns <- function(rows, set) {
  for (name in names(set)) rows[[name]] <- rep(set[[name]], nrow(rows))
  rows
}

import_table <- function(x) {
  fill <- function(name, value) {
    if (is.null(x[[name]])) x[[name]] <<- rep(value, nrow(x))
    x[[name]][is.na(x[[name]])] <<- value
  }
  fill("activity", "render")
  fill("status", "ok")
  fill("kind", "reported")
  x
}

# A folder of finished frames; each folder within it is a node.
import_frames <- function(path, writers) {
  files <- list.files(path, recursive = TRUE)
  numbered <- "([0-9]+)\\.(png|exr|tiff?|pfm|jpe?g)$"
  found <- regmatches(basename(files), regexec(numbered, basename(files), ignore.case = TRUE))
  files <- files[lengths(found) > 0]
  if (!length(files)) {
    stop_input("import", "holds no numbered pictures", short_path(path),
               "Name a folder of files such as gears-0001.png.")
  }
  frame <- as.integer(vapply(found[lengths(found) > 0], `[[`, "", 2))
  finished <- as.numeric(file.info(file.path(path, files))$mtime)
  folder <- dirname(files)
  bind_tables(lapply(split(seq_along(files), folder), function(at) {
    x <- write_times(frame[at], finished[at], writers)
    data.frame(activity = "render", frame = x[["frame"]], node = if (folder[at[1]] != ".") folder[at[1]] else NA,
               wall_s = x[["seconds"]], status = ifelse(is.na(x[["seconds"]]), "incomplete", "ok"), kind = "measured",
               precision = "about", measured_at = utc_now(as.POSIXct(x[["finished"]], origin = "1970-01-01")),
               output = file.path(path, files[at][match(x[["frame"]], frame[at])]),
               note = ifelse(nzchar(x[["why"]]), x[["why"]], "from when the pictures were written"))
  }))
}

# What pictures say of themselves, by the keys of a profile.
import_pictures <- function(path, engine) {
  keys <- engine$metadata
  if (!length(keys)) stop_input("engine", "has no `metadata`", engine$engine, "Write there which key is which column.")
  files <- if (dir.exists(path)) list.files(path, "\\.(png|exr)$", full.names = TRUE, ignore.case = TRUE) else path
  if (!length(files)) stop_input("import", "holds no PNG or OpenEXR", short_path(path), "Name a folder of pictures.")
  bind_tables(lapply(files, function(file) {
    said <- picture_metadata(file)
    values <- lapply(keys, function(key) if (key %in% names(said)) said[[key]] else NA_character_)
    for (name in grep("_s$", names(values), value = TRUE)) {
      values[[name]] <- seconds_column(values[[name]], name, short_path(file))
    }
    if (is.null(values$frame)) values$frame <- sub(".*?([0-9]+)\\.[A-Za-z]+$", "\\1", basename(file))
    time <- unlist(values[grep("_s$", names(values))])
    data.frame(values, activity = "render", engine = engine$engine, kind = "reported", output = file,
               status = if (all(is.na(time))) "incomplete" else "ok",
               note = if (all(is.na(time))) paste("says none of", toString(unlist(keys))) else NA)
  }))
}
