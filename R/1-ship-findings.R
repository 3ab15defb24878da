# Checks of what is to be sent and rendered: each finding has a weight, what it is about, what is
# wrong and what to do.

finding_row <- function(weight, about, what, instead) {
  if (!length(about)) return(NULL)
  data.frame(weight = weight, about = about, what = what, instead = instead)
}

finding_weights <- c("blocks", "warns", "informs")
is_absolute <- function(path) grepl("^([A-Za-z]:[\\\\/]|[\\\\/~])", path)

# A relative path with its `.` and `..` worked out and slashes one way; NA when it leaves the
# folder.
plain_path <- function(path) {
  vapply(strsplit(gsub("\\", "/", path, fixed = TRUE), "/", fixed = TRUE), function(parts) {
    out <- character()
    for (part in parts[nzchar(parts) & parts != "."]) {
      if (part != "..") out <- c(out, part)
      else if (!length(out)) return(NA_character_)
      else out <- out[-length(out)]
    }
    paste(out, collapse = "/")
  }, "")
}

# Check assets against the files found. `assets` has path, embedded, needed; `files` path, bytes,
# readable; `root` is the folder both are relative to.
asset_findings <- function(assets, files, root) {
  assets <- assets[!assets$embedded, , drop = FALSE]
  if (!nrow(assets)) return(NULL)
  absolute <- is_absolute(assets$path)
  root <- paste0(sub("/+$", "", root), "/")
  inside <- absolute & startsWith(gsub("\\", "/", assets$path, fixed = TRUE), root)
  path <- ifelse(absolute, ifelse(inside, substring(assets$path, nchar(root) + 1), NA), assets$path)
  path[!is.na(path)] <- plain_path(path[!is.na(path)])
  outside <- is.na(path)
  at <- match(path, files$path)
  lost <- !outside & is.na(at)
  by_case <- files$path[match(tolower(path), tolower(files$path))]
  elsewhere <- files$path[match(basename(gsub("\\", "/", assets$path, fixed = TRUE)),
                                basename(files$path))]
  other_case <- lost & !is.na(by_case)
  moved <- (lost | outside) & !other_case & !is.na(elsewhere)
  gone <- lost & !other_case & !moved
  of <- function(which, weight, what, instead) {
    which <- which(which)
    finding_row(weight, assets$path[which], if (length(what) > 1) what[which] else what,
                  if (length(instead) > 1) instead[which] else instead)
  }
  rbind(
    of(inside & !lost, "blocks", "is an absolute path, which no other machine has",
       paste0("Write it in the scene as ", path, ".")),
    of(outside & !moved, "blocks", "lies outside the project folder, and is not sent",
       "Copy it into the project folder, and point the scene there."),
    of(moved & assets$needed, "blocks",
       ifelse(outside, "lies outside the project folder", "is missing"),
       paste0("A file of that name is at ", elsewhere, ": point the scene there.")),
    of(other_case & assets$needed, "blocks", paste0("differs only in case from ", by_case,
                                                    ", which other machines do not find"),
       paste0("Write it in the scene as ", by_case, ".")),
    of(gone & assets$needed, "blocks", "is missing", "Put it there, or take it out of the scene."),
    of(lost & !assets$needed, "informs", "is missing, and not needed", "Nothing to do."),
    of(!is.na(at) & !files$readable[at] %in% TRUE, "blocks", "cannot be read",
       "Change its permissions.")
  )
}

# Places of the files of a cache, a file or a folder.
cache_files <- function(cache, files) {
  cache <- plain_path(first_of(if (!is.na(cache)) cache, ""))
  if (is.na(cache) || !nzchar(cache)) return(integer())
  which(files$path == cache | startsWith(files$path, paste0(cache, "/")))
}

unbaked_finding <- function(weight, label, kind) {
  what <- if (kind == "moving texture") {
    "is not cached: each node would make its own, and they may differ"
  } else {
    "is not baked: each node would simulate for itself, or render without it"
  }
  finding_row(weight, label, what, "Bake it to its cache, and send that.")
}

# Dynamic parts: baked at all, for every frame, after the scene last changed.
cache_findings <- function(dynamic, files, frames, scene_changed) {
  if (!nrow(dynamic)) return(NULL)
  findings_of <- function(i) {
    d <- dynamic[i, ]
    label <- paste(d$kind, d$name)
    weight <- if (d$needed) "blocks" else "informs"
    its <- cache_files(d$cache, files)
    if (!length(its)) return(unbaked_finding(weight, label, d$kind))
    uncovered <- if (length(d$covers[[1]])) setdiff(frames, d$covers[[1]])
    # Files that were copied together differ by moments; a change of the scene is minutes or days
    # later.
    old <- !is.na(scene_changed) && max(files$changed[its]) < scene_changed - 60
    rbind(
      if (length(uncovered)) {
        finding_row(weight, label, paste0("has no cache for ", format_frames(uncovered)),
                    "Bake these frames, or leave them out of the shot.")
      },
      if (is.null(d$covers[[1]])) {
        finding_row("informs", label, "does not say which frames its cache covers",
                    "Write `covers`.")
      },
      if (old) {
        finding_row("warns", label, "was baked before the scene last changed",
                    "Bake it again, unless the change does not touch it.")
      }
    )
  }
  do.call(rbind, lapply(seq_len(nrow(dynamic)), findings_of))
}

