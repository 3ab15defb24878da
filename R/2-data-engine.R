# Engine profiles: how to run a renderer from its command line and read what it says.

trial_fields <- c("scene", "frame", "width", "height", "samples", "noise", "time_s", "threads",
                  "band_first", "band_last", "seed", "output", "version")
sequence_fields <- c("frames", "first", "last")
read_targets <- c("load_s", "compute_s", "samples_done", "work", "noise", "peak_mem_mb")

# The argument vector: texts, or lists of texts that stand or fall together.
arguments_field <- function(x, where) {
  if (is.character(x)) x <- as.list(x)
  lapply(seq_along(x), function(i) check_texts(x[[i]], paste0(where, "[", i, "]")))
}

# The names in braces in an argument vector.
used_fields <- function(groups) {
  unlist(regmatches(unlist(groups), gregexpr("(?<=\\{)[^{}]*(?=\\})", unlist(groups), perl = TRUE)))
}

check_used_fields <- function(groups, known, where) {
  odd <- setdiff(used_fields(groups), known)
  if (length(odd)) {
    stop_input("engine", paste0("unknown field {", odd[1], "}"), where,
               paste0("Fields are ", toString(paste0("{", known, "}")), ", and names of `features`."))
  }
}

# Features: a name, and for each of its values the text it puts into the arguments ("" leaves its group out), or `any`
# when the value itself is that text.
features_field <- function(x, where) {
  if (!is.list(x) || is.null(names(x))) {
    stop_input("type", paste("got", show_value(x)), where, "Write `name: any`, or `name: {value: argument}`.")
  }
  Map(function(values, name) {
    at <- paste0(where, "$", name)
    if (name %in% trial_fields) {
      stop_input("engine", paste(name, "is a field of every trial"), at, "Choose another name.")
    }
    if (identical(values, "any")) return("any")
    if (!is.list(values) || is.null(names(values))) {
      stop_input("type", paste("got", show_value(values)), at, "Write any, or `value: argument` for each value.")
    }
    lapply(values, function(text) if (identical(text, "")) "" else check_text(text, at))
  }, x, names(x))
}

pattern_field <- function(x, where) {
  x <- check_text(x, where)
  groups <- tryCatch(length(attr(regexpr(x, "", perl = TRUE), "capture.names")), error = function(e) 0,
                     warning = function(w) 0)
  if (groups != 1) {
    stop_input("engine", paste0("got ", show_value(x)), where,
               "Write a regular expression with one group in parentheses: the number.")
  }
  x
}

# Columns of a timing, each with the key under which pictures say it.
metadata_field <- function(x, where) {
  if (!is.list(x) || is.null(names(x))) {
    stop_input("type", paste("got", show_value(x)), where, "Write `column: key` for each.")
  }
  for (name in names(x)) check_choice(name, where, names(timing_columns))
  Map(check_text, x, paste0(where, "$", names(x)))
}

engine_fields <- function() list(
  engine = field(a_text(), required = TRUE),
  about = field(a_text()),
  program = field(a_text(), required = TRUE),
  install = field(a_text()),
  arguments = field(an_argument_vector(), required = TRUE),
  sequence = field(an_argument_vector()),
  version = field(record_of(list(ask = field(an_argument_vector(), required = TRUE),
                                 pattern = field(a_pattern(), required = TRUE)))),
  versions = field(some_versions()),
  limits = field(texts(), required = TRUE),
  bands = field(a_flag(), default = FALSE),
  devices = field(texts(), default = "cpu"),
  features = field(known_features(), default = list()),
  output = field(one_of("png", "pfm", "exr", "tiff"), default = "png"),
  linear = field(one_of("pfm", "exr", "tiff")),
  log = field(record_of(list(frame = field(a_pattern(), required = TRUE), wall = field(a_pattern())))),
  metadata = field(picture_keys()),
  scan = field(record_of(list(
    comment = field(a_text()),
    ships = field(texts(), default = character()),
    finds = field(records_of(list(kind = field(a_text(), required = TRUE),
                                  pattern = field(a_pattern(), required = TRUE))),
                  required = TRUE)
  ))),
  reads = field(record_of(sapply(read_targets, function(target) field(a_pattern()), simplify = FALSE)),
                default = list())
)

