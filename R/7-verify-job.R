# Verifying received frames: are they complete, and are the pictures right?

new_verified <- record_type(
  "cp_verified", where = is.character, job = maybe(is.character), folders = is.character,
  frames = is.data.frame, findings = is.data.frame, again = is.data.frame,
  others = is.numeric, looked = is.numeric, seconds = is.numeric
)

#' Check received frames
#'
#' Looks whether all frames of a job, or of a folder, are there and whole, and whether the pictures
#' are right: each is decoded completely, once, and compared with those before and after it, and
#' with a reference if there is one.
#'
#' Of names and files: missing, doubled, extra, empty, cut off, unreadable; another size, depth,
#' number of channels or colour space than required or than most have; another number of digits, or
#' a name that differs; written before the job was placed, or long after pictures that follow. Of
#' pictures: black, of one colour, values that are no numbers, frozen where the shot moves, a jump,
#' other light or colours, a part that was not rendered, the colour of a missing texture, a seam or
#' a band that does not fit, a band of other samples, more noise, single bright pixels.
#'
#' A difference from the neighbours is judged by the usual differences in that shot: a bound is a
#' multiple of the usual difference, and never below the visible one. Noise is compared by the
#' Laplacian of J. Immerkaer (1996), Computer Vision and Image Understanding 64, 300.
#'
#' OpenEXR pictures are decoded by ffmpeg, where it is installed; without it their headers and
#' lengths are looked at.
#'
#' @param where A folder of pictures, or the name of a job.
#' @param project From [read_project()]; needed for a job. For a folder it tells what its shots ask
#'   for.
#' @param ledger A ledger from [open_ledger()]; needed for a job.
#' @param frames Numbers of the frames that are expected in each sequence of a folder; `NULL` takes
#'   the shot's if a shot of the project has the sequence's name, and otherwise all from the first
#'   to the last one found.
#' @param reference A folder of pictures of the same frames that are right, or one such picture. For
#'   a job, remaining pictures of trials are used too.
#' @param quick `TRUE` looks at names, headers and ends of files alone.
#' @param threads How many pictures are looked at at once.
#' @param progress `TRUE` says on standard error how far it is.
#' @return A list of class `cp_verified`: `where`, `job` (`NULL` for a folder), `frames`, a tibble,
#'   one row a frame: `sequence`, `shot` (`NA` where no shot is known), `frame`, `path` (`NA` of
#'   what is missing), `verdict` (`usable`, or the code of what is wrong), `doubts` (codes of what
#'   may be); `findings`, a tibble, one row each: `sequence`, `shot`, `frame`, `path`, `code`,
#'   `weight` (`unusable`: to be rendered again; `name`: whole, and not called as the others are;
#'   `doubt`), `sure` (0.5 to 1), `top`, `bottom`, `left`, `right` (pixels; `NA`: all of it),
#'   `what`, `evidence`; `again`, a tibble of `shot` and `frames` (a frame set) that are to be
#'   rendered again; `others` (how many files are no pictures), `looked` (pictures that were
#'   decoded), `seconds`.
#' @section Conditions: `clockpigeon_error_file` for a folder that is not there or holds no numbered
#'   pictures, `clockpigeon_error_job` for a job that is not known or was not placed,
#'   `clockpigeon_error_frames` for frames that are none.
#' @examplesIf requireNamespace("png", quietly = TRUE)
#' folder <- tempfile()
#' dir.create(folder)
#' wave <- function(f) {
#'   outer(1:40, 1:60, function(y, x) 0.5 + 0.3 * sin((x + 2 * f) / 9) * cos(y / 7))
#' }
#' for (f in 1:12) png::writePNG(wave(f), file.path(folder, sprintf("wave-%04d.png", f)))
#' png::writePNG(matrix(0, 40, 60), file.path(folder, "wave-0007.png"))
#' verify_frames(folder)$findings[c("frame", "code", "evidence")]
#' @export
verify_frames <- function(where, project = NULL, ledger = NULL, frames = NULL, reference = NULL,
                          quick = FALSE, threads = detected_threads(), progress = FALSE) {
  begun <- steady_clock()
  where <- check_text(where, argument("where"))
  quick <- check_flag(quick, argument("quick"))
  threads <- check_count(threads, argument("threads"))
  if (length(project)) check_class(project, argument("project"), "cp_project", "read_project()")
  asked <- if (dir.exists(where)) folder_request(where, project, frames) else
    job_request(where, project, ledger)
  found <- listed_pictures(asked)
  apart <- split_copies(found$files, asked)
  found$files <- apart$files
  groups <- split(seq_len(nrow(found$files)),
                  factor(found$files[["sequence"]], unique(found$files[["sequence"]])))
  meter <- count_meter(nrow(found$files), progress)
  parts <- lapply(groups, function(at) {
    sequence_verified(found$files[at, , drop = FALSE], asked, quick, threads, meter)
  })
  absent <- absent_shots(asked, found$files)
  findings <- bind_tables(c(lapply(parts, `[[`, "findings"), list(absent, apart$findings)))
  if (!quick) {
    unlike <- reference_findings(found$files, findings, asked, reference, ledger)
    findings <- bind_tables(list(findings, unlike))
    findings <- bind_tables(list(findings, noise_findings(found$files, findings, asked)))
  }
  meter(done = TRUE)
  rows <- frame_verdicts(found$files, findings)
  new_verified(list(where = where, job = asked$job, folders = asked$folders,
                    frames = as_table(rows), findings = as_table(findings),
                    again = as_table(frames_again(rows)), others = found$others,
                    looked = if (quick) 0L else nrow(found$files),
                    seconds = steady_clock() - begun))
}

