# Templates: texts with {fields}, as profiles and shots write them.
#
# In braces stands a name, or arithmetic of names and numbers (+ - * / ^, sqrt, log2, floor,
# ceiling, round); behind it, after colons, how it is padded (04: with zeros to four digits) and
# what stands in where there is no value ({threads:1}). {{ and }} are the braces themselves.

template_pieces <- "\\{\\{|\\}\\}|\\{[^{}]*\\}"
template_functions <- c("+", "-", "*", "/", "^", "(", "sqrt", "log2", "floor", "ceiling", "round")

# A text's pieces, in order: texts, and fields as list(of, names, width, default). `of` is a name or
# a call of the arithmetic; what is neither is an error.
parse_template <- function(text, where) {
  found <- regmatches(text, gregexpr(template_pieces, text))[[1]]
  plain <- regmatches(text, gregexpr(template_pieces, text), invert = TRUE)[[1]]
  fields <- lapply(found, function(piece) {
    if (piece %in% c("{{", "}}")) substr(piece, 1, 1) else
      parse_field(substr(piece, 2, nchar(piece) - 1), where)
  })
  c(rbind(as.list(plain), c(fields, "")))
}

parse_field <- function(inside, where) {
  parts <- strsplit(paste0(inside, ":"), ":", fixed = TRUE)[[1]]
  of <- template_arithmetic(trimws(c(parts, "")[1]), inside, where)
  rest <- parts[-1]
  width <- if (length(rest) && grepl("^0[1-9][0-9]?$", rest[1])) as.integer(rest[1])
  if (length(width)) rest <- rest[-1]
  default <- if (length(rest)) paste(rest, collapse = ":") else if (grepl(":$", inside)) ""
  list(of = of, names = setdiff(all.names(of), template_functions), width = width,
       default = default)
}

# The arithmetic in braces as a call that contains only numbers, names and the functions above.
template_arithmetic <- function(text, inside, where) {
  if (grepl("^[A-Za-z_][A-Za-z0-9_]*$", text)) return(as.name(text))
  refuse <- function() {
    stop_input("template", paste0("cannot read ", show_value(paste0("{", inside, "}"))), where,
               paste0("Write a field such as {frame}, {frame:04}, {threads:1}, {frame-1} or ",
                      "{log2(samples)}."))
  }
  if (!grepl("^[-A-Za-z0-9_.+*/^() ]+$", text)) refuse()
  call <- tryCatch(str2lang(text), error = function(e) refuse())
  if (!is_arithmetic(call)) refuse()
  call
}

is_arithmetic <- function(call) {
  if (is.numeric(call) || is.name(call)) return(TRUE)
  is.call(call) && is.name(call[[1]]) && as.character(call[[1]]) %in% template_functions &&
    all(vapply(as.list(call)[-1], is_arithmetic, NA))
}

# The fields that texts name; `needed`: without those that have a default.
template_names <- function(texts, needed = FALSE, where = NULL) {
  pieces <- unlist(lapply(unlist(texts), parse_template, where = where), recursive = FALSE)
  fields <- Filter(is.list, pieces)
  if (needed) fields <- Filter(function(f) is.null(f$default), fields)
  unique(unlist(lapply(fields, `[[`, "names")))
}

# A text with its fields filled from a list of texts or numbers; NULL when one is needed and not
# there.
fill_template <- function(text, values, where = NULL) {
  pieces <- lapply(parse_template(text, where), function(piece) {
    if (is.list(piece)) fill_field(piece, values, where) else piece
  })
  if (any(lengths(pieces) == 0)) NULL else paste(unlist(pieces), collapse = "")
}

fill_field <- function(field, values, where) {
  if (!all(field$names %in% names(values))) return(field$default)
  value <- if (is.name(field$of)) values[[field$names]] else {
    plain_number(template_value(field$of, values, where))
  }
  pad_number(plain_number(value), field$width)
}

# Result of the arithmetic. A field in it that is not a number is an error.
template_value <- function(call, values, where = NULL) {
  numbers <- lapply(values[all.names(call, functions = FALSE)],
                    function(v) suppressWarnings(as.numeric(v)))
  lost <- names(Filter(anyNA, numbers))
  if (length(lost)) {
    stop_input("template", paste0("reckons with {", lost[1], "}, which is ",
                                  show_value(values[[lost[1]]])), where,
               "Reckon with numbers only.")
  }
  value <- suppressWarnings(eval(call, numbers, baseenv()))
  if (!all(is.finite(value))) {
    stop_input("template", paste0("{", paste(deparse(call), collapse = " "),
                                  "} gives no number for ",
                                  toString(paste(names(numbers), numbers, sep = " = "))), where,
               "Compute with those.")
  }
  value
}

plain_number <- function(x) if (is.numeric(x))
  format(x, scientific = FALSE, digits = 15, trim = TRUE) else x

# A whole number with zeros in front, to a width.
pad_number <- function(text, width) {
  if (is.null(width) || !grepl("^-?[0-9]+$", text)) return(text)
  sign <- if (startsWith(text, "-")) "-" else ""
  digits <- sub("^-", "", text)
  paste0(sign, strrep("0", max(0, width - nchar(digits) - nchar(sign))), digits)
}
