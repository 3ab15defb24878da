# Problems of received frames, as text, and as a sheet of suspects next to their neighbours.

# `refused`: what `--again` did, as refuse_frames() returns it; NULL where it was not asked for.
verify_lines <- function(x, width = terminal_width(), refused = NULL) {
  frames <- as_frame(x$frames)
  findings <- as_frame(x$findings)
  usable <- sum(frames[["verdict"]] == "usable")
  said <- c(
    Frames = paste0(usable, " of ", nrow(frames), if (usable == 1 && nrow(frames) == 1) " is usable"
                    else " are usable",
                    if (x$looked) "." else ", judged by names and headers only."),
    Sequences = if (length(unique(frames[["sequence"]])) > 1) {
      name <- sub("^[.]/", "", frames[["sequence"]])
      short <- basename(name)
      if (length(unique(short)) == length(unique(name))) name <- short
      name <- factor(name, unique(name))
      each <- tapply(frames[["verdict"]] == "usable", name,
                     function(u) paste(sum(u), "of", length(u)))
      paste0(paste(names(each), each, collapse = "; "), ".")
    },
    Others = if (x$others)
    paste0(x$others, if (x$others == 1) " other file is not a picture." else
           " other files are not pictures.")
  )
  bad <- findings[findings[["weight"]] != "doubt", , drop = FALSE]
  doubts <- findings[findings[["weight"]] == "doubt", , drop = FALSE]
  c(paste0(if (length(x$job)) "Job " else "Folder ", or_else(x$job, short_path(x$where))), "",
    unlist(Map(labelled_lines, names(said), said, 10, width), use.names = FALSE),
    finding_table(bad, "Unusable", width), finding_table(doubts, "Suspect", width),
    again_lines(x, width, refused))
}

# Findings of one kind and frames that follow each other are one line.
finding_table <- function(findings, head, width, most = 40) {
  if (!nrow(findings)) return(NULL)
  group <- paste(findings[["sequence"]], findings[["code"]])
  rows <- lapply(split(seq_len(nrow(findings)), factor(group, unique(group))), function(at) {
    own <- findings[at, , drop = FALSE]
    strongest <- which.max(own[["sure"]])
    data.frame(sequence = basename(own[["sequence"]][1]),
               frames = format_frames(sort(unique(own[["frame"]]))),
               found = own[["code"]][1], sure = confidence_text(own[["sure"]]),
               place = place_text(own[strongest, ]),
               evidence = paste0(if (nrow(own) > 1) paste0(own[["frame"]][strongest], ": "),
                                 own[["evidence"]][strongest]))
  })
  rows <- do.call(rbind, rows)
  more <- nrow(rows) - most
  shown <- utils::head(rows, most)
  notes <- lapply(shown[["evidence"]], function(text) {
    paste0("    ", wrap_lines(text, width = width - 4, indent = 0))
  })
  table <- text_table(shown[c("sequence", "frames", "found", "sure", "place")], width = width,
                      notes = notes)
  c("", paste0(head, ":"), table,
    if (more > 0) paste0("and ", more, " more: --format csv lists all."))
}

confidence_text <- function(sure) {
  sure <- sure[!is.na(sure)]
  if (!length(sure) || all(sure == 1)) return("yes")
  low <- min(sure)
  paste0(if (length(sure) > 1) "from ", format_share(low))
}

place_text <- function(row) {
  if (is.null(row[["top"]]) || is.na(row[["top"]])) return("all of it")
  if (row[["top"]] == row[["bottom"]] && row[["left"]] == row[["right"]]) {
    return(paste0("row ", row[["top"]], ", column ", row[["left"]]))
  }
  paste0("rows ", row[["top"]], "-", row[["bottom"]], ", columns ", row[["left"]], "-",
         row[["right"]])
}

# Frames to render again, with the commands that do it.
again_lines <- function(x, width, refused = NULL) {
  again <- as_frame(x$again)
  if (!nrow(again)) return(NULL)
  sets <- paste0(again[["shot"]], " ", again[["frames"]], collapse = "; ")
  text <- paste0("Render again: ", sets, ".",
                 if (length(x$job)) again_text(x$job, refused))
  c("", wrap_lines(text, width = width))
}

# Commands that render refused frames again. `refused`: the ones moved aside in this run.
again_text <- function(job, refused) {
  if (is.null(refused)) {
    return(paste0(" To set them aside and render them: clockpigeon verify ", job,
                  " --again, then clockpigeon place ", job, "."))
  }
  moved <- sum(refused[["moved"]])
  many <- if (moved == 1) " picture was" else " pictures were"
  paste0(if (moved) paste0(" ", moved, many, " moved to placed/", job, "/refused."),
         " clockpigeon place ", job, " renders them.")
}

#' @export
print.cp_verified <- function(x, ...) {
  show_lines(verify_lines(x))
  invisible(x)
}

