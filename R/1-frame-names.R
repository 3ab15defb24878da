# Names of pictures: which sequence and frame each is of, and what is wrong with a set of them.

picture_ending <- "\\.(png|exr|tiff?|pfm)$"

# `paths`: of pictures, from one folder on. Returns a data frame, one row each: `path`, `stem` (its
# name without number and ending), `sequence` (folder and stem, in small letters and without the
# mark before the number), `frame`, `digits`, `ending`. Paths without a number are left out.
picture_names <- function(paths) {
  name <- basename(paths)
  parts <- regmatches(name, regexec("^(.*?)([0-9]{1,9})\\.([A-Za-z]+)$", name, perl = TRUE))
  found <- lengths(parts) == 4 & grepl(picture_ending, name, ignore.case = TRUE)
  paths <- paths[found]
  piece <- function(k) vapply(parts[found], `[[`, "", k)
  stem <- piece(2)
  data.frame(path = paths, stem = stem, frame = as.integer(piece(3)), digits = nchar(piece(3)),
             ending = piece(4),
             sequence = tolower(sub("[-_. ]+$", "", file.path(dirname(paths), stem))))
}

finding_columns <- c("sequence", "shot", "frame", "path", "code", "weight", "sure", "top", "bottom",
                     "left", "right", "what", "evidence")

# One row of findings a file. Weights: "unusable" (to be rendered again), "name" (whole, but not
# found under its name), "doubt".
file_finding <- function(files, code, weight, what, evidence, sure = 1,
                         place = rep(NA_integer_, 4)) {
  n <- nrow(files)
  full <- function(x) rep(x, length.out = n)
  data.frame(sequence = files[["sequence"]], shot = or_else(files[["shot"]], full(NA_character_)),
             frame = files[["frame"]], path = files[["path"]], code = full(code),
             weight = full(weight), sure = full(sure), top = full(place[1]),
             bottom = full(place[2]), left = full(place[3]), right = full(place[4]),
             what = full(what), evidence = full(evidence))
}

usual_of <- function(x) {
  seen <- table(x)
  names(seen)[which.max(seen)]
}

# Faults in the files of one sequence by their names, sizes and times. `files`: as picture_names()
# gives them, with `size` (bytes) and `time` (seconds); `expected`: numbers of frames, or `NULL`;
# `since`: when the job was placed. Returns findings as file_finding() makes them; a missing file
# has the path NA.
name_findings_of <- function(files, expected = NULL, since = NULL) {
  sequence <- files[["sequence"]][1]
  if (is.null(expected))
    expected <- seq(min(files[["frame"]]), max(files[["frame"]]), by = usual_gap(files[["frame"]]))
  pick <- function(bad) files[bad, , drop = FALSE]
  digits <- padding_of(files[["frame"]], files[["digits"]])
  stem <- usual_of(files[["stem"]])
  ending <- usual_of(files[["ending"]])
  padded <- files[["digits"]] == pmax(digits, nchar(files[["frame"]]))
  plain <- padded & files[["stem"]] == stem & files[["ending"]] == ending
  # Of several files of one frame the one named like most others is kept; the others are `doubled`.
  turn <- order(files[["frame"]], !plain, -files[["time"]])
  twice <- rep(FALSE, nrow(files))
  twice[turn] <- duplicated(files[["frame"]][turn])
  own <- files[turn[!duplicated(files[["frame"]][turn])], , drop = FALSE]
  missing <- setdiff(expected, files[["frame"]])
  rbind(
    if (length(missing)) {
      file_finding(data.frame(sequence = sequence, shot = or_else(files[["shot"]][1], NA),
                              frame = missing, path = NA_character_), "missing", "unusable",
                   "is not there", paste(length(expected), "frames are expected"))
    },
    file_finding(pick(files[["size"]] %in% 0 & !twice), "empty", "unusable", "is an empty file",
                 "0 bytes"),
    file_finding(pick(twice), "doubled", "doubt", "is there more than once",
                 paste("beside",
                       basename(own[["path"]][match(files[["frame"]][twice], own[["frame"]])]))),
    file_finding(pick(!twice & !padded), "padding", "name",
                 "has another number of digits in its name than the others",
                 paste(files[["digits"]][!twice & !padded], "and not", digits)),
    file_finding(pick(!twice & (files[["stem"]] != stem | files[["ending"]] != ending)), "case",
                 "name", "has a name that differs from the others'",
                 paste0("most are called ", stem, "*.", ending)),
    file_finding(pick(!files[["frame"]] %in% expected), "extra", "doubt",
                 "is not a frame of the job",
                 paste("asked for were", format_frames(expected))),
    time_findings(files[!twice, , drop = FALSE], since)
  )
}

