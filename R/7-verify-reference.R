# Received pictures against references: named ones, or those of trials.

# Pictures against those of the same frame that are right: a folder, one picture, or what trials
# left.
reference_findings <- function(files, findings, asked, reference, ledger) {
  refs <- if (length(reference)) named_references(reference) else trial_references(asked, ledger)
  bad <- findings[["path"]][findings[["weight"]] %in% "unusable"]
  files <- files[!files[["path"]] %in% bad, , drop = FALSE]
  if (is.null(refs) || !nrow(refs) || !nrow(files)) return(NULL)
  one <- nrow(refs) == 1 && is.na(refs[["frame"]])
  pairs <- if (one) list(c(1, 1)) else reference_pairs(files, refs)
  bind_tables(lapply(pairs, function(pair) one_reference(files[pair[1], ], refs[["at"]][pair[2]])))
}

# Reference pictures in a folder, or a single one: name without its number, frame, path.
named_references <- function(reference) {
  check_text(reference, argument("reference"))
  if (!file.exists(reference))
    stop_input("file", "there is no such folder or picture", reference, "Check the path.")
  if (!dir.exists(reference)) {
    name <- picture_names(reference)
    return(data.frame(stem = if (nrow(name)) basename(name[["sequence"]]) else "", at = reference,
                      frame = if (nrow(name)) name[["frame"]] else NA))
  }
  names <- picture_names(list.files(reference, recursive = TRUE))
  if (!nrow(names))
    stop_input("file", "holds no numbered pictures", short_path(reference), "Name another folder.")
  data.frame(stem = basename(names[["sequence"]]), frame = names[["frame"]],
             at = file.path(reference, names[["path"]]))
}

# Pictures that trials of the same shots and settings left.
trial_references <- function(asked, ledger) {
  if (is.null(asked$job)) return(NULL)
  rows <- as_frame(timings_with_pictures(ledger, list(engine = asked$engine)))
  rows <- rows[rows[["status"]] %in% "ok" & is.na(rows[["piece"]]) & is.na(rows[["job"]]) &
                 rows[["engine_version"]] %in% asked$version, , drop = FALSE]
  rows <- bind_tables(lapply(asked$shots, function(shot) {
    limit <- shot$limit[[1]]
    rows[rows[["shot"]] %in% shot$shot & rows[["width"]] %in% shot$size[1] &
         rows[["height"]] %in% shot$size[2] &
           rows[["limit_kind"]] %in% names(shot$limit)[1] & rows[["limit_value"]] %in% limit, ,
         drop = FALSE]
  }))
  if (is.null(rows) || !nrow(rows)) return(NULL)
  rows <- rows[file.exists(rows[["output"]]), , drop = FALSE]
  rows <- rows[!duplicated(rows[c("shot", "frame")], fromLast = TRUE), , drop = FALSE]
  data.frame(stem = tolower(rows[["shot"]]), frame = rows[["frame"]], at = rows[["output"]])
}

# At a bound of one in a hundred thousand: thousands of frames may be asked.
one_reference <- function(file, path) {
  say <- function(...) file_finding(file, ...)
  a <- tryCatch(read_picture(path), clockpigeon_error = identity)
  if (inherits(a, "error"))
    return(say("reference", "doubt", "has a reference that cannot be read", a$what))
  b <- tryCatch(read_picture(file[["at"]]), clockpigeon_error = identity)
  if (inherits(b, "error")) return(NULL)
  if (!identical(dim(a)[1:2], dim(b)[1:2])) {
    size <- function(x) paste(dim(x)[2:1], collapse = "x")
    return(say("reference", "doubt", "cannot be compared with its reference",
               paste0("it is ", size(b), ", the reference ", size(a))))
  }
  channels <- seq_len(min(dim(a)[3], dim(b)[3], 3))
  depth <- attr(b, "depth")
  cut <- function(x) structure(x[, , channels, drop = FALSE], depth = depth)
  found <- tryCatch(as.list(as_frame(compare_pictures(cut(a), cut(b), chance = 1e-5))),
                    clockpigeon_error = identity)
  if (inherits(found, "error") || found$verdict != "different") return(NULL)
  say("unlike", "unusable", "is not what its reference shows",
      paste0(found$why, ": rows ", found$top, "-", found$bottom, ", columns ", found$left, "-",
             found$right, ", by ", format_share(abs(found$tile_shift)), " of the brightness"), 0.99,
      c(found$top, found$bottom, found$left, found$right))
}

# Some pairs of frames that follow each other, spread over each sequence, are looked at where
# nothing moves in them. One that is above the target by more than a tenth and two errors is a
# doubt.
noise_findings <- function(files, findings, asked, most = 8) {
  bad <- findings[["path"]][findings[["weight"]] %in% "unusable"]
  files <- files[!files[["path"]] %in% bad, , drop = FALSE]
  each <- split(seq_len(nrow(files)), factor(files[["sequence"]], unique(files[["sequence"]])))
  findings_of <- function(at) {
    own <- files[at, , drop = FALSE]
    own <- own[order(own[["frame"]]), , drop = FALSE]
    shot <- if (!is.na(own[["shot"]][1])) asked$shots[[own[["shot"]][1]]]
    target <- shot$limit$noise
    if (is.null(target) || nrow(own) < 2) return(NULL)
    first <- setdiff(seq_len(nrow(own) - 1), match(shot$cuts, own[["frame"]]) - 1)
    first <- first[diff(own[["frame"]])[first] <= usual_gap(own[["frame"]])]
    if (!length(first)) return(NULL)
    some <- first[unique(round(seq(1, length(first), length.out = min(most, length(first)))))]
    bind_tables(lapply(some, function(k) above_target(own[k + 0:1, , drop = FALSE], target)))
  }
  bind_tables(lapply(each, findings_of))
}

above_target <- function(pair, target) {
  pictures <- lapply(pair[["at"]],
                     function(path) tryCatch(read_picture(path), error = function(e) NULL))
  if (any(lengths(pictures) == 0) || !identical(dim(pictures[[1]]), dim(pictures[[2]])))
    return(NULL)
  found <- tryCatch(noise_of_still(pictures[[1]], pictures[[2]]),
                    clockpigeon_error = function(e) NULL)
  if (is.null(found) || found$noise - 2 * found$error <= 1.1 * target) return(NULL)
  file_finding(pair, "above", "doubt", "is noisier than its limit",
               paste0("its noise is ", format_share(found$noise), " +/- ",
                      format_share(found$error), " of the brightness, in the ",
                      format_share(found$share), " of it that stand still, and ",
                      format_share(target), " was asked for"),
               finding_confidence((found$noise - target) / (2 * found$error)))
}

# Pictures and their references, by stem and frame, as pairs of places.
reference_pairs <- function(files, refs) {
  stem <- basename(files[["sequence"]])
  at <- match(paste(stem, files[["frame"]]), paste(refs[["stem"]], refs[["frame"]]))
  # Another stem is no hindrance where there is only one on each side.
  alone <- length(unique(stem)) == 1 && length(unique(refs[["stem"]])) == 1
  if (alone && all(is.na(at))) at <- match(files[["frame"]], refs[["frame"]])
  Map(c, which(!is.na(at)), at[!is.na(at)])
}
