# Walking a folder: each file is listed once, even where links form loops.

# Files under a folder: `path` (relative), `bytes`, `changed` (seconds since 1970), `readable`. A
# link to a folder that was already walked is not followed, nor one that leads outside; `loops` and
# `outside` name such links. Files and folders whose names are not UTF-8 are not looked into; `odd`
# names them, their bytes in angle brackets. Stops with the `most`-th file.
walk_folder <- function(folder, most = 1e6) {
  folder <- real_path(folder)
  waiting <- ""
  seen <- character()
  paths <- loops <- outside <- odd <- character()
  while (length(waiting) && length(paths) < most) {
    here <- waiting[1]
    waiting <- waiting[-1]
    full <- if (nzchar(here)) file.path(folder, here) else folder
    real <- real_path(full)
    if (real %in% seen) {
      loops <- c(loops, here)
      next
    }
    if (!startsWith(paste0(real, "/"), paste0(folder, "/"))) {
      outside <- c(outside, here)
      next
    }
    seen <- c(seen, real)
    names <- list.files(full, all.files = TRUE, no.. = TRUE)
    strange <- !validUTF8(names)
    prefix <- if (nzchar(here)) paste0(here, "/") else ""
    if (any(strange))
      odd <- c(odd, paste0(prefix, iconv(names[strange], "UTF-8", "UTF-8", sub = "byte")))
    names <- names[!strange]
    if (!length(names)) next
    inside <- paste0(prefix, names)
    is_folder <- dir.exists(file.path(full, names))
    waiting <- c(waiting, inside[is_folder])
    paths <- c(paths, inside[!is_folder])
  }
  facts <- file.info(file.path(folder, paths), extra_cols = FALSE)
  known <- function(x) ifelse(is.na(x), 0, as.numeric(x))  # a link that leads nowhere has neither
  list(files = data.frame(path = paths, bytes = known(facts$size), changed = known(facts$mtime),
                          readable = unname(file.access(file.path(folder, paths), 4) == 0)),
       loops = loops, outside = outside, odd = odd)
}