# Files that nothing refers to, and backups.
stray_findings <- function(files, used) {
  looks_old <- "(~|\\.(bak|tmp|swp|old|orig)[0-9]*)$|(^|/)(copy of |\\.#)| copy( [0-9]+)?\\.[^./]+$"
  unused <- !files$path %in% used
  backup <- unused & grepl(looks_old, files$path, ignore.case = TRUE)
  of <- function(label, which) {
    if (!any(which)) return(NULL)
    largest <- files$path[which][order(-files$bytes[which])]
    finding_row("informs", label,
                  paste0(sum(which), if (sum(which) == 1) " file, " else " files, ",
                         format_size(sum(files$bytes[which])),
                         ": ", toString(utils::head(largest, 3)), if (length(largest) > 3) ", ..."),
                           "They are not sent.")
  }
  rbind(of("backups:", backup), of("used by nothing:", unused & !backup))
}

# Frames of a pre-pass: all where things move, every n-th and the last where only the camera does,
# one where nothing does.
prepass_frames <- function(frames, moves, every = 1L) {
  frames <- sort(frames)
  switch(moves, nothing = frames[1], things = frames,
         camera = unique(c(frames[seq.int(1, length(frames), by = every)], frames[length(frames)])))
}

# Names of outputs: a number, wide enough for the last frame, and one name for each camera and
# layer. `others` are the outputs of other shots, named by shot.
output_findings <- function(outputs, frames, images = 1L, others = character()) {
  if (!length(outputs)) return(NULL)
  runs <- regmatches(outputs, gregexpr("#+", outputs))
  wide <- nchar(vapply(runs, function(r) utils::tail(c("", r), 1), ""))
  digits <- nchar(max(abs(frames)))
  bare <- outputs[wide == 0 & length(frames) > 1]
  narrow <- wide > 0 & wide < digits
  twice <- outputs[duplicated(tolower(outputs))]
  same <- match(tolower(plain_path(outputs)), tolower(plain_path(others)))
  shared <- !is.na(same)
  all <- toString(outputs)
  rbind(
    finding_row("blocks", bare, "has no frame number: each frame would write over the one before",
                  "Write #### where the number goes."),
    finding_row("warns", outputs[narrow],
                  paste0("has ", wide[narrow], " digits for frames up to ", max(frames),
                         ": names will not sort"),
                  paste0("Write ", strrep("#", digits), ".")),
    finding_row("blocks", twice, "is written twice by this shot",
                "Give each camera and layer its own name."),
    finding_row("blocks", outputs[shared],
                paste("is also written by the shot", names(others)[same[shared]]),
                "Give each shot its own folder or name."),
    finding_row("warns", if (length(unique(wide[wide > 0])) > 1) all,
                "number frames with different widths", "Use one width."),
    finding_row("warns", if (length(outputs) < images) all,
                  paste("are fewer than the", images, "pictures of each frame"),
                  "Name one output for each camera and layer.")
  )
}

# Sizes: the upload against a site's cap, the pictures against the disk.
size_findings <- function(sent, cap, site, back, free, stated = sent) {
  unlike <- abs(log(max(sent, 1) / max(stated, 1))) > 0.1
  fill <- if (is.na(free)) 0 else back / free
  filled <- paste0("has ", format_size(free), " free, the frames will take ", format_size(back))
  rbind(
    finding_row("warns", if (unlike) "upload",
                  paste0("is ", format_size(sent), " in the files found, the shot states ",
                         format_size(stated), ", which forecasts count with"),
                  "Write the right one as `upload` of the shot."),
    finding_row("blocks", if (length(cap) && sent > cap) site,
                  paste0("takes at most ", format_size(cap), ", the shot is ", format_size(sent)),
                  "Send less: leave out what is not needed, pack textures smaller."),
    finding_row("blocks", if (fill > 1) "disk", filled,
                "Make room, or fetch frames to another disk."),
    finding_row("warns", if (fill > 0.8 && fill <= 1) "disk", filled, "Make room.")
  )
}

# Check a job's name against earlier ones, including cancelled jobs and names that differ only in
# case.
name_findings <- function(name, used) {
  if (is.null(name) || !tolower(name) %in% tolower(used)) return(NULL)
  same <- used[match(tolower(name), tolower(used))]
  what <- if (name %in% used) "was used before: frames of both would mix"
          else paste0("differs only in case from ", same, ", which was used before")
  finding_row("blocks", paste("job", name), what, paste0("Name it ", next_name(name, used), "."))
}

# The next name after those used: a number at the end counts on.
next_name <- function(name, used) {
  base <- sub("[-_]?[0-9]+$", "", name)
  tail <- regmatches(name, regexpr("[-_]?[0-9]+$", name))
  joint <- if (length(tail)) sub("[0-9]+$", "", tail) else "-"
  digits <- sub("^[-_]", "", tail)
  taken <- tolower(used)
  k <- if (length(digits)) as.numeric(digits) + 1 else 2
  width <- if (length(digits)) nchar(digits) else 1
  repeat {
    candidate <- paste0(base, joint, formatC(k, width = width, format = "d", flag = "0"))
    if (!tolower(candidate) %in% taken) return(candidate)
    k <- k + 1
  }
}

# Differences between the shot, the scene file and a finished frame. Each is a named list.
snapshot_findings <- function(asked, scene = NULL, frame = NULL) {
  text <- function(x) if (is.null(x)) NA_character_ else paste(x, collapse = " x ")
  do.call(rbind, lapply(names(asked), function(name) {
    said <- c(asked = text(asked[[name]]), scene = text(scene[[name]]), frame = text(frame[[name]]))
    known <- said[!is.na(said)]
    if (length(unique(known)) < 2) return(NULL)
    sources <- c(asked = "the shot asks", scene = "the scene says",
                 frame = "the finished frame says")
    finding_row("blocks", name, paste0(paste(sources[names(known)], known, collapse = ", ")),
                  "Bring them to one value before anything is rendered.")
  }))
}
