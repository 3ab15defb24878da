# Conditions: every error says what is wrong, where, and what to write instead.

# Signals an error of class `clockpigeon_error_<topic>`. `what` is a clause ("got 'x', which ..."),
# `where` a file and field or an argument, `instead` a full sentence. Programs read the class and
# the fields, people the message.
stop_input <- function(topic, what, where = NULL, instead = NULL, parent = NULL) {
  # All three are cleaned: outside text may contain control characters or fill pages.
  what <- shown_text(what, 600)
  if (length(where)) where <- shown_text(where, 300)
  if (length(instead)) instead <- shown_text(instead, 1200)
  text <- paste0(if (length(where)) paste0(where, ": "), what, ".",
                 if (length(instead)) paste0(" ", instead))
  stop(structure(
    class = c(paste0("clockpigeon_error_", topic), "clockpigeon_error", "error", "condition"),
    list(message = text, call = public_call(), topic = topic, what = what, where = where,
         instead = instead, parent = parent)
  ))
}

# The call of the function that the user called, by name alone: its arguments may be whole tables.
# NULL under the command line, where what the user typed is in the message.
public_call <- function() {
  space <- topenv()
  ours <- Filter(function(i) identical(topenv(environment(sys.function(i))), space),
                 seq_len(sys.nframe()))
  if (!length(ours)) return(NULL)
  name <- sys.call(ours[1])[[1]]
  if (is.call(name)) name <- name[[length(name)]]
  if (is.symbol(name) && as.character(name) != "cli") as.call(list(name))
}

# Location of an argument, for the messages of public functions.
argument <- function(name) paste0("argument `", name, "`")

# Shows a value in a message: short, quoted, never more than one line.
show_value <- function(x) {
  if (is.null(x)) return("nothing")
  if (is.list(x)) return("a list")
  if (is.function(x) || is.environment(x)) return(paste("a", class(x)[1]))
  text <- shown_text(paste(utils::head(x, 20), collapse = ", "))
  if (is.character(x)) paste0("'", text, "'") else text
}

# An error in one line that keeps its cause: its message, the function that refused, and the errors
# that led to it.
error_words <- function(e) {
  words <- character()
  for (depth in 1:5) {
    said <- trimws(strsplit(conditionMessage(e), "\n", fixed = TRUE)[[1]][1])
    name <- if (!inherits(e, "clockpigeon_error") && is.call(conditionCall(e)))
      deparse(conditionCall(e)[[1]])[1]
    words <- c(words, paste0(said, if (length(name)) paste0(" (in ", name, ")")))
    e <- e$parent
    if (!inherits(e, "condition")) break
  }
  paste(words, collapse = "; caused by: ")
}

# Texts as a terminal may have them: without control characters but line ends and tabs, and without
# escape sequences but the styles that we set ourselves (bold, faint, italic, underlined, colours of
# the foreground).
printable_text <- function(text) {
  text <- as.character(text)
  odd <- !is.na(text) & grepl("[^\\x20-\\x7e\n]", text, perl = TRUE, useBytes = TRUE)
  if (!any(odd)) return(text)
  keep <- iconv(enc2utf8(text[odd]), "UTF-8", "UTF-8", sub = "?")
  keep[!validUTF8(keep)] <- gsub("[^\\x09\\x0a\\x20-\\x7e]", "?", keep[!validUTF8(keep)],
                                 perl = TRUE, useBytes = TRUE)
  style <- "\033(?!\\[([01234]|2[234]|3[0-79]|9[0-7]|38;5;[0-9]{1,3})?(;[0-9]{1,3})*m)"
  keep <- gsub(style, "?", keep, perl = TRUE)
  steers <- paste0("[\u0001-\u0008\u000b-\u001a\u001c-\u001f\u007f-\u009f",
                   "\u200e\u200f\u202a-\u202e\u2066-\u2069]")
  keep <- gsub(steers, "?", keep, perl = TRUE)
  text[odd] <- keep
  text
}

# A text from outside as it is shown: one line, control characters and odd bytes escaped, cut at 80
# characters.
shown_text <- function(text, most = 80) {
  text <- substr(iconv(enc2utf8(text), "UTF-8", "UTF-8", sub = "byte"), 1, 4 * most)
  if (grepl("[[:cntrl:]]", text)) {
    text <- gsub("\t", "\\t",
                 gsub("\r", "\\r", gsub("\n", "\\n", text, fixed = TRUE), fixed = TRUE),
                 fixed = TRUE)
    for (odd in unique(regmatches(text, gregexpr("[[:cntrl:]]", text))[[1]])) {
      text <- gsub(odd, sprintf("\\x%02x", utf8ToInt(odd)), text, fixed = TRUE)
    }
  }
  if (nchar(text) > most) paste0(substr(text, 1, most - 3), "...") else text
}

# The candidates as a phrase: "a", "a or b", "a, b or c".
either <- function(x) {
  if (length(x) < 2) return(paste0(x))
  paste(paste(x[-length(x)], collapse = ", "), "or", x[length(x)])
}

# The candidate closest to a misspelt word, or NULL when none is close.
closest <- function(word, candidates) {
  if (!length(candidates)) return(NULL)
  far <- utils::adist(word, candidates, ignore.case = TRUE)[1, ]
  if (min(far) <= max(1, nchar(word) %/% 3)) candidates[which.min(far)]
}

# Require a package that only some features need.
need_package <- function(package, what) {
  if (!requireNamespace(package, quietly = TRUE)) {
    stop_input("package", paste0(what, " need the package ", package, ", which is not installed"),
               instead = paste0("Install it: install.packages(\"", package, "\")."))
  }
}

# Options given as a list, by the function that checks them.
option_list <- function(given, make, name) {
  odd <- setdiff(names(given), names(formals(make)))
  if (!is.list(given) || length(given) && is.null(names(given)) || length(odd)) {
    stop_input("field", if (length(odd)) paste0("unknown option `", odd[1], "`") else
               paste("got", show_value(given)),
               argument(name),
               paste0("Give a list with any of ", toString(names(formals(make))), "."))
  }
  given
}

# Options that an argument holds: an object that `make` made, a list of its arguments, or NULL for
# the defaults.
option_object <- function(given, name, make, class = paste0("cp_", name)) {
  if (inherits(given, class)) return(given)
  do.call(make, if (is.null(given)) list() else option_list(given, make, name))
}

# Folder and file: enough to find it, short enough to read.
short_path <- function(path) {
  if (grepl("^[a-z]+://", path)) return(path)
  folder <- basename(dirname(path))
  if (folder %in% c(".", "")) basename(path) else file.path(folder, basename(path))
}

# Full path with plain slashes on every system.
real_path <- function(path) normalizePath(path, winslash = "/", mustWork = FALSE)