#' Read an engine profile
#'
#' A profile says how to run a renderer from its command line and how to read what it prints; any renderer that has a
#' command line can be described.
#'
#' Fields of the file: `engine` (name), `about`, `program` (a program on the PATH, a full path, or `built-in` for
#' pebble), `install` (how to get it, for the message when it is missing), `arguments` (the argument vector; an entry is
#' a text or a list of texts, and an entry is left out when a `{field}` in it has no value in the trial), `sequence`
#' (arguments that are added when many frames are rendered in one process, where the engine can: `{frames}` is a frame
#' set such as `1-120 by 6`, `{first}` and `{last}` its ends; `{frame}` then has no value), `version` (`ask`: arguments,
#' `pattern`: one group), `versions` (those that can be asked for through `{version}`), `limits` it knows, `bands` (true
#' or false), `devices`, `features` (settings that a plan may vary, such as denoising: each a name with `any`, or with
#' the argument that each value stands for), `output` (png, pfm, exr or tiff), `linear` (the kind of float picture that
#' it writes when the name of the output ends so: what noise is measured on), `reads` (patterns, one group each, for
#' `load_s`, `compute_s`, `samples_done`, `work` (what the engine counts of its work, such as rays), `noise`,
#' `peak_mem_mb`), `log` (how a log of many frames is read: `frame`, a pattern for the line that begins one, its group
#' the number; `wall`, one for its time), `metadata` (columns of a timing, each with the key under which a picture says
#' it) and `scan` (how a text scene names files: `finds`, a list of `kind` and `pattern`, its group the path; `comment`,
#' a pattern of what to pass over; `ships`, files that come with the engine).
#'
#' No shell stands between: each argument reaches the program as it is.
#'
#' @param path A YAML file.
#' @return A list of class `cp_engine` with these fields.
#' @section Conditions: `clockpigeon_error_engine` for an unknown `{field}` or a pattern that is no regular expression
#'   with one group; `clockpigeon_error_field` and `clockpigeon_error_type` as for [read_shot()]. That the program
#'   exists is checked when it is run.
#' @examples
#' read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))$limits
#' @export
read_engine <- function(path) {
  engine <- read_record(path, engine_fields(), "cp_engine")
  where <- paste0(short_path(path), ", field `limits`")
  for (kind in engine$limits) check_choice(kind, where, names(limit_fields()))
  known <- c(trial_fields, names(engine$features))
  check_used_fields(engine$arguments, known, paste0(short_path(path), ", field `arguments`"))
  check_used_fields(engine$sequence, sequence_fields, paste0(short_path(path), ", field `sequence`"))
  check_used_fields(engine$version$ask, known, paste0(short_path(path), ", field `version`"))
  if (is.null(engine$versions) && any(grepl("{version}", unlist(engine$arguments), fixed = TRUE))) {
    stop_input("engine", "arguments hold {version}", short_path(path), "List the `versions` that can be asked for.")
  }
  engine
}

# The full path of an engine's program, or an error that says how to get it.
engine_program <- function(engine) {
  found <- find_program(engine$program)
  if (!nzchar(found)) {
    stop_input("engine", paste0("the program ", show_value(engine$program), " is not installed or not on the PATH"),
               paste0(short_path(attr(engine, "path")), ", field `program`"),
               paste0("Install it", if (length(engine$install)) paste0(" (", engine$install, ")"),
                      ", or write its full path."))
  }
  found
}

find_program <- function(program) {
  if (program == "built-in") {
    name <- if (.Platform$OS.type == "windows") "pebble.exe" else "pebble"
    return(system.file("bin", name, package = "clockpigeon"))
  }
  if (!grepl("[/\\\\]", program)) return(unname(Sys.which(program)))
  if (file.access(program, 1) == 0) program else ""
}

# Types of its fields.
an_argument_vector <- function() field_type(arguments_field, list_schema(one_or_list(text_schema())))
a_pattern <- function() field_type(pattern_field, text_schema())
known_features <- function() {
  field_type(features_field, mapping_schema(list(anyOf = list(list(const = "any"), mapping_schema(text_schema())))))
}
picture_keys <- function() field_type(metadata_field, mapping_schema(text_schema()))
