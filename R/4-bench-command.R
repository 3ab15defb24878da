# Commands: a trial and a profile become an argument vector, and what the engine printed becomes numbers.

# Values of the fields of an argument vector, as text; NULL for those this trial does not have. Whole numbers are
# written plainly.
trial_values <- function(trial, output, seed = 1, features = list()) {
  values <- c(trial[setdiff(trial_fields, c("seed", "output"))], list(seed = seed, output = output), features)
  values <- Filter(function(v) length(v) && !is.na(v), values)
  lapply(values, function(v) if (is.numeric(v)) format(v, scientific = FALSE, digits = 15, trim = TRUE) else v)
}

# Fills the groups of an argument vector; a group that needs a value the trial does not have is left out.
fill_arguments <- function(groups, values) {
  unlist(lapply(groups, function(group) {
    needs <- used_fields(group)
    if (!all(needs %in% names(values))) return(NULL)
    for (name in unique(needs)) group <- gsub(paste0("{", name, "}"), values[[name]], group, fixed = TRUE)
    group
  }))
}

# A trial's features as the texts they put into the arguments; a value that the engine does not know is an error.
feature_texts <- function(engine, features) {
  texts <- Map(function(value, name) {
    known <- engine$features[[name]]
    if (is.null(known)) stop_input("feature", paste0(engine$engine, " knows no feature ", name))
    if (identical(known, "any")) return(value)
    if (!value %in% names(known)) stop_input("feature", paste0(engine$engine, " knows no ", name, " ", value))
    known[[value]]
  }, features, names(features))
  Filter(nzchar, texts)
}

# The numbers that a profile's patterns find in an engine's output; the last match counts. NA when there is none.
parse_output <- function(text, patterns) {
  found <- stats::setNames(rep(NA_real_, length(read_targets)), read_targets)
  for (name in names(Filter(length, patterns))) {
    hits <- regmatches(text, gregexpr(patterns[[name]], text, perl = TRUE))[[1]]
    if (!length(hits)) next
    group <- regmatches(hits[length(hits)], regexec(patterns[[name]], hits[length(hits)], perl = TRUE))[[1]][2]
    found[[name]] <- suppressWarnings(as.numeric(group))
  }
  found
}

# What is wrong with a picture file; NULL when nothing is. The ends of the file are looked at, not the pixels.
picture_fault <- function(path, kind) {
  size <- file.size(path)
  if (is.na(size)) return("wrote no picture")
  if (size == 0) return("wrote an empty picture")
  if (!identical(told_kind(path), kind)) return(paste("wrote a file that is no", toupper(kind)))
  if (kind == "png") {
    file <- file(path, "rb")
    on.exit(close(file))
    seek(file, max(0, size - 12))
    if (!identical(readBin(file, "raw", 12)[5:8], charToRaw("IEND"))) return("wrote a picture that is cut off")
  }
  NULL
}
