# Tables for the terminal.

# A data frame of texts as lines: numbers flush right, one header line, one rule. When it is wider than the terminal the
# columns named in `spare` go, last first, and a line says which.
text_table <- function(x, right = character(), spare = character(), width = terminal_width(), mark = NULL) {
  x <- lapply(as_frame(x), function(column) ifelse(is.na(column), "unknown", as.character(column)))
  hidden <- character()
  repeat {
    wide <- vapply(names(x), function(name) max(nchar(c(name, x[[name]]), "width")), 0L)
    if (sum(wide + 2L) - 2L <= width || !length(intersect(spare, names(x)))) break
    last <- utils::tail(intersect(spare, names(x)), 1)
    hidden <- c(hidden, last)
    x[[last]] <- NULL
  }
  pad <- function(text, name) {
    gap <- strrep(" ", wide[[name]] - nchar(text, "width"))
    if (name %in% right) paste0(gap, text) else paste0(text, gap)
  }
  lines <- do.call(paste, c(lapply(names(x), function(name) pad(x[[name]], name)), sep = "  "))
  header <- paste(vapply(names(x), function(name) pad(name, name), ""), collapse = "  ")
  lines <- sub(" +$", "", c(header, strrep("-", nchar(header, "width")), lines))
  if (length(mark)) lines[mark + 2] <- cli::style_bold(lines[mark + 2])
  c(lines, if (length(hidden)) paste0("(hidden at this width: ", paste(rev(hidden), collapse = ", "),
                                      "; --format csv has all)"))
}

terminal_width <- function() {
  asked <- suppressWarnings(as.integer(Sys.getenv("COLUMNS")))
  if (!is.na(asked) && asked > 20) return(asked)
  cli::console_width()
}

# Long sentences wrapped under a hanging indent.
wrap_lines <- function(text, width = terminal_width(), indent = 2) {
  unlist(lapply(text, function(one) strwrap(one, width = max(40, width), exdent = indent)))
}

number_text <- function(x, digits = 2) ifelse(is.na(x), "unknown", formatC(x, format = "f", digits = digits))

# lower to upper in the shortest honest form: "2.10 to 2.41"
range_text <- function(lower, upper, format = number_text) ifelse(is.na(lower) | is.na(upper), "unknown",
    paste(format(lower), "to", format(upper)))
