# Frames that an own pool renders in bands: each is a separate piece, and the frame is joined when
# all pieces are finished.

# Frames and their trials, those of sites in `bands` (how many, by site) cut into as many; a band
# has eight rows at least. Returns list(frames, trials): frames with `piece` (`rows 1-90`; NA of a
# whole frame) and `into`, where the frame goes that it is a piece of.
in_pieces <- function(frames, trials, bands = NULL) {
  frames$piece <- NA_character_
  frames$into <- frames[["to"]]
  many <- if (length(bands)) unname(bands[frames[["site"]]]) else rep(1, nrow(frames))
  many <- pmin(ifelse(is.na(many), 1, many), pmax(1, trials[["height"]] %/% 8))
  if (all(many == 1)) return(list(frames = frames, trials = trials))
  at <- rep(seq_len(nrow(frames)), many)
  turn <- sequence(many)
  height <- trials[["height"]][at]
  first <- floor(height * (turn - 1) / many[at]) + 1
  last <- floor(height * turn / many[at])
  cut <- many[at] > 1
  frames <- frames[at, , drop = FALSE]
  trials <- trials[at, , drop = FALSE]
  trials$band_first <- ifelse(cut, as.integer(first), NA_integer_)
  trials$band_last <- ifelse(cut, as.integer(last), NA_integer_)
  frames$piece <- ifelse(cut, paste0("rows ", first, "-", last), NA_character_)
  frames$to <- ifelse(cut, piece_path(frames[["into"]], first, last), frames[["into"]])
  rownames(frames) <- rownames(trials) <- NULL
  list(frames = frames, trials = trials)
}

# Folder of a band's picture until it is joined: next to the folder of the frames.
piece_path <- function(into, first, last) {
  ending <- sub(".*\\.", "", into)
  stem <- sub("^(placed/[^/]+)/frames/", "\\1/pieces/", sub("\\.[^.]*$", "", into))
  sprintf("%s-rows-%05d-%05d.%s", stem, as.integer(first), as.integer(last), ending)
}

# The rows of the frame that row `i` is a piece of.
bands_of <- function(frames, i) which(frames[["into"]] == frames[["into"]][i])

# Joins the bands of one frame, its rows of the table; NULL, or why it cannot be. The bands'
# pictures are gone then.
join_frame <- function(root, bands) {
  rows <- regmatches(bands[["piece"]], regexec("^rows ([0-9]+)-([0-9]+)$", bands[["piece"]]))
  first <- as.integer(vapply(rows, `[[`, "", 2))
  last <- as.integer(vapply(rows, `[[`, "", 3))
  paths <- file.path(root, bands[["to"]])
  fault <- tryCatch({
    join_bands(paths, first, last, max(last), file.path(root, bands[["into"]][1]))
    NULL
  }, clockpigeon_error = function(e) e$what, error = conditionMessage, warning = conditionMessage)
  unlink(paths)
  fault
}

# One row a frame: its state is that of its pieces, done when all are.
whole_frames <- function(frames) {
  if (all(is.na(frames[["piece"]]))) return(frames)
  groups <- split(seq_len(nrow(frames)), factor(frames[["into"]], unique(frames[["into"]])))
  rows <- lapply(groups, function(at) {
    row <- frames[at[1], , drop = FALSE]
    state <- frames[["state"]][at]
    row$state <- if (any(state == "failed")) "failed" else if (any(state == "sent")) "sent"
                 else if (all(state == "done")) "done" else if (any(state != "waiting")) "out" else
                   "waiting"
    row$to <- row$into
    row$piece <- NA_character_
    row$failures <- sum(frames[["failures"]][at])
    row
  })
  out <- do.call(rbind, rows)
  rownames(out) <- NULL
  out
}

# Scope of a pre-pass: a shot, and the folder that a slot renders in.
prepass_key <- function(shot, slot)
  paste(shot, if (isTRUE(slot$travels)) slot$node$node else "here", sep = " at ")

# State of the pre-pass of shots for a slot: it may render their frames (`done`, also if the engine
# has no pre-pass of shots), must run the pre-pass first (`needed`), or waits for another slot that
# does (`under way`).
prepass_state <- function(pool, slot, shots) {
  none <- !any(vapply(pool$job$engines, function(engine) identical(engine$prepass$each, "shot"),
                      NA))
  if (none) return(rep("done", length(shots)))
  vapply(shots, function(shot) or_else(pool$prepassed[[prepass_key(shot, slot)]], "needed"), "",
         USE.NAMES = FALSE)
}

# Pre-passes that an earlier run of the job ended.
finished_prepasses <- function(pool) {
  events <- job_events(pool$ledger, pool$job$name)
  done <- unique(events[["detail"]][events[["what"]] == "prepassed"])
  stats::setNames(rep(list("done"), length(done)), done)
}
