# Scanning: what files a text scene names.

#' Scan a text scene for the files it names
#'
#' Reads the scene, and every text file that it includes, by the patterns of the engine's profile
#' (`scan`), and lists what they find. Files that come with the engine are passed over. A path is
#' searched next to the file that names it, then next to the scene, and written relative to the
#' scene's project folder.
#'
#' @param scene Path of the scene.
#' @param engine From [read_engine()]; its profile has a `scan`.
#' @param folder The project folder, which the paths are relative to.
#' @return A tibble, one row a file, as a CSV manifest has it: `kind` (`scene` first, then as the
#'   profile names them) and `path`; paths that do not exist are listed as they were written.
#' @section Conditions: `clockpigeon_error_scan` for an engine whose profile cannot scan,
#'   `clockpigeon_error_file` for a scene that is not there.
#' @noRd
scan_scene <- function(scene, engine, folder = dirname(scene)) {
  check_class(engine, argument("engine"), "cp_engine", "read_engine()")
  scene <- check_text(scene, argument("scene"))
  if (is.null(engine$scan)) {
    stop_input("scan", paste0("the profile of ", engine$engine, " says nothing of files in scenes"),
               short_path(attr(engine, "path")),
               "Write `scan` into it, or the manifest by hand.")
  }
  if (!file.exists(scene) || dir.exists(scene))
    stop_input("file", "no such scene", scene, "Check the path.")
  root <- real_path(folder)
  waiting <- real_path(scene)
  seen <- character()
  found <- data.frame(kind = "scene", path = path_below(waiting, root))
  while (length(waiting)) {
    here <- waiting[1]
    waiting <- waiting[-1]
    seen <- c(seen, here)
    named <- scan_text(here, engine$scan)
    named <- named[!named$path %in% engine$scan$ships, , drop = FALSE]
    if (!nrow(named)) next
    at <- resolve_paths(named$path, c(dirname(here), dirname(scene)))
    found <- rbind(found, data.frame(kind = named$kind,
                                     path = ifelse(is.na(at), named$path, path_below(at, root))))
    waiting <- unique(c(waiting, at[named$kind == "include" & !is.na(at) & !at %in% seen]))
  }
  as_table(found[!duplicated(found$path), , drop = FALSE])
}

# Matches of the patterns in one file, without comments.
scan_text <- function(path, scan) {
  text <- paste(readLines(path, warn = FALSE, encoding = "UTF-8"), collapse = "\n")
  text <- iconv(text, "UTF-8", "UTF-8", sub = "?")
  if (length(scan$comment)) text <- gsub(scan$comment, " ", text, perl = TRUE)
  bind_tables(c(list(data.frame(kind = character(), path = character())),
                lapply(scan$finds, function(find) {
    hits <- gregexpr(find$pattern, text, perl = TRUE)[[1]]
    if (hits[1] < 0) return(NULL)
    start <- attr(hits, "capture.start")[, 1]
    data.frame(kind = find$kind,
               path = substring(text, start, start + attr(hits, "capture.length")[, 1] - 1))
  })))
}

# Full paths of files as they are named in a scene, looked for in several folders; NA where there is
# none.
resolve_paths <- function(paths, folders) {
  vapply(paths, function(path) {
    tries <- if (is_absolute(path)) path else file.path(folders, path)
    hit <- tries[file.exists(tries) & !dir.exists(tries)]
    if (length(hit)) real_path(hit[1]) else NA_character_
  }, "", USE.NAMES = FALSE)
}

# A path as seen from a folder; as it is when it lies elsewhere.
path_below <- function(path, root)
  ifelse(startsWith(path, paste0(root, "/")), substring(path, nchar(root) + 2), path)
