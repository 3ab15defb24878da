# Copies of finished frames: the same frames again in another folder or under another name. A frame
# that is complete anywhere counts as complete, and copies are reported as what they are.

# Tell the copies in a list of pictures from the frames. `files`: as listed_pictures() makes them,
# of one job or folder. Returns list(files, findings): the files without copies, where a file that
# the main sequence lacks has been moved to it; and a finding `copy` for each copy, which says
# whether its content is the same.
split_copies <- function(files, asked) {
  none <- list(files = files, findings = NULL)
  if (length(unique(files[["sequence"]])) < 2) return(none)
  groups <- split(seq_len(nrow(files)),
                  or_else(ifelse(is.na(files[["shot"]]), "", files[["shot"]]), ""))
  parts <- lapply(groups, function(at) shot_copies(files[at, , drop = FALSE], asked))
  list(files = do.call(rbind, unname(lapply(parts, `[[`, "files"))),
       findings = bind_tables(unname(lapply(parts, `[[`, "findings"))))
}

# The same for the files of one shot.
shot_copies <- function(files, asked) {
  shot <- asked$shots[[or_else(files[["shot"]][1], "")]]
  frames <- or_else(asked$frames, shot$frames)
  count <- tapply(files[["frame"]], files[["sequence"]], function(own) {
    length(unique(if (length(frames)) intersect(own, frames) else own))
  })
  # The fuller sequence first; of two that are equally full the one with the plainer name.
  names <- names(count)[order(-count, has_copy_word(names(count)), nchar(names(count)))]
  main <- character()
  findings <- list()
  for (name in names) {
    of <- main_of(name, main, files, asked, shot)
    if (is.null(of)) {
      main <- c(main, name)
      next
    }
    joined <- join_copy(files, name, of)
    files <- joined$files
    findings <- c(findings, list(joined$findings))
  }
  list(files = files, findings = bind_tables(findings))
}

# Sequences that a shot is to have: one for each camera and layer. A folder without a job has no
# such number.
wanted_sequences <- function(asked, shot) {
  if (!asked$named) return(Inf)
  max(1, length(shot$needs$cameras)) * max(1, or_else(shot$layers, 1L))
}

# The sequence that `name` is a copy of, or NULL. `main`: the sequences found so far. A job's shot
# has no more sequences than its cameras and layers; elsewhere a copy has a name that says so, or
# has the same pictures.
main_of <- function(name, main, files, asked, shot) {
  if (!length(main)) return(NULL)
  of_sequence <- function(x) files[files[["sequence"]] == x, , drop = FALSE]
  own <- of_sequence(name)
  shared <- vapply(main, function(x) mean(own[["frame"]] %in% of_sequence(x)[["frame"]]), 0)
  same <- vapply(main, function(x) same_share(own, of_sequence(x)), 0)
  # A camera's own sequence is none of another's copies.
  cameras <- tolower(shot$needs$cameras)
  camera <- function(x) Find(function(camera) grepl(camera, x, fixed = TRUE), cameras)
  alike <- vapply(main, function(x) identical(camera(x), camera(name)), NA)
  best <- main[order(-same, -shared, -endsWith(basename(name), basename(main)))][1]
  surplus <- length(main) >= wanted_sequences(asked, shot) && any(alike)
  named <- has_copy_word(name) && shared[[best]] == 1
  if (same[[best]] >= 0.5 || named) best else if (surplus) main[alike][which.max(shared[alike])]
}

# The share of some files whose content is that of the same frame in another sequence; sizes are
# compared first.
same_share <- function(own, other) {
  at <- match(own[["frame"]], other[["frame"]])
  maybe <- which(!is.na(at) & own[["size"]] > 0 & own[["size"]] == other[["size"]][at])
  if (length(maybe) < 0.5 * nrow(own)) return(0)
  some <- maybe[unique(round(seq(1, length(maybe), length.out = min(20, length(maybe)))))]
  equal <- file_hashes(own[["at"]][some]) == file_hashes(other[["at"]][at[some]])
  mean(equal) * length(maybe) / nrow(own)
}

has_copy_word <- function(names)
  grepl("\\b(copy|copies|kopie|backup|bak|old)\\b|[(][0-9]+[)]", names)

# The files of a copied sequence: those of frames that the main sequence has become findings, the
# others fill its gaps. An empty picture is filled by a copy that is not empty.
join_copy <- function(files, name, of) {
  own <- which(files[["sequence"]] == name)
  kept <- which(files[["sequence"]] == of)
  at <- kept[match(files[["frame"]][own], files[["frame"]][kept])]
  empty <- !is.na(at) & files[["size"]][at] == 0 & files[["size"]][own] > 0
  gap <- is.na(at) & !duplicated(files[["frame"]][own])
  files$sequence[own[gap | empty]] <- of
  files$stem[own[gap | empty]] <- files[["stem"]][kept[1]]
  drop <- c(own[!gap & !empty], at[empty])
  again <- own[!gap & !empty & !is.na(at)]
  beside <- at[match(again, own)]
  findings <- if (length(again)) {
    equal <- unname(file_hashes(files[["at"]][again]) == file_hashes(files[["at"]][beside]))
    file_finding(files[again, , drop = FALSE], "copy", "doubt", "is a copy of a finished frame",
                 paste0(ifelse(equal, "the same picture as ", "another picture than "),
                        files[["path"]][beside]))
  }
  list(files = if (length(drop)) files[-drop, , drop = FALSE] else files, findings = findings)
}
