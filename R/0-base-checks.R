# Checks: each returns its value or throws. `where` says whose value it is.

check_text <- function(x, where) {
  if (!is.character(x) || length(x) != 1 || is.na(x) || !nzchar(trimws(x))) {
    stop_input("type", paste("got", show_value(x)), where, "Write one text that is not empty.")
  }
  x
}

# A name of something: it becomes part of file names, here and on other systems, so that nothing in
# it may lead to another folder, mean something to a shell, or be refused there.
check_name <- function(x, where) {
  x <- check_text(x, where)
  refuse <- function(why) {
    stop_input("name", paste0("got ", show_value(x), ", which ", why), where,
               "Write letters, digits, spaces, dots, dashes and underscores.")
  }
  if (!validUTF8(x)) refuse("is no UTF-8")
  if (grepl("[[:cntrl:]]", x)) refuse("has a control character in it")
  if (grepl("[/\\:*?\"<>|]", x)) refuse("cannot be part of a file's name")
  if (grepl("^[. ~-]|[. ]$", x))
    refuse("begins with a dot, a dash, a tilde or a space, or ends in a dot or a space")
  if (nchar(x, "bytes") > 100) refuse("is longer than 100 bytes")
  kept <- "^(con|prn|aux|nul|com[0-9]|lpt[0-9])([.]|$)"
  if (grepl(kept, x, ignore.case = TRUE)) refuse("some systems keep for devices")
  x
}

check_texts <- function(x, where) {
  if (is.list(x)) x <- unlist(x)
  if (!is.character(x) || !length(x) || anyNA(x) || !all(nzchar(x))) {
    stop_input("type", paste("got", show_value(x)), where, "Write one text or a list of texts.")
  }
  x
}

check_number <- function(x, where, least = -Inf, most = Inf, above = -Inf) {
  good <- is.numeric(x) && length(x) == 1 && is.finite(x) && x >= least && x <= most && x > above
  if (!good) {
    stop_input("type", paste("got", show_value(x)), where,
               paste0("Write one number", bounds_text(least, most, above), "."))
  }
  as.numeric(x)
}

check_count <- function(x, where, least = 1, most = 1e9) {
  good <- is.numeric(x) && length(x) == 1 && is.finite(x) && x == round(x) && x >= least &&
    x <= most
  if (!good) {
    stop_input("type", paste("got", show_value(x)), where,
               paste0("Write one whole number", bounds_text(least, most), "."))
  }
  as.integer(x)
}

check_counts <- function(x, where, least = 1, most = 1e9) {
  x <- unlist(x)
  if (!length(x)) stop_input("type", "got nothing", where, "Write whole numbers.")
  vapply(x, check_count, 0L, where = where, least = least, most = most, USE.NAMES = FALSE)
}

check_flag <- function(x, where) {
  if (!is.logical(x) || length(x) != 1 || is.na(x)) {
    stop_input("type", paste("got", show_value(x)), where, "Write true or false.")
  }
  x
}

check_choice <- function(x, where, choices) {
  if (!is.character(x) || length(x) != 1 || is.na(x) || !x %in% choices) {
    near <- if (is.character(x) && length(x) == 1 && !is.na(x)) closest(x, choices)
    stop_input("choice", paste("got", show_value(x)), where,
               paste0("Write ", either(choices), ".",
                      if (length(near)) paste0(" Did you mean ", near, "?")))
  }
  x
}

check_class <- function(x, where, class, made_by) {
  if (!inherits(x, class)) {
    stop_input("type", paste("got", a_kind(x)), where, paste0("Give what ", made_by, " returns."))
  }
  x
}

check_columns <- function(x, where, columns) {
  if (!is.data.frame(x)) stop_input("type", paste("got", a_kind(x)), where, "Give a data frame.")
  lost <- setdiff(columns, names(x))
  if (length(lost)) {
    stop_input("columns", paste("has no column", either(lost)), where,
               paste0("It needs ", toString(columns), "."))
  }
  x
}

# Numbers that are times: finite, above zero.
check_seconds <- function(x, where) {
  if (!is.numeric(x) || !length(x) || !all(is.finite(x)) || any(x <= 0)) {
    stop_input("type", paste("got", show_value(utils::head(x[!is.finite(x) | x <= 0], 3))), where,
               "Write seconds, each finite and above 0.")
  }
  as.numeric(x)
}

bounds_text <- function(least, most, above = -Inf) {
  if (above > -Inf && most < Inf) return(paste(" above", above, "and at most", most))
  if (above > -Inf) return(paste(" above", above))
  if (least > -Inf && most < Inf && most < 1e9) return(paste(" from", least, "to", most))
  if (least > -Inf) return(paste(" of at least", least))
  ""
}

a_kind <- function(x) paste("an object of class", class(x)[1])
