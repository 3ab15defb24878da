# Importing: timings from other clocks.

#' Take timings in from elsewhere
#'
#' Reads what other programs left behind and makes timings of it, each with its `kind` and
#' `precision`.
#'
#' - `"log"`: an engine's log, by the `log` section and the `reads` of its profile; many frames may
#'   stand in one. `kind` is `reported`. The first of several frames of a process is not warm; a
#'   frame that the log breaks off in is `incomplete`; a time below zero (a clock that was set back)
#'   is `incomplete` too.
#' - `"frames"`: a folder of finished frames. How long each took follows from when the pictures were
#'   written, with pauses, restarts and parallel writers told apart from slow frames (see Details).
#'   `kind` is `measured`, `precision` `about`. Folders within it are nodes of their own.
#' - `"pictures"`: what pictures say of themselves, in PNG text chunks and OpenEXR header
#'   attributes, by the keys of the profile's `metadata`. `kind` is `reported`.
#' - `"csv"` and `"json"`: tables, with `map` from the columns of a timing to theirs. `kind` is
#'   `reported` where no column says it.
#'
#' @details Frames of a folder: frame numbers that run on in long chains were written by one writer
#'   per chain, and each frame started when the one before it finished. Otherwise frames were handed
#'   out in order, as many at once as were ever unfinished together. A time over five times its
#'   neighbours on both sides is a gap: such frames and each writer's first are kept as
#'   `incomplete`, without a time.
#'
#' @param path A file, several, or for `"frames"` and `"pictures"` a folder.
#' @param as What it is; `NULL` to tell from the name: a folder is `"frames"`, and otherwise the
#'   ending says.
#' @param ledger A ledger to add the timings to; a file whose content was imported before adds
#'   nothing. `NULL` to return them only.
#' @param engine Profile from [read_engine()], for logs and pictures.
#' @param map Named character vector for tables: names are columns of a timing, values are theirs,
#'   or arithmetic of theirs, such as `wall_s = "user + sys"` or `"Minutes * 60"` (names with other
#'   letters in backticks).
#' @param set Named list of columns that are the same for all rows, such as
#'   `list(shot = "gears", node = "loft-1")`.
#' @param writers For `"frames"`: number of pictures that were in work at once, where it is known.
#' @param begun For `"frames"`: when work on them began, as `"2026-11-03 14:05:10"` (UTC): the first
#'   frame of each writer then has a time too.
#' @param again `TRUE` to take files in that were imported before: their earlier rows are then
#'   withdrawn, by corrections.
#' @return The timings, a tibble; invisibly when added to a ledger. Those of a file that was
#'   imported before are not there.
#' @section Conditions: `clockpigeon_error_import` when a file is missing, empty, binary or not what
#'   it should be; `clockpigeon_error_duration` for an ambiguous time; `clockpigeon_error_timing`
#'   for a value that does not fit. Nothing is added unless all of it can be read.
#' @examples
#' path <- tempfile(fileext = ".csv")
#' writeLines(c("Frame;Time", "1;1m20s", "2;95 s"), path)
#' theirs <- c(frame = "Frame", wall_s = "Time")
#' import_timings(path, map = theirs, set = list(scene = "gears"))[c("frame", "wall_s")]
#' @export
import_timings <- function(path, as = NULL, ledger = NULL, engine = NULL, map = NULL, set = list(),
                           writers = NULL, begun = NULL, again = FALSE) {
  path <- check_texts(path, argument("path"))
  again <- check_flag(again, argument("again"))
  read <- function(paths) read_imports(paths, as, engine, map, set, writers, begun)
  if (is.null(ledger)) read(path)$rows else invisible(take_imports(path, ledger, again, read)$rows)
}

# Reads files that are new to the ledger, or all of them `again`, and adds what they hold; what
# read_imports() gave, with the rows as they were added.
take_imports <- function(path, ledger, again, read) {
  marks <- vapply(existing_paths(path), content_mark, "")
  known <- !again & marks %in% imported_marks(ledger)
  found <- read(path[!known])
  if (nrow(found$rows)) {
    if (again) for (mark in intersect(marks, imported_marks(ledger))) withdraw_import(ledger, mark)
    found$rows <- add_import(ledger, found$rows, path[!known], marks[!known], found$counts)
  }
  found
}

