# Frames of a placed job: its columns, the pictures in its folders, and its events by time.

# Numbered pictures of a folder and its subfolders: `shot` (of the given names: the one that the
# path contains, or the only one), `frame`, `time` (of writing, seconds since 1970). Empty files do
# not count yet; of a frame that was written twice the first counts.
folder_frames <- function(folder, shots) {
  if (!dir.exists(folder))
    stop_input("file", "there is no such folder", folder, "Name the one where frames appear.")
  files <- list.files(folder, "([0-9]{1,9})\\.(png|exr|tiff?|pfm|jpe?g)$", recursive = TRUE,
                      ignore.case = TRUE)
  info <- file.info(file.path(folder, files), extra_cols = FALSE)
  frame <- as.integer(sub(".*?([0-9]{1,9})\\.[^.]*$", "\\1", basename(files), perl = TRUE))
  shot <- if (length(shots) == 1) rep(shots, length(files)) else shots[shot_named(files, shots)]
  out <- data.frame(shot = shot, frame = frame, time = as.numeric(info[["mtime"]]))
  out <- out[info[["size"]] > 0 & !is.na(out[["shot"]]), , drop = FALSE]
  out <- out[order(out[["time"]]), , drop = FALSE]
  out[!duplicated(out[c("shot", "frame")]), , drop = FALSE]
}

# Which shot each text names: the longest name that is in it, gears-review before gears; NA for
# none.
shot_named <- function(texts, shots) {
  longest <- order(-nchar(shots))
  distinct <- unique(texts)
  found <- vapply(distinct, function(text) {
    longest[which(vapply(shots[longest], grepl, NA, x = text, fixed = TRUE))[1]]
  }, 0L, USE.NAMES = FALSE)
  found[match(texts, distinct)]
}

# Events with their time in seconds from the placing.
seconds_since_placing <- function(events, placed) {
  if (is.null(events)) {
    return(data.frame(what = character(), time = numeric(), place = character(), shot = character(),
                      frame = integer(), amount = numeric(), detail = character()))
  }
  x <- as_frame(events)
  x$time <- as.numeric(as.POSIXct(x[["time"]], tz = "UTC", format = "%Y-%m-%dT%H:%M:%OSZ")) -
    as.numeric(placed)
  x[!is.na(x[["time"]]), , drop = FALSE]
}

# Frames of a job in the order of its columns.
job_columns <- function(job) {
  data.frame(shot = rep(vapply(job$shots, `[[`, "", "shot"), frames_by_shot(job)),
             frame = unlist(lapply(job$shots, `[[`, "frames")))
}

# The arrival of what was there when the job was placed, in seconds: a moment after it.
placed_at_s <- 1e-3

# A clock that differs a little may have written frames before they were placed; older files are of
# another job.
clock_slack_s <- -300
