# The commands `import` and `record`: timings from elsewhere.

cli_import <- function(o, args) {
  project <- read_project(parts = c("shots", "engines"))
  if (o$undo) return(cli_import_undo(project, args))
  engine <- if (length(o$engine)) project$engines[[o$engine]]
  if (is_job_list(args, o$as)) return(cli_import_jobs(project, args))
  map <- cli_pairs(o$map, "option --map", "columns as frame=Nr,wall_s=Time or wall_s=user + sys")
  set <- cli_row(o)
  fill <- shot_groups(project$shots[[first_of(set$shot, "")]])
  read <- function(paths) read_imports(paths, o$as, engine, map, set, o$writers, o$begun, fill)
  if (o$dry_run) {
    found <- read(args)
    cli_emit(found$rows, o$format, function() c(import_preview(found), "", "Nothing was written."))
    return(0L)
  }
  rows <- cli_ledger(project, FALSE, function(ledger) {
    known <- if (o$again) character() else known_imports(args, ledger)
    for (path in known)
      cli_note("known: ", path, " was imported before; nothing was added (--again takes it anew)")
    found <- take_imports(args, ledger, o$again, read)
    for (line in import_columns_lines(found)) cli_note(line)
    found$rows
  })
  cli_emit(rows, o$format, function() import_lines(rows))
  0L
}

cli_import_undo <- function(project, paths) {
  n <- cli_ledger(project, FALSE, function(ledger) {
    vapply(existing_paths(paths), function(path) withdraw_import(ledger, content_mark(path)), 0L)
  })
  cat(sum(n), if (sum(n) == 1) " timing" else " timings", " withdrawn; the ledger keeps the rows\n",
      sep = "")
  0L
}

# What the project knows of a shot, in groups of columns that are filled where a row says nothing of
# them.
shot_groups <- function(shot) {
  if (is.null(shot)) return(list())
  limit <- limit_columns(shot$limit)
  list(list(scene = shot$scene), list(width = shot$size[["width"]], height = shot$size[["height"]]),
       if (is.na(limit$features)) limit[c("limit_kind", "limit_value")] else limit)
}

# What a file would give: which of its columns are used, and the first rows.
import_preview <- function(found, most = 6) {
  rows <- as_frame(found$rows)
  shown <- intersect(c("shot", "scene", "frame", "engine", "engine_version", "node", "wall_s",
                       "status", "note"),
                     names(rows)[!vapply(rows, function(column) all(is.na(column)), NA)])
  first <- utils::head(rows[shown], most)
  if (!is.null(first$wall_s)) first$wall_s <- format_duration(first$wall_s)
  if (!is.null(first$note)) first$note <- vapply(first$note, shown_text, "", most = 40)
  c(import_columns_lines(found), import_lines(rows, "read"), "",
    text_table(first, right = c("frame", "wall_s"),
               spare = c("note", "node", "engine_version", "scene")))
}

# What became of the columns of a table.
import_columns_lines <- function(found) {
  used <- found$used
  own <- names(used) == used
  c(if (length(used))
    wrap_lines(paste0("used: ", toString(ifelse(own, used, paste0(names(used), " = ", used))))),
    if (length(found$ignored))
    wrap_lines(paste0("ignored: ", toString(vapply(found$ignored, shown_text, "")),
                      " (--map takes columns by other names)")),
    if (length(found$filled)) wrap_lines(paste0("filled in: ", toString(found$filled))),
    found$said, if (NROW(found$rows)) taken_as_jobs(found$rows))
}

taken_as_jobs <- function(rows) {
  names <- unique(rows[["job"]])
  names <- names[!is.na(names)]
  if (length(names))
    wrap_lines(paste0("taken as ", if (length(names) == 1) "one job: " else "jobs: ",
                      toString(names)))
}

# A list of jobs that were placed before, by what is asked or by its name.
is_job_list <- function(paths, as) identical(as, "jobs") ||
  is.null(as) && all(basename(paths) == "jobs.csv")

cli_import_jobs <- function(project, paths) {
  new <- cli_ledger(project, FALSE,
                    function(ledger) sum(vapply(paths, import_jobs, 0L, ledger = ledger)))
  cat(new, if (new == 1) " job" else " jobs", " added\n", sep = "")
  0L
}

import_lines <- function(rows, what = "added") {
  rows <- as_frame(rows)
  good <- rows[["wall_s"]][rows[["status"]] == "ok"]
  bad <- rows[["status"]] != "ok"
  reasons <- table(paste0(gsub("_", " ", rows[["status"]]), ": ", rows[["note"]])[bad])
  c(paste0(nrow(rows), if (nrow(rows) == 1) " timing" else " timings", " ", what,
           if (length(good))
           paste0("; ", length(good), " with a time, median ", format_duration(stats::median(good)),
                  ", ", paste(format_duration(range(good)), collapse = " to "))),
    if (length(reasons)) paste0(reasons, " ", names(reasons)))
}

# The shot that a typed row names, or NULL; one that the project does not have is refused, and so is
# a frame outside it.
cli_known_shot <- function(project, row) {
  if (is.null(row$shot) || !length(project$shots)) return(NULL)
  shot <- project$shots[[check_choice(row$shot, "option --shot", names(project$shots))]]
  frame <- suppressWarnings(as.numeric(row$frame))
  if (length(frame) && !is.na(frame) && !frame %in% shot$frames) {
    stop_input("record", paste0("frame ", row$frame, " is not in shot ", shot$shot),
               "option --frame", paste0("It has frames ", format_frames(shot$frames), "."))
  }
  shot
}

cli_record <- function(o, args) {
  project <- read_project(parts = "shots")
  row <- c(cli_row(o), Filter(length, o[c("status", "note")]))
  shot <- cli_known_shot(project, row)
  if (o$activity == "render")
    row <- as.list(fill_groups(as.data.frame(row), shot_groups(shot))$rows)
  said <- Filter(length, o[c("time", "activity", "frames_done", "frames_asked", "began", "ended")])
  cli_ledger(project, FALSE, function(ledger) {
    id <- do.call(record_timing, c(list(ledger), said, row))
    one <- timings(ledger, id = id)
    time <- if (is.na(one[["wall_s"]])) "no time" else
      paste(format_duration(one[["wall_s"]]), "a frame")
    show_lines(paste0("recorded: ", paste(c(one[["activity"]], time, one[["status"]], one[["kind"]],
                                            if (!is.na(one[["precision"]])) one[["precision"]]),
                                          collapse = ", ")))
  })
  0L
}
