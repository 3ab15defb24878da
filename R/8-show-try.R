# A tried engine in a terminal: the command, its output, the files, what was read, and the verdict.

# The first and the last lines of a long text.
shorten_middle <- function(lines, most) {
  cut <- length(lines) - 2 * most
  if (cut <= 0) return(lines)
  c(utils::head(lines, most),
    paste0("... (", cut, if (cut == 1) " line" else " lines", " left out)"),
    utils::tail(lines, most))
}

# A tried trial as lines: command, output, what was read, verdict.
try_lines <- function(x, most = 12) {
  head <- function(text) cli::style_bold(text)
  ran <- x$ran
  status <- if (ran$late) "ended by the time limit" else paste("exit status", ran$exit)
  lines <- strsplit(ran$text, "\n", fixed = TRUE)[[1]]
  lines <- vapply(lines, shown_text, "", most = max(40, terminal_width() - 4), USE.NAMES = FALSE)
  lines <- shorten_middle(lines, most)
  environment <- x$command$environment
  good <- x$judged$status == "ok"
  c(head(paste0("Engine ", x$engine, if (!is.na(x$version)) paste0(" ", x$version))), "",
    head("Command"), paste0("  in ", x$command$folder),
    if (length(environment)) paste0("  with ", names(environment), "=", environment),
    wrap_command(c(x$command$program, x$command$arguments)), "",
    head(paste0("Ran ", format_duration(ran$wall_s), " (", format_duration(ran$cpu_s),
                " of CPU time), ", status)),
    if (length(lines)) paste0("  | ", lines) else "  it printed nothing", "",
    head("Files that appeared"),
    if (nrow(x$files)) rbind(paste0("  ", x$files$path),
                             paste0("    ", format(x$files$bytes, big.mark = ",", trim = TRUE),
                                    " bytes", ifelse(x$files$path == x$found_at,
                                                     ", the picture asked for", "")))
    else "  none", "",
    head("What the profile reads"),
    if (nrow(x$reads)) read_lines(x) else
    "  nothing yet: wall time, CPU time and memory are taken without it",
    if (!nrow(x$reads)) suggested_lines(ran$text), "",
    head(if (good) "Good: a trial like this one would be measured" else
      paste0("Not good: a trial like this one would be kept as ", gsub("_", " ", x$judged$status))),
    if (!is.null(x$judged$note))
    paste0("  ", wrap_lines(x$judged$note, terminal_width() - 2, indent = 0)),
    if (length(x$picture)) paste0("  picture: ", x$picture))
}

# Patterns that would find the times, sizes and counts of an output, for `reads`.
suggested_lines <- function(text, most = 5) {
  lines <- unique(trimws(strsplit(text, "\n", fixed = TRUE)[[1]]))
  number <- paste0("([A-Za-z][A-Za-z :=]{2,30}?[ :=]+)([0-9]+[.,]?[0-9]*) ",
                   "*(s|sec|secs|seconds|MB|rays|samples)?\\b")
  hits <- regmatches(lines, regexec(number, lines, perl = TRUE))
  hits <- utils::tail(hits[lengths(hits) > 0], most)
  if (!length(hits)) return(NULL)
  patterns <- vapply(hits, function(h) {
    paste0(gsub("([][(){}.*+?^$|\\\\])", "\\\\\\1", h[2]), "([0-9.,]+)",
           if (nzchar(h[4])) paste0(" *", h[4]))
  }, "")
  c(paste0(
    "  ", wrap_lines(
    paste("These would find a number, to be put under load_s, compute_s, work, peak_mem_mb or",
          "samples_done in `reads`:"), terminal_width() - 2, indent = 0)),
    paste0("    '", unique(patterns), "'"))
}

read_lines <- function(x) {
  found <- ifelse(is.na(x$reads$found), "nothing", plain_numbers(x$reads$found))
  wide <- max(nchar(x$reads$target)) + 2
  paste0("  ", pad_text(x$reads$target, wide), pad_text(found, max(nchar(found)) + 2), "by ",
         x$reads$pattern)
}

plain_numbers <- function(x) vapply(x, plain_number, "")

# The words of a command as they could be typed, broken between words.
wrap_command <- function(words, width = terminal_width()) {
  plain <- grepl("^[A-Za-z0-9_./:=,+@%^-]+$", words)
  words[!plain] <- shQuote(words[!plain], "sh")
  lines <- character()
  line <- paste0("  ", words[1])
  for (word in words[-1]) {
    if (nchar(line, "width") + nchar(word, "width") + 3 > width) {
      lines <- c(lines, paste0(line, " \\"))
      line <- paste0("    ", word)
    } else line <- paste(line, word)
  }
  c(lines, line)
}