detected_threads <- function() {
  n <- parallel::detectCores()
  if (is.na(n)) 1L else as.integer(n)
}

# ---- what is expected ----------------------------------------------------------------------------

# Target of a folder: list(folders, shots (of the project, that may be meant), frames).
folder_request <- function(folder, project, frames) {
  if (length(frames)) frames <- check_frames_given(frames)
  list(folders = real_path(folder), frames = frames, shots = project$shots, named = FALSE)
}

check_frames_given <- function(frames) {
  if (is.character(frames)) return(parse_frames(frames, argument("frames")))
  if (is.numeric(frames) && !anyNA(frames) && all(frames >= 0 & frames == round(frames)))
    return(as.integer(frames))
  stop_input("frames", paste("got", show_value(frames[1])), argument("frames"),
             "Write numbers, or a set such as 1-240.")
}

# Target of a job: its shots with their frames, and their folders.
job_request <- function(job, project, ledger) {
  if (is.null(project) || is.null(ledger)) {
    stop_input("file", "there is no such folder", job,
               "Name a folder of pictures, or a job with its project and ledger.")
  }
  decision <- job_plan_record(ledger, job)
  placed <- placed_of(ledger, job, decision)
  if (!length(placed$folders)) {
    stop_input("job", paste0("job ", job, " was not placed"), argument("where"),
               paste0("Place it: clockpigeon place ", job, ", or name the folder of its frames."))
  }
  events <- as_frame(job_events(ledger, job))
  shots <- lapply(decision$asked$shots, function(asked) {
    shot <- project_entry(project$shots, asked$shot, "shot")
    shot$frames <- parse_frames(asked$frames, "the decision, frames")
    shot
  })
  names(shots) <- vapply(shots, `[[`, "", "shot")
  # Files fetched from the site were written here, after the request.
  fetched <- any(events[["what"]] %in% "arrived" & events[["source"]] %in% "fetch")
  list(job = job, folders = unique(unlist(placed$folders)), shots = shots,
       since = if (!fetched) as.numeric(placed$moment), fetched = fetched, named = TRUE,
       engine = decision$evidence$engine, version = decision$evidence$version,
       edges = band_edges(events),
       refused = events[events[["what"]] %in% "failed" & events[["source"]] %in% "verify",
                        c("shot", "frame")])
}

# The last rows of bands that frames were joined of.
band_edges <- function(events) {
  last <- sub("^rows [0-9]+-([0-9]+)$", "\\1",
              grep("^rows [0-9]+-[0-9]+$", events[["piece"]], value = TRUE))
  last <- sort(unique(as.integer(last)))
  utils::head(last, -1)
}

