# Frames and pictures as evidence: when they were written, and what they say of themselves.

# A folder of finished frames; each folder within it is a node. `begun`: start of the work, seconds
# since 1970, if known: the first frame of each writer then has a time too.
import_frames <- function(path, writers, begun = NULL) {
  files <- list.files(path, recursive = TRUE)
  numbered <- "([0-9]{1,9})\\.(png|exr|tiff?|pfm|jpe?g)$"
  found <- regmatches(basename(files), regexec(numbered, basename(files), ignore.case = TRUE))
  files <- files[lengths(found) > 0]
  if (!length(files)) {
    stop_input("import", "holds no numbered pictures", short_path(path),
               "Name a folder of files such as gears-0001.png.")
  }
  frame <- as.integer(vapply(found[lengths(found) > 0], `[[`, "", 2))
  finished <- as.numeric(file.info(file.path(path, files))$mtime)
  copies <- copied_frames(file.path(path, files), frame, finished)
  kept <- !seq_along(files) %in% copies
  files <- files[kept]
  frame <- frame[kept]
  finished <- finished[kept]
  if (length(begun) && any(finished < begun)) {
    stop_input("import", paste0("was begun at ", utc_now(as.POSIXct(begun, origin = "1970-01-01")),
                                ", after its first picture was written"), short_path(path),
               "Write an earlier time.")
  }
  folder <- dirname(files)
  rows <- bind_tables(lapply(split(seq_along(files), folder), function(at) {
    x <- write_times(frame[at], finished[at], writers, begun)
    start <- x[["finished"]] - ifelse(is.na(x[["seconds"]]), 0, x[["seconds"]])
    data.frame(activity = "render", frame = x[["frame"]],
               node = if (folder[at[1]] != ".") folder[at[1]] else NA, wall_s = x[["seconds"]],
               status = ifelse(is.na(x[["seconds"]]), "incomplete", "ok"), kind = "measured",
               precision = "about", measured_at = utc_now(as.POSIXct(start, origin = "1970-01-01")),
               output = file.path(path, files[at][match(x[["frame"]], frame[at])]),
               note = ifelse(nzchar(x[["why"]]), x[["why"]], "from when the pictures were written"))
  }))
  list(rows = rows, said = if (length(copies)) {
    paste0(length(copies),
           if (length(copies) == 1) " picture is a copy of one" else " pictures are copies of some",
           " in another folder, and left out")
  })
}

# Which files are copies: the same frame in another folder with the same content, the earlier
# written being the frame.
copied_frames <- function(paths, frame, finished) {
  twice <- frame %in% frame[duplicated(frame)]
  if (!any(twice)) return(integer())
  at <- which(twice)[order(finished[twice])]
  content <- paste(frame[at], file.size(paths[at]))
  maybe <- at[content %in% content[duplicated(content)]]
  if (!length(maybe)) return(integer())
  hash <- paste(frame[maybe], vapply(paths[maybe], file_hash, ""))
  maybe[duplicated(hash)]
}

# Metadata of pictures, by the keys of a profile.
import_pictures <- function(path, engine) {
  keys <- engine$metadata
  if (!length(keys))
    stop_input("engine", "has no `metadata`", engine$engine,
               "Write there which key is which column.")
  files <- if (dir.exists(path))
    list.files(path, "\\.(png|exr)$", full.names = TRUE, ignore.case = TRUE) else path
  if (!length(files))
    stop_input("import", "holds no PNG or OpenEXR", short_path(path), "Name a folder of pictures.")
  bind_tables(lapply(files, import_picture, keys, engine$engine))
}

import_picture <- function(file, keys, engine) {
  said <- picture_metadata(file)
  values <- lapply(keys, function(key) if (key %in% names(said)) said[[key]] else NA_character_)
  timed <- grep("_s$", names(values), value = TRUE)
  for (name in timed) values[[name]] <- seconds_column(values[[name]], name, short_path(file))
  if (is.null(values$frame))
    values$frame <- sub(".*?([0-9]+)\\.[A-Za-z]+$", "\\1", basename(file))
  silent <- all(is.na(unlist(values[timed])))
  data.frame(values, activity = "render", engine = engine, kind = "reported",
             output = file, status = if (silent) "incomplete" else "ok",
             note = if (silent) paste("says none of", toString(unlist(keys))) else NA)
}
