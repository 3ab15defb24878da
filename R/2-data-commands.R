# Commands in files: argument vectors, environments and the patterns that read an output.

# The fields that a trial fills.
trial_fields <- c("scene", "shot", "frame", "width", "height", "samples", "noise", "time_s",
                  "threads", "band_first", "band_last", "seed", "output", "stem", "output_folder",
                  "scene_folder", "project", "version")

# The argument vector: texts, or lists of texts that stand or fall together.
arguments_field <- function(x, where) {
  if (is.character(x)) x <- as.list(x)
  lapply(seq_along(x), function(i) check_texts(x[[i]], paste0(where, "[", i, "]")))
}

# Texts by name, such as variables of the environment.
named_texts <- function(x, where) {
  if (!is.list(x) || is.null(names(x)) || !all(nzchar(names(x)))) {
    stop_input("type", paste("got", show_value(x)), where, "Write `NAME: text` for each.")
  }
  Map(function(text, name) if (identical(text, "")) "" else
      check_text(plain_number(text), paste0(where, "$", name)),
      x, names(x))
}

# A regular expression with one group in parentheses for each of `groups`.
pattern_field <- function(x, where, groups = c("one group in parentheses: the number" = 1)) {
  x <- check_text(x, where)
  found <- tryCatch(length(attr(regexpr(x, "", perl = TRUE), "capture.names")),
                    error = function(e) 0,
                    warning = function(w) 0)
  if (!found %in% groups) {
    stop_input("engine", paste0("got ", show_value(x)), where,
               paste0("Write a regular expression with ", paste(names(groups), collapse = ", or "),
                      "."))
  }
  x
}

# Types of fields.
an_argument_vector <- function() {
  field_type(arguments_field, c(list_schema(one_or_list(text_schema())), list(description = paste(
    "Fields in braces:", paste0("{", trial_fields, "}", collapse = " "),
    "and the names of features;",
    "{frame:04} pads, {threads:1} has a default, {frame-1} and {log2(samples)} reckon."
  ))))
}
an_environment <- function() field_type(named_texts, mapping_schema(text_schema()))
a_pattern <- function() field_type(pattern_field, text_schema())