# Pictures in the folders, with their sizes and times; how many other files there are.
listed_pictures <- function(asked) {
  lists <- lapply(asked$folders, function(folder) {
    paths <- list.files(folder, recursive = TRUE)
    files <- picture_names(paths)
    list(files = cbind(files, at = file.path(rep(folder, nrow(files)), files[["path"]])),
         others = length(paths) - nrow(files))
  })
  files <- do.call(rbind, lapply(lists, `[[`, "files"))
  others <- sum(vapply(lists, `[[`, 0, "others"))
  if (!nrow(files) && !asked$named) {
    stop_input("file", paste0("holds no numbered pictures",
                              if (others) paste0(", but ", others, " other files")),
               short_path(asked$folders[1]), "Name a folder of files such as gears-0001.png.")
  }
  info <- file.info(files[["at"]], extra_cols = FALSE)
  files$size <- info[["size"]]
  files$time <- as.numeric(info[["mtime"]])
  shots <- names(asked$shots)
  files$shot <- if (length(shots)) shots[shot_named(files[["sequence"]], tolower(shots))]
                else rep(NA_character_, nrow(files))
  # All frames of a job with one shot belong to it, under any name.
  if (asked$named && length(shots) == 1) files$shot <- rep(shots, nrow(files))
  # One picture in two sites' folders: the later one is the frame's.
  files <- files[order(-files[["time"]]), , drop = FALSE]
  files <- files[!duplicated(files[["path"]]), , drop = FALSE]
  files <- files[order(files[["path"]]), , drop = FALSE]
  if (asked$named) files$sequence <- joined_sequences(files)
  list(files = files, others = as.integer(others))
}

# The frames of a job's shot may lie in any folders: sequences of one name that share hardly any
# frame are one; those of cameras and layers share them all.
joined_sequences <- function(files) {
  sequence <- files[["sequence"]]
  groups <- split(seq_along(sequence), paste(files[["shot"]], basename(sequence)))
  for (at in groups) {
    names <- unique(sequence[at])
    shared <- sum(duplicated(files[["frame"]][at]))
    if (length(names) > 1 && shared <= 0.2 * length(at) / length(names)) sequence[at] <- names[1]
  }
  sequence
}

# Shots of a job without any frame, cameras that a shot needs and no sequence has, and missing
# layers.
absent_shots <- function(asked, files) {
  if (!asked$named) return(NULL)
  rows <- lapply(asked$shots, function(shot) {
    own <- unique(files[["sequence"]][files[["shot"]] %in% shot$shot])
    cameras <- shot$needs$cameras
    lost <- Filter(function(camera) !any(grepl(tolower(camera), own, fixed = TRUE)), cameras)
    # A single camera needs no name.
    if (length(cameras) < 2 && length(own)) lost <- character()
    names <- if (!length(own)) shot$shot else if (length(lost)) paste0(shot$shot, "-", lost)
    layers <- or_else(shot$layers, 1L) * max(1, length(cameras))
    # One sequence is what the layers were merged into.
    if (!length(names) && length(own) > 1 && length(own) < layers) {
      return(file_finding(data.frame(sequence = own[1], shot = shot$shot, frame = shot$frames[1],
                                     path = NA_character_),
                          "layers", "doubt", "has fewer layers than the shot",
                          paste(length(own), "sequences are there, and", layers, "are expected")))
    }
    if (!length(names)) return(NULL)
    n <- length(shot$frames)
    file_finding(data.frame(sequence = rep(names, each = n), shot = shot$shot,
                            frame = rep(shot$frames, length(names)), path = NA_character_),
                 "missing", "unusable", "is not there",
                 paste("nothing of", rep(names, each = n), "is there"))
  })
  bind_tables(rows)
}

# ---- one sequence --------------------------------------------------------------------------------

# Findings of one sequence of pictures.
sequence_verified <- function(files, asked, quick, threads, meter) {
  shot <- if (!is.na(files[["shot"]][1])) asked$shots[[files[["shot"]][1]]]
  expected <- or_else(asked$frames, shot$frames)
  named <- name_findings_of(files, expected, asked$since)
  # That a frame was rendered again after it was refused is known.
  again <- row_key(named, c("shot", "frame")) %in%
    row_key(or_else(asked$refused, named[0, ]), c("shot", "frame"))
  named <- named[!(named[["code"]] == "late" & again), , drop = FALSE]
  # A picture that exists twice is examined under its better name; empty ones are reported already.
  skip <- files[["path"]] %in% named[["path"]][named[["code"]] %in% c("doubled", "empty")]
  own <- files[!skip, , drop = FALSE]
  own <- own[order(own[["frame"]]), , drop = FALSE]
  size <- if (asked$named) shot$size
  if (!nrow(own)) return(list(findings = named))
  if (quick) {
    found <- head_findings(own, size, threads)
    meter(nrow(own))
  } else found <- looked_findings(own, size, shot, threads, meter,
                                  edges = or_else(asked$edges, integer()))
  found <- bind_tables(list(found, needed_channels(own, if (asked$named) shot$needs$channels)))
  found <- drop_unfinished_files(found, own, if (isTRUE(asked$fetched)) 0 else 3)
  list(findings = bind_tables(list(named, found)))
}

