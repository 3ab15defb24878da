# Encodes a sequence of pictures into a film with ffmpeg, and checks the film against its pictures.

# `paths` in their order; `rate`: pictures a second, as "25" or "24000/1001"; `to`: the film, of a
# kind that ffmpeg tells from its ending. Returns a list: `path`, `frames`, `rate`, `width`,
# `height`, `seconds` as ffprobe counts them, and `faults`: texts.
make_film <- function(paths, rate, to) {
  for (program in c("ffmpeg", "ffprobe")) {
    if (!nzchar(Sys.which(program))) {
      stop_input("package", paste(program, "is not installed"), "a film",
                 "Install ffmpeg, or leave the film out.")
    }
  }
  film_rate(rate)
  size <- picture_extent(paths[1])
  list <- tempfile(fileext = ".txt")
  part <- sub("(\\.[^.]*)$", ".part\\1", to)
  on.exit(unlink(c(list, part)))
  quoted <- gsub("'", "'\\''", normalizePath(paths), fixed = TRUE)
  writeLines(c("ffconcat version 1.0", paste0("file '", quoted, "'\nduration 1")), list)
  # Each picture is one frame of the film: by its number, regardless of the durations in the list.
  steps <- paste0("setpts=N/(", rate, ")/TB,pad=ceil(iw/2)*2:ceil(ih/2)*2")
  ran <- processx::run("ffmpeg", c("-v", "error", "-nostdin", "-y", "-f", "concat", "-safe", "0",
                                   "-i", list, "-vf", steps, "-r", rate, "-fps_mode", "cfr",
                                   "-pix_fmt", "yuv420p", part),
                       error_on_status = FALSE)
  if (ran$status != 0) {
    stop_input("film", paste("could not be made:",
                             utils::tail(strsplit(trimws(ran$stderr), "\n")[[1]], 1)), to,
               "Name a file such as gears.mp4 or gears.mkv.")
  }
  film <- check_film(part, length(paths), rate, c(size$width, size$height))
  file.rename(part, to)
  film$path <- to
  film
}

film_rate <- function(text) {
  parts <- suppressWarnings(as.numeric(strsplit(text, "/", fixed = TRUE)[[1]]))
  value <- if (length(parts) == 2) parts[1] / parts[2] else parts
  if (length(value) != 1 || is.na(value) || value <= 0 || value > 1000) {
    stop_input("number", paste("got", show_value(text)), "the film's rate",
               "Write 25, or 24000/1001.")
  }
  value
}

# A film as ffprobe reads it to its end: pictures counted, not as its header says.
check_film <- function(path, frames, rate, size) {
  entries <- "stream=nb_read_frames,r_frame_rate,width,height:format=duration"
  ran <- processx::run("ffprobe", c("-v", "error", "-count_frames", "-select_streams", "v:0",
                                    "-show_entries", entries, "-of", "json", path),
                       error_on_status = FALSE)
  said <- tryCatch(jsonlite::parse_json(ran$stdout), error = function(e) list())
  stream <- if (length(said$streams)) said$streams[[1]] else list()
  number <- function(x) if (length(x)) suppressWarnings(as.numeric(x)) else NA_real_
  own <- list(frames = number(stream$nb_read_frames), rate = if (length(stream$r_frame_rate)) {
    tryCatch(film_rate(stream$r_frame_rate), clockpigeon_error = function(e) NA_real_)
  } else NA_real_, width = number(stream$width), height = number(stream$height),
              seconds = number(said$format$duration))
  asked <- list(frames = frames, rate = film_rate(rate), width = 2 * ceiling(size[1] / 2),
                height = 2 * ceiling(size[2] / 2), seconds = frames / film_rate(rate))
  near <- c(frames = 0, rate = 0.001 * asked$rate, width = 0, height = 0, seconds = 1 / asked$rate)
  bad <- Filter(function(name) is.na(own[[name]]) ||
                abs(own[[name]] - asked[[name]]) > near[[name]], names(asked))
  own$faults <- vapply(bad, function(name) {
    paste0(name, ": ", if (is.na(own[[name]])) "unknown" else format(own[[name]]), ", and ",
           format(asked[[name]]), " are asked for")
  }, "", USE.NAMES = FALSE)
  c(list(path = path), own)
}
