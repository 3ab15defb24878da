# Refusing frames of a job that are not usable: they are rendered again when it is placed again.

# `verified`: of a job. Unusable pictures move to `refused/` next to the folder of frames, and the
# ledger records the findings and the usable frames. Returns the refused frames, `shot`, `frame`,
# and whether a picture was `moved`. A second call for the same pictures adds nothing.
refuse_frames <- function(verified, project, ledger) {
  rows <- as_frame(verified$frames)
  job <- verified$job
  usable <- rows[rows[["verdict"]] == "usable", , drop = FALSE]
  bad <- rows[!rows[["verdict"]] %in% kept_verdicts, , drop = FALSE]
  findings <- as_frame(verified$findings)
  findings <- findings[findings[["weight"]] == "unusable", , drop = FALSE]
  key <- c("sequence", "frame")
  bad$moved <- rep(FALSE, nrow(bad))
  why <- findings[match(row_key(bad, key), row_key(findings, key)), , drop = FALSE]
  if (nrow(bad)) {
    events <- job_events(ledger, job)
    known <- refused_frames(events)
    new <- !row_key(bad, c("shot", "frame")) %in% row_key(known, c("shot", "frame"))
    bad$moved <- move_refused(bad, verified$folders,
                              file.path(project$root, "placed", job, "refused"))
    told <- sum(events[["what"]] %in% "failed" & events[["source"]] %in% "verify")
    if (any(new)) {
      add_events(ledger, job, data.frame(
        what = "failed", time = utc_now(), place = frame_places(events, bad[new, , drop = FALSE]),
        shot = bad[["shot"]][new], frame = bad[["frame"]][new], source = "verify",
        detail = paste0(why[["what"]][new], ": ", why[["evidence"]][new]),
        key = paste("verify", told, bad[["shot"]][new], bad[["frame"]][new])
      ))
    }
  }
  keep_usable(usable, ledger, job)
  as_table(bad[c("shot", "frame", "moved")])
}

# That frames are usable, once for each time they arrived.
keep_usable <- function(usable, ledger, job) {
  if (!nrow(usable)) return(invisible())
  events <- as_frame(job_events(ledger, job))
  there <- without_refused(events)
  there <- there[there[["what"]] %in% "arrived", , drop = FALSE]
  at <- match(row_key(usable, c("shot", "frame")), row_key(there, c("shot", "frame")))
  usable <- usable[!is.na(at), , drop = FALSE]
  if (!nrow(usable)) return(invisible())
  at <- at[!is.na(at)]
  add_events(ledger, job, data.frame(
    what = "usable", time = utc_now(), place = there[["place"]][at], node = there[["node"]][at],
    shot = usable[["shot"]], frame = usable[["frame"]], source = "verify",
    key = paste("usable", there[["sequence"]][at], usable[["shot"]], usable[["frame"]])
  ))
}

# Where frames came from, as the events tell.
frame_places <- function(events, frames) {
  x <- as_frame(events)
  x <- x[x[["what"]] %in% c("arrived", "ready", "rendering"), , drop = FALSE]
  x[["place"]][match(row_key(frames, c("shot", "frame")), row_key(x, c("shot", "frame")))]
}

# Move pictures out of the folders of frames, overwriting nothing; returns which of them were there
# to be moved.
move_refused <- function(rows, folders, to) {
  vapply(rows[["path"]], function(path) {
    from <- if (is.na(path)) character() else file.path(folders, path)
    from <- from[file.exists(from)]
    if (!length(from)) return(FALSE)
    stem <- file.path(to, sub("\\.[^.]*$", "", path))
    ending <- sub(".*\\.", ".", path)
    k <- 1
    while (file.exists(paste0(stem, "-", k, ending))) k <- k + 1
    dir.create(dirname(stem), FALSE, TRUE)
    if (!suppressWarnings(file.rename(from[1], paste0(stem, "-", k, ending)))) {
      stop_input("file", "cannot be moved away", short_path(from[1]), "See who owns it.")
    }
    TRUE
  }, NA, USE.NAMES = FALSE)
}