# A contact sheet: each suspect in a row, between the pictures before and after it, its place
# outlined.
suspect_sheet <- function(x, path, most = 8) {
  suspects <- sheet_suspects(x, most)
  if (!nrow(suspects)) {
    stop_input("picture", "no suspect frame can be shown", "option --sheet",
               "Leave it out.")
  }
  width <- 300
  heights <- vapply(seq_len(nrow(suspects)), function(i) suspects$shape[i] * width, 0)
  tops <- cumsum(c(60, utils::head(heights, -1) + 48))
  draw_png(path, 40 + 3 * (width + 16), sum(heights + 48) + 70, function() {
    put_text(paste0(basename(x$where), ": suspects between the frames before and after them"), 24,
             30, fontsize = 13, fontface = "bold")
    for (i in seq_len(nrow(suspects))) put_suspect(suspects[i, ], x, tops[i], width, heights[i])
  })
  invisible(as_table(suspects[c("sequence", "frame", "code")]))
}

# Suspects that have a picture to show, one of each kind before a second of any.
sheet_suspects <- function(x, most) {
  findings <- as_frame(x$findings)
  nameless <- c("late", "old", "extra", "doubled", "copy", "padding", "case", "writing")
  shown <- findings[!is.na(findings[["path"]]) & !findings[["code"]] %in% nameless, , drop = FALSE]
  shown <- shown[!duplicated(shown[c("sequence", "frame")]), , drop = FALSE]
  shown <- shown[order(stats::ave(seq_len(nrow(shown)), shown[["code"]], FUN = seq_along)), ,
                 drop = FALSE]
  shown <- utils::head(shown, most)
  shown <- shown[order(shown[["sequence"]], shown[["frame"]]), , drop = FALSE]
  shown$shape <- vapply(seq_len(nrow(shown)), function(i) {
    for (picture in beside_pictures(x, shown[i, ])) {
      if (!is.null(picture)) return(dim(picture)[1] / dim(picture)[2])
    }
    0.5
  }, 0)
  shown
}

# The pictures before, of and after a suspect, as rasters; NULL where there is none that can be
# read.
beside_pictures <- function(x, row) {
  frames <- as_frame(x$frames)
  own <- frames[frames[["sequence"]] == row[["sequence"]] & !is.na(frames[["path"]]), ,
                drop = FALSE]
  at <- match(row[["frame"]], own[["frame"]])
  lapply(stats::setNames(at + -1:1, own[["frame"]][pmax(at + -1:1, 1)]), function(k) {
    if (is.na(k) || k < 1 || k > nrow(own)) return(NULL)
    path <- file.path(x$folders, own[["path"]][k])
    path <- path[file.exists(path)][1]
    picture <- tryCatch(read_picture(path), error = function(e) NULL)
    if (is.null(picture)) return(NULL)
    picture[!is.finite(picture)] <- 1
    step <- max(1, ceiling(dim(picture)[2] / 900))
    screen_raster(picture[seq(1, dim(picture)[1], step), seq(1, dim(picture)[2], step), ,
                          drop = FALSE],
                  1)
  })
}

# Draw a suspect frame between its neighbours, with its evidence.
put_suspect <- function(row, x, top, width, height) {
  pictures <- beside_pictures(x, row)
  for (k in 1:3) {
    left <- 24 + (k - 1) * (width + 16)
    name <- paste("frame", row[["frame"]] + k - 2)
    if (is.null(pictures[[k]])) {
      put_text(if (k == 2) "cannot be read" else "none", left + 8, top + height / 2, fontsize = 10,
               col = "grey40")
    } else {
      draw_raster(pictures[[k]], left, top, width, height)
      name <- paste("frame", names(pictures)[k])
    }
    put_text(if (k == 2) paste0(name, ": ", row[["code"]]) else name, left, top + height + 12,
             fontsize = 10, fontface = if (k == 2) "bold" else "plain",
             col = if (k == 2) "black" else "grey40")
    if (k == 2) outline_place(row, pictures[[k]], x, left, top, width, height)
  }
  put_text(substr(row[["evidence"]], 1, 140), 24, top + height + 28, fontsize = 8.5, col = "grey25")
}

# The finding's place, in a colour that no scene lacks and with a dark line next to it.
outline_place <- function(row, picture, x, left, top, width, height) {
  if (is.null(picture) || is.na(row[["top"]])) return(invisible())
  frames <- as_frame(x$frames)
  path <- file.path(x$folders, row[["path"]])
  size <- picture_extent(path[file.exists(path)][1])
  sx <- width / size$width
  sy <- height / size$height
  grow <- 3
  box <- function(by, col, lwd) {
    grid::grid.rect(grid::unit(left + (row[["left"]] - 1) * sx - by, "native"),
                    grid::unit(top + row[["bottom"]] * sy + by, "native"),
                    grid::unit((row[["right"]] - row[["left"]] + 1) * sx + 2 * by, "native"),
                    grid::unit(-((row[["bottom"]] - row[["top"]] + 1) * sy + 2 * by), "native"),
                    just = c("left", "bottom"), gp = grid::gpar(col = col, fill = NA, lwd = lwd))
  }
  box(grow, "black", 3)
  box(grow, "#ffd166", 1.5)
}
