# Whether frames of a shot whose limit is a noise level are as clean as was asked.

# Some pairs of frames that follow each other, spread over each sequence, are looked at where
# nothing moves in them. One that is above the target by more than a tenth and two errors is a
# doubt.
noise_findings <- function(files, findings, asked, most = 8) {
  bad <- findings[["path"]][findings[["weight"]] %in% "unusable"]
  files <- files[!files[["path"]] %in% bad, , drop = FALSE]
  each <- split(seq_len(nrow(files)), factor(files[["sequence"]], unique(files[["sequence"]])))
  bind_tables(lapply(each, function(at) {
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
  }))
}

above_target <- function(pair, target) {
  pictures <- lapply(pair[["at"]],
                     function(path) tryCatch(read_picture(path), error = function(e) NULL))
  if (any(lengths(pictures) == 0) || !identical(dim(pictures[[1]]), dim(pictures[[2]])))
    return(NULL)
  found <- tryCatch(noise_of_still(pictures[[1]], pictures[[2]]),
                    clockpigeon_error = function(e) NULL)
  if (is.null(found) || found$noise - 2 * found$error <= 1.1 * target) return(NULL)
  file_finding(pair, "above", "doubt", "is noisier than was asked for",
               paste0("its noise is ", format_share(found$noise), " +/- ",
                      format_share(found$error), " of the brightness, in the ",
                      format_share(found$share), " of it that stand still, and ",
                      format_share(target), " was asked for"),
               finding_confidence((found$noise - target) / (2 * found$error)))
}