existing_paths <- function(path) {
  absent <- path[!file.exists(path)]
  if (length(absent)) {
    stop_input("import", "there is no such file or folder", shown_text(absent[1]),
               "Check the path.")
  }
  path
}

# Timings in files and folders, and the use of their columns: list(rows, counts, used, ignored,
# filled, said). `counts`: rows of each file, `used`: their column by ours. `fill`: groups of
# columns for rows that lack a whole group.
read_imports <- function(path, as = NULL, engine = NULL, map = NULL, set = list(), writers = NULL,
                         begun = NULL, fill = list()) {
  path <- existing_paths(path)
  if (!length(path)) return(list(rows = as_timings(data.frame()), counts = integer()))
  if (is.null(as)) as <- tell_import(path[1])
  as <- check_choice(as, argument("as"), c("log", "frames", "pictures", "csv", "json"))
  if (as %in% c("log", "pictures"))
    check_class(engine, argument("engine"), "cp_engine", "read_engine()")
  odd <- setdiff(names(set), names(timing_columns))
  if (length(odd))
    stop_input("field", paste0("unknown column `", odd[1], "`"), argument("set"), "See ?timings.")
  begun <- if (length(begun)) clock_moment(begun, argument("begun"))
  parts <- lapply(path, function(p) {
    part <- read_import(p, as, engine, map, writers, begun)
    known <- fill_groups(set_columns(part$rows, set), fill)
    part$rows <- as_timings(as_one_job(known$rows, p), short_path(p))
    part$filled <- c(part$filled, known$filled)
    part
  })
  rows <- lapply(parts, `[[`, "rows")
  rows <- if (length(rows) == 1) rows[[1]] else new_timings(bind_tables(rows))
  every <- function(name) unique(unlist(lapply(parts, `[[`, name)))
  list(rows = rows, counts = vapply(parts, function(part) nrow(part$rows), 0L),
       used = parts[[1]]$used, ignored = every("ignored"),
       filled = unique(c(every("filled"), names(set))), said = every("said"))
}

read_import <- function(path, as, engine, map, writers, begun) {
  if (as == "log") return(list(rows = import_log(path, engine)))
  if (as == "frames") return(import_frames(path, writers, begun))
  if (as == "pictures") return(list(rows = import_pictures(path, engine)))
  found <- if (as == "csv") read_foreign_csv(path, map) else read_foreign_json(path)
  mapped <- map_columns(found, map, short_path(path))
  rows <- import_table(mapped$rows)
  list(rows = rows, used = mapped$used, ignored = mapped$ignored,
       filled = setdiff(names(rows), names(mapped$rows)))
}

# Frames of one file or folder that make a whole shot were one job. It gets the file's name by
# default, so that the job can be compared with a forecast.
as_one_job <- function(rows, path) {
  if (!is.null(rows[["job"]]) || !is.null(rows[["plan_id"]]) || is.null(rows[["frame"]]))
    return(rows)
  frames <- suppressWarnings(as.integer(rows[["frame"]]))
  whole <- !anyNA(frames) && length(unique(frames)) >= 40 && is_complete(sort(unique(frames)), 0.8)
  if (whole) rows[["job"]] <- sub("\\.[A-Za-z0-9]+$", "", basename(path))
  rows
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

# Digest of a file or folder: equal for equal content (for a folder: names, sizes and times).
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

# Rows with each group of columns that they lack filled from a list: a shot's limit, for example,
# for a row without its own kind and value. list(rows, filled), the names of the filled
# columns.
fill_groups <- function(rows, groups) {
  filled <- character()
  for (group in groups) {
    silent <- rep(TRUE, nrow(rows))
    for (name in intersect(names(group), names(rows))) silent <- silent & is.na(rows[[name]])
    if (!any(silent)) next
    for (name in names(group)) {
      if (is.null(rows[[name]])) rows[[name]] <- rep(group[[name]][NA], nrow(rows))
      rows[[name]][silent] <- group[[name]]
    }
    filled <- c(filled, names(group))
  }
  list(rows = rows, filled = filled)
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