# OpenEXR pictures without a channel that the shot needs.
needed_channels <- function(files, needed) {
  exr <- files[grepl("exr", files[["ending"]], ignore.case = TRUE) & length(needed) > 0, ,
               drop = FALSE]
  there <- lapply(exr[["at"]], exr_channels)
  lack <- vapply(there, function(names) if (length(names))
                 toString(lacking_channels(needed, names)) else "", "")
  bad <- nzchar(lack)
  file_finding(exr[bad, , drop = FALSE], "channels", "unusable",
               "lacks a channel that the shot needs",
               paste0("no ", lack[bad], "; it has ", vapply(there[bad], toString, "")))
}

# Findings of picture files that are cut off, unreadable or of another size.
head_findings <- function(files, size, threads) {
  png <- grepl("png", files[["ending"]], ignore.case = TRUE)
  heads <- data.frame(width = NA_real_, height = NA_real_, channels = NA_real_, depth = NA_real_,
                      fault = rep("", nrow(files)))
  if (any(png)) heads[png, ] <- look_at_heads(files[["at"]][png], threads)[names(heads)]
  for (i in which(!png)) {
    extent <- headed_extent(files[["at"]][i])
    heads$fault[i] <- or_else(extent$fault, "")
    if (length(extent$width)) heads[i, c("width", "height")] <- extent[c("width", "height")]
  }
  bad <- nzchar(heads[["fault"]])
  cut <- heads[["fault"]][bad] == "is cut off"
  bind_tables(list(
    file_finding(files[bad, , drop = FALSE], ifelse(cut, "cut off", "unreadable"), "unusable",
                 ifelse(cut, "is cut off", "cannot be read"), heads[["fault"]][bad]),
    kind_findings(files[!bad, , drop = FALSE], heads[!bad, , drop = FALSE], size)
  ))
}

headed_extent <- function(path) {
  kind <- tryCatch(detect_picture_kind(path), error = function(e) NULL)
  if (is.null(kind)) return(list(fault = "is no PNG, TIFF, PFM or OpenEXR"))
  picture_extent(path, kind)
}

# In stretches of 400 pictures with 8 more on either side: memory stays bounded, and each picture
# has its neighbours.
looked_findings <- function(files, size, shot, threads, meter, edges = integer(), stretch = 400,
                            beside = 8) {
  n <- nrow(files)
  # Pictures of another size are reported; those with more than four times the pixels are not
  # decoded.
  most_pixels <- if (length(size)) max(1e6, 4 * prod(unlist(size))) else usual_pixels
  facts <- list()
  found <- list()
  looks <- NULL
  from <- 1
  held <- integer()
  for (to in unique(c(seq(stretch, max(stretch, n), by = stretch), n))) {
    to <- min(to, n)
    at <- max(1, from - beside):min(n, to + beside)
    new <- setdiff(at, held)
    for (some in split(new, (seq_along(new) - 1) %/% (16 * threads))) {
      looks <- bind_looks(list(looks, looks_of(files[["at"]][some], threads, most_pixels)))
      held <- c(held, some)
      meter(length(some))
    }
    kept <- match(at, held)
    looks <- pick_looks(looks, kept)
    held <- at
    own <- sequence_findings(looks, files[["frame"]][at], or_else(shot$cuts, integer()), edges)
    own$index <- at[own$index]
    found <- c(found, list(own[own$index >= from & own$index <= to, , drop = FALSE]))
    facts <- c(facts, list(looks$facts[match(from:to, at), , drop = FALSE]))
    from <- to + 1
    if (from > n) break
  }
  found <- do.call(rbind, found)
  facts <- do.call(rbind, facts)
  pictures <- cbind(files[found$index, c("sequence", "shot", "frame", "path")],
                    found)[finding_columns]
  whole <- !nzchar(facts[["fault"]])
  bind_tables(list(pictures, kind_findings(files[whole, , drop = FALSE],
                                           facts[whole, , drop = FALSE], size)))
}

