# Judging a trial: how it ended, and in one sentence why.

# `made`: the picture's path and kind, the trial, the values of its fields, its start, and the
# requested devices.
judge_trial <- function(ran, engine, numbers, made, time_limit) {
  ended <- function(status, ...) list(status = status, note = paste0(...))
  expected <- names(Filter(length, engine$reads))
  if (ran$late) return(ended("timed_out", "ended after ", format_duration(time_limit),
                             output_text(ran$text)))
  if (!identical(ran$exit, 0L))
    return(ended("failed", "exit status ", ran$exit, ": ", output_ends(ran$text)))
  if (length(expected) && !nzchar(trimws(ran$text))) {
    return(ended("failed", "the engine printed nothing; its profile reads ", toString(expected)))
  }
  fault <- picture_fault(made$output, made$kind, made$trial)
  if (length(fault)) {
    there <- file.exists(made$output) && !dir.exists(made$output) && file.size(made$output) > 0
    return(ended(if (there) "unusable" else "failed", "the engine ", fault,
                 if (!there) appeared_instead(made), output_text(ran$text)))
  }
  wrong <- device_fault(engine, made$asked, ran$text)
  if (length(wrong)) return(ended("failed", wrong))
  list(status = "ok", note = unread_note(expected, numbers))
}

# Numbers of the profile that the output lacks, and those that cannot be; NULL if there are none.
unread_note <- function(expected, numbers) {
  lost <- setdiff(expected[is.na(numbers$found[expected])], sub(" .*", "", numbers$odd))
  notes <- c(if (length(lost)) paste("not found in the output:", toString(lost)),
             if (length(numbers$odd)) paste("no number that can be:", toString(numbers$odd)))
  if (length(notes)) paste(notes, collapse = "; ")
}

# Fault of a picture file; NULL if none. Checks its size and the length of its file, not the pixels.
# A band may be a picture of its rows or of the whole frame.
picture_fault <- function(path, kind, trial = NULL) {
  if (dir.exists(path)) return("made a folder where its picture was to be")
  size <- file.size(path)
  if (is.na(size)) return("wrote no picture")
  if (size == 0) return("wrote an empty picture")
  if (!identical(detect_picture_kind(path), kind))
    return(paste("wrote a file that is no", toupper(kind)))
  extent <- picture_extent(path, kind)
  if (length(extent$fault)) return(paste("wrote a picture that", extent$fault))
  if (is.null(trial$width)) return(NULL)
  heights <- c(trial$height, if (length(trial$band_first)) trial$band_last - trial$band_first + 1)
  if (extent$width != trial$width || !extent$height %in% heights) {
    paste0("wrote a picture of ", extent$width, "x", extent$height, ", required: ", trial$width,
           "x", trial$height)
  }
}

# The files that a trial left where pictures may have gone, when the one it was to write is not
# there.
appeared_instead <- function(made, most = 4) {
  folders <- unique(unlist(made$values[c("output_folder", "scene_folder", "project")]))
  files <- unlist(lapply(folders[dir.exists(folders)], list.files, full.names = TRUE))
  new <- files[!dir.exists(files) & file.mtime(files) >= made$began - 0.05]
  new <- setdiff(new[!grepl("[.]sqlite(-[a-z]+)?$", new)], made$output)
  if (!length(new)) return("; no other file appeared")
  shown <- vapply(utils::head(new, most), short_path, "")
  paste0("; these appeared: ", toString(shown),
         if (length(new) > most) paste(" and", length(new) - most, "more"),
         " (say so in `output_as`, or mend `arguments`)")
}

# Reason why the requested devices did not do the work; NULL if they did, or if the engine does not
# report it.
device_fault <- function(engine, asked, text) {
  if (!length(asked$index)) return(NULL)
  pattern <- engine$devices[[asked$kind]]$used
  if (is.null(pattern)) return(NULL)
  hits <- regmatches(text, gregexpr(pattern, text, perl = TRUE))[[1]]
  used <- unique(trimws(vapply(regmatches(hits, regexec(pattern, hits, perl = TRUE)), `[`, "", 2)))
  wanted <- paste0(asked$kind, " ", paste(asked$index, collapse = "+"), " (",
                   toString(unique(asked$name)), ")")
  if (!length(used))
    return(paste0("asked for ", wanted, ", and the engine does not say that it did the work"))
  same <- if (all(used %in% asked$index)) setequal(used, asked$index) else
    setequal(used, unique(asked$name))
  if (!same) paste0("asked for ", wanted, ", and ", either(used), " did the work")
}

# The first and the last lines of an output, in one line.
output_ends <- function(text, first = 2, last = 3) {
  lines <- strsplit(trimws(text), "\n", fixed = TRUE)[[1]]
  lines <- lines[nzchar(trimws(lines))]
  if (!length(lines)) return("it printed nothing")
  if (length(lines) > first + last)
    lines <- c(utils::head(lines, first), "...", utils::tail(lines, last))
  paste(vapply(trimws(lines), shown_text, "", most = 120, USE.NAMES = FALSE), collapse = " | ")
}

output_text <- function(text) if (nzchar(trimws(text))) paste0("; it printed: ", output_ends(text))

first_line <- function(text) strsplit(paste0(trimws(text), " "), "\n", fixed = TRUE)[[1]][1]

last_line <- function(text) {
  lines <- strsplit(trimws(text), "\n", fixed = TRUE)[[1]]
  if (!length(lines)) return("it printed nothing")
  shown_text(lines[length(lines)], 200)
}
