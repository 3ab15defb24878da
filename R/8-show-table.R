# Tables for the terminal.

# A data frame of texts as lines: numbers flush right, a header, one rule. A name `done after|50 %`
# puts the column `50 %` under a heading that it shares with its neighbours. If the table is wider
# than the terminal, the columns in `spare` are dropped, last first, and a line names them. Rows in
# `mark` are bold; `sections`, one text per row, puts a separate line before the first row of
# each; `notes`, lines below each row, a list.
text_table <- function(x, right = character(), spare = character(), width = terminal_width(),
                       mark = NULL, sections = NULL, notes = NULL) {
  x <- lapply(as_frame(x), function(column) ifelse(is.na(column), "unknown", as.character(column)))
  hidden <- character()
  while (sum(column_widths(x) + 2L) - 2L > width && length(intersect(spare, names(x)))) {
    last <- utils::tail(intersect(spare, names(x)), 1)
    hidden <- c(hidden, last)
    x[[last]] <- NULL
  }
  wide <- column_widths(x)
  if (sum(wide + 2L) - 2L > width) return(stacked_rows(x, width, mark, sections, notes))
  cells <- Map(function(column, name)
               pad_text(c(sub(".*\\|", "", name), column), wide[[name]], name %in% right),
               x, names(x))
  lines <- do.call(paste, c(unname(cells), sep = "  "))
  body <- sub(" +$", "", lines[-1])
  body[mark] <- cli::style_bold(body[mark])
  if (length(notes))
    body <- mapply(function(line, note) paste(c(line, note), collapse = "\n"), body, notes)
  first <- which(!duplicated(sections))
  headings <- lapply(sections[first], wrap_lines, width = width)
  body <- insert_lines(body, rep(first, lengths(headings)), cli::style_bold(unlist(headings)))
  if (length(notes)) body <- unlist(strsplit(body, "\n", fixed = TRUE), use.names = FALSE)
  c(sub(" +$", "", c(group_line(wide), lines[1])), strrep("-", sum(wide + 2L) - 2L), body,
    if (length(hidden)) {
    wrap_lines(paste0("(hidden at this width: ",
                      toString(rev(gsub("|", " ", hidden, fixed = TRUE))),
                      "; --format csv has all)"), width)
  })
}

# Rows one under the other, for a terminal that the table does not fit in: the first column, and
# below it the others with their names.
stacked_rows <- function(x, width, mark = NULL, sections = NULL, notes = NULL) {
  # A column of marks has no name, and is joined with the next.
  if (!nzchar(trimws(names(x)[1])) && length(x) > 1) {
    x[[2]] <- ifelse(nzchar(trimws(x[[1]])), paste0(x[[1]], "  ", x[[2]]), x[[2]])
    x <- x[-1]
  }
  names <- sub("|", " ", names(x), fixed = TRUE)
  lines_of <- function(i) {
    heading <- paste(x[[1]][i])
    if (nchar(heading, "width") > width) heading <- wrap_lines(heading, width)
    cells <- vapply(x[-1], function(column) paste(column[i]), "")
    named <- paste0(names[-1], ": ", cells)[nzchar(cells)]
    rest <- unlist(lapply(named, function(text) paste0("  ", wrap_lines(text, width - 2))))
    new <- i == 1 || !identical(sections[i], sections[i - 1])
    c(if (length(sections) && new) cli::style_bold(wrap_lines(sections[i], width)),
      if (i %in% mark) cli::style_bold(heading) else heading, rest, notes[[i]])
  }
  unlist(lapply(seq_along(x[[1]]), lines_of))
}

# Puts each of `new` before the line `at` of `lines`.
insert_lines <- function(lines, at, new) {
  c(as.character(new), lines)[order(c(at - 0.5, seq_along(lines)))]
}

pad_text <- function(text, width, right = FALSE) {
  gap <- strrep(" ", width - nchar(text, "width"))
  if (right) paste0(gap, text) else paste0(text, gap)
}

column_group <- function(names) ifelse(grepl("|", names, fixed = TRUE), sub("\\|.*", "", names), "")

# Widths of the columns; the last of a group is widened where the group's heading needs it.
column_widths <- function(x) {
  wide <- vapply(names(x), function(name) max(nchar(c(sub(".*\\|", "", name), x[[name]]), "width")),
                 0L)
  group <- column_group(names(x))
  for (heading in setdiff(group, "")) {
    at <- which(group == heading)
    short <- nchar(heading, "width") - (sum(wide[at] + 2L) - 2L)
    if (short > 0) wide[max(at)] <- wide[max(at)] + short
  }
  wide
}

# The headings over grouped columns, each drawn out to the width of its group; NULL when there is no
# group.
group_line <- function(wide) {
  runs <- rle(column_group(names(wide)))
  if (!any(nzchar(runs$values))) return(NULL)
  last <- cumsum(runs$lengths)
  span <- vapply(seq_along(last), function(k) {
    as.integer(sum(wide[seq(last[k] - runs$lengths[k] + 1, last[k])] + 2L) - 2L)
  }, 0L)
  spare <- pmax(span - nchar(runs$values, "width") - 2L, 0L)
  drawn <- paste0(strrep("-", spare %/% 2), " ", runs$values, " ", strrep("-", spare - spare %/% 2))
  paste(ifelse(!nzchar(runs$values), strrep(" ", span),
               mapply(pad_text, ifelse(spare > 1, drawn, runs$values), span)),
        collapse = "  ")
}

terminal_width <- function() {
  asked <- suppressWarnings(as.integer(Sys.getenv("COLUMNS")))
  if (!is.na(asked) && asked > 20) return(asked)
  cli::console_width()
}

# Long sentences wrapped under a hanging indent. A number keeps its unit: `90 %`, `0.35 EUR`,
# `20 nodes`.
wrap_lines <- function(text, width = terminal_width(), indent = 2) {
  text <- gsub("([0-9]) (%|[A-Z]{3}\\b|nodes?\\b|draws\\b|frames?\\b)", "\\1\u00a0\\2", text,
               perl = TRUE)
  lines <- unlist(lapply(text, function(one) strwrap(one, width = max(20, width), exdent = indent)))
  gsub("\u00a0", " ", lines, fixed = TRUE)
}

# A label and a text next to it, wrapped in its own column.
labelled_lines <- function(label, text, wide, width = terminal_width()) {
  if (width - wide < 24)
    return(c(label, paste0("  ", wrap_lines(sub("\n *", " ", text), width - 2, indent = 0))))
  # A command below a text stays on its own line, ready to paste.
  parts <- c(strsplit(text, "\n", fixed = TRUE)[[1]], if (!nzchar(text)) "")
  lines <- c(wrap_lines(parts[1], width - wide, indent = 0), parts[-1])
  sub(" +$", "", paste0(pad_text(c(label, rep("", length(lines) - 1)), wide), lines))
}