# Files that changed during the look, or that cannot be read and were written within the last
# `young_s` seconds, are being written; their other findings are dropped. Pictures that were fetched
# have their names when they are whole.
drop_unfinished_files <- function(findings, files, young_s) {
  now <- file.info(files[["at"]], extra_cols = FALSE)
  moved <- !now[["size"]] %in% files[["size"]] |
    abs(as.numeric(now[["mtime"]]) - files[["time"]]) > 1e-3
  young <- as.numeric(Sys.time()) - files[["time"]] < young_s
  broken <- findings[["path"]][findings[["code"]] %in% c("cut off", "unreadable", "empty")]
  busy <- which(is.na(now[["size"]]) | moved | young & files[["path"]] %in% broken)
  if (!length(busy)) return(findings)
  findings <- findings[!findings[["path"]] %in% files[["path"]][busy], , drop = FALSE]
  bind_tables(list(findings, file_finding(files[busy, , drop = FALSE], "writing", "unusable",
                                          "is being written",
                                          "it changed while it was looked at, or a moment before")))
}

# ---- verdicts ------------------------------------------------------------------------------------

# One row a frame of each sequence.
frame_verdicts <- function(files, findings) {
  findings <- if (is.null(findings)) file_finding(files[0, ], "", "", "", "") else
    as_frame(findings)
  extra <- findings[["code"]] %in% c("doubled", "copy")
  own <- files[!files[["path"]] %in% findings[["path"]][extra],
               c("sequence", "shot", "frame", "path"), drop = FALSE]
  gone <- findings[findings[["code"]] == "missing", c("sequence", "shot", "frame", "path"),
                   drop = FALSE]
  rows <- rbind(own, gone)
  rows <- rows[order(match(rows[["sequence"]], unique(rows[["sequence"]])), rows[["frame"]]), ,
               drop = FALSE]
  key <- function(x) paste(x[["sequence"]], x[["frame"]])
  first <- function(weight) findings[findings[["weight"]] %in% weight & !extra, , drop = FALSE]
  bad <- rbind(first("unusable"), first("name"))
  rows$verdict <- bad[["code"]][match(key(rows), key(bad))]
  rows$verdict[is.na(rows$verdict)] <- "usable"
  doubts <- first("doubt")
  by <- tapply(doubts[["code"]], factor(key(doubts), unique(key(doubts))),
               function(x) toString(unique(x)))
  rows$doubts <- unname(by[match(key(rows), names(by))])
  rownames(rows) <- NULL
  rows
}

# Verdicts of frames that are not to be rendered again: good ones, those with another name, those
# still being written.
kept_verdicts <- c("usable", "padding", "case", "writing")

# Frames that are to be rendered again.
frames_again <- function(rows) {
  bad <- rows[!rows[["verdict"]] %in% kept_verdicts, , drop = FALSE]
  name <- ifelse(is.na(bad[["shot"]]), basename(bad[["sequence"]]), bad[["shot"]])
  each <- split(bad[["frame"]], factor(name, unique(name)))
  data.frame(shot = names(each),
             frames = vapply(each, function(f) format_frames(sort(unique(f))), "",
                             USE.NAMES = FALSE))
}

# Says how far it is, a line now and then, a line that is rewritten on a terminal.
count_meter <- function(total, show, clock = steady_clock, out = stderr()) {
  count <- 0
  begun <- clock()
  live <- isatty(out)
  said <- if (live) -Inf else begun
  function(more = 0, done = FALSE) {
    if (done) {
      if (show && live && said > -Inf) cat("\r", strrep(" ", 60), "\r", sep = "", file = out)
      return(invisible())
    }
    count <<- count + more
    now <- clock()
    if (!show || now - said < if (live) 0.2 else 5) return(invisible())
    said <<- now
    left <- if (count > 0)
      paste0(", about ", format_duration((now - begun) * (total - count) / count), " left")
    text <- paste0(count, " of ", total, " pictures looked at", left)
    cat(if (live) paste0("\r", formatC(text, width = -60)) else paste0(text, "\n"), sep = "",
        file = out)
  }
}