# The width to which frame numbers are padded: the one that most names agree with.
padding_of <- function(frame, digits) {
  widths <- seq_len(max(digits))
  fits <- vapply(widths, function(w) sum(digits == pmax(w, nchar(frame))), 0)
  widths[which.max(fits)]
}

usual_gap <- function(frames) {
  frames <- sort(unique(frames))
  if (length(frames) < 2) 1L else as.integer(usual_of(diff(frames)))
}

# Written before the job was placed, or long after pictures that follow them.
time_findings <- function(files, since = NULL) {
  files <- files[order(files[["frame"]]), , drop = FALSE]
  time <- files[["time"]]
  n <- length(time)
  old <- if (length(since)) time < since - 300 else rep(FALSE, n)
  late <- rep(FALSE, n)
  by <- rep(0, n)
  if (n >= 8) {
    # Seconds by which it was written after the next three frames; some of that is usual with many
    # nodes.
    following <- vapply(seq_len(n), function(i) if (i == n) Inf else
                        max(time[(i + 1):min(n, i + 3)]), 0)
    by <- pmax(time - following, 0)
    pace <- stats::median(diff(sort(time)))
    late <- by > max(60, 10 * pace, 3 * stats::quantile(by, 0.9, names = FALSE))
  }
  rbind(
    file_finding(files[old, , drop = FALSE], "old", "doubt",
                 "was written before the job was placed",
                 format(as.POSIXct(time[old], origin = "1970-01-01", tz = "UTC"),
                        "%Y-%m-%d %H:%M UTC")),
    file_finding(files[late & !old, , drop = FALSE], "late", "doubt",
                 "was written after pictures that follow it",
                 paste(format_duration(by[late & !old]), "later"))
  )
}

# Pictures whose size, depth, channels or colours differ from the shot's, or from those of most
# pictures. `facts`: of looks or heads, in the order of `files`; `size`: required width and height,
# or `NULL`.
kind_findings <- function(files, facts, size = NULL) {
  read <- !is.na(facts[["width"]]) & facts[["width"]] > 0
  if (!any(read)) return(file_finding(files[0, ], "", "", "", ""))
  asked <- if (length(size)) paste(size, collapse = "x")
  shape <- paste(facts[["width"]], facts[["height"]], sep = "x")
  against <- function(code, value, what, usual = usual_of(value[read]), said = "most have",
                      tell = identity) {
    bad <- which(read & value != usual)
    file_finding(files[bad, , drop = FALSE], code, "unusable", what,
                 paste0(tell(value[bad]), "; ", said, " ", tell(usual)))
  }
  rbind(
    against("size", shape, "has another size", or_else(asked, usual_of(shape[read])),
            if (length(asked)) "asked for was" else "most have"),
    against("depth", paste(facts[["depth"]]), "has another depth",
            tell = function(x) paste(x, ifelse(x == "1", "bit", "bits"))),
    against("channels", paste(facts[["channels"]]), "has other channels",
            tell = function(x) paste(x, ifelse(x == "1", "channel", "channels"))),
    if (!is.null(facts[["space"]])) {
      against("colours", paste(facts[["space"]]), "says its colours are others",
              tell = function(x) {
        known <- c("0" = "no word of them", "1" = "sRGB", "2" = "a profile of its own")
        ifelse(x %in% names(known), known[x], paste("gamma", as.numeric(x) / 1e5))
      })
    }
  )
}

# Channels that a shot needs and a picture lacks. `needed`: words such as colour, alpha, depth, or
# names of layers or channels; `there`: names of channels, such as R or normal.X.
lacking_channels <- function(needed, there) {
  last <- sub("^.*\\.", "", there)
  layer <- ifelse(grepl(".", there, fixed = TRUE), sub("\\.[^.]*$", "", there), there)
  has <- vapply(tolower(needed), function(word) {
    switch(word, colour = , color = all(c("R", "G", "B") %in% last) || "Y" %in% last,
           alpha = "A" %in% last, depth = "Z" %in% last || word %in% tolower(c(layer, last)),
           word %in% tolower(c(layer, there)))
  }, NA)
  needed[!has]
}
