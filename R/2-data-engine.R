# Engine profiles: how to run a renderer from its command line and read what it says.

sequence_fields <- c("frames", "first", "last")
read_targets <- c("load_s", "compute_s", "samples_done", "work", "noise", "peak_mem_mb")

# Every field that texts name is one of `known`.
check_used_fields <- function(groups, known, where) {
  odd <- setdiff(template_names(groups, where = where), known)
  if (length(odd)) {
    near <- closest(odd[1], known)
    stop_input("engine", paste0("unknown field {", odd[1], "}"), where,
               paste0(if (length(near)) paste0("Did you mean {", near, "}? "),
                      "Fields are ", toString(paste0("{", known, "}")),
                      ", and names of `features`."))
  }
}

# Features: a name, and for each of its values the text it puts into the arguments ("" leaves its
# group out), or `any` when the value itself is that text.
features_field <- function(x, where) {
  if (!is.list(x) || is.null(names(x))) {
    stop_input("type", paste("got", show_value(x)), where,
               "Write `name: any`, or `name: {value: argument}`.")
  }
  Map(function(values, name) {
    at <- paste0(where, "$", name)
    if (name %in% trial_fields) {
      stop_input("engine", paste(name, "is a field of every trial"), at, "Choose another name.")
    }
    if (identical(values, "any")) return("any")
    if (!is.list(values) || is.null(names(values))) {
      stop_input("type", paste("got", show_value(values)), at,
                 "Write any, or `value: argument` for each value.")
    }
    lapply(values, function(text) if (identical(text, "")) "" else check_text(text, at))
  }, x, names(x))
}

# Columns of a timing, each with the key under which pictures say it.
metadata_field <- function(x, where) {
  if (!is.list(x) || is.null(names(x))) {
    stop_input("type", paste("got", show_value(x)), where, "Write `column: key` for each.")
  }
  for (name in names(x)) check_choice(name, where, names(timing_columns))
  Map(check_text, x, paste0(where, "$", names(x)))
}

# Text for each value of a limit that the engine supports: a map, or a formula in n and the n it
# holds for. list(known, texts), with rising values.
value_map_field <- function(x, where) {
  if (!is.list(x) || is.null(names(x))) {
    stop_input("type", paste("got", show_value(x)), where,
               "Write `value: text` for each, or `is: n^2` and `n: 1-16`.")
  }
  if ("is" %in% names(x)) {
    x <- check_fields(x, list(is = field(a_text(), required = TRUE),
                              n = field(a_text(), required = TRUE)), where)
    n <- parse_number_range(x$n, paste0(where, "$n"))
    call <- parse_field(x$is, where)
    if (!identical(call$names, "n"))
      stop_input("template", paste("got", show_value(x$is)), where, "Reckon with n.")
    known <- vapply(n, function(k) template_value(call$of, list(n = k), where), 0)
    texts <- plain_number(n)
  } else {
    known <- suppressWarnings(as.numeric(names(x)))
    texts <- vapply(x, function(text) check_text(plain_number(text), where), "", USE.NAMES = FALSE)
  }
  if (anyNA(known) || any(known <= 0) || anyDuplicated(known)) {
    stop_input("type", "has values that are no numbers above 0, or stand twice", where,
               "Write each number once.")
  }
  list(known = sort(known), texts = texts[order(known)])
}

value_maps_field <- function(x, where) {
  if (!is.list(x) || is.null(names(x))) {
    stop_input("type", paste("got", show_value(x)), where, "Write `samples: {4: \"2\", 9: \"3\"}`.")
  }
  for (name in names(x)) check_choice(name, where, mapped_fields)
  Map(value_map_field, x, paste0(where, "$", names(x)))
}
mapped_fields <- c("samples", "noise", "time_s", "threads")

# How the files that a scene needs are found in its text.
scan_fields <- function() list(
  comment = field(a_text()),
  ships = field(text_field(), default = character()),
  finds = field(records_of(list(kind = field(a_text(), required = TRUE),
                                pattern = field(a_pattern(), required = TRUE))),
                required = TRUE)
)

# Fields of an engine's profile.
engine_fields <- function() list(
  engine = field(a_name(), required = TRUE),
  about = field(a_text()),
  program = field(a_text(), required = TRUE),
  install = field(a_text()),
  arguments = field(an_argument_vector(), required = TRUE),
  environment = field(an_environment(), default = list()),
  folder = field(a_text()),
  values = field(value_maps(), default = list()),
  prepass = field(record_of(list(
    each = field(one_of("shot", "frame"), default = "shot"),
    program = field(a_text()),
    arguments = field(an_argument_vector(), required = TRUE),
    environment = field(an_environment(), default = list())
  ))),
  sequence = field(an_argument_vector()),
  version = field(record_of(list(ask = field(an_argument_vector(), required = TRUE),
                                 pattern = field(a_pattern(), required = TRUE)))),
  versions = field(versions_type()),
  limits = field(text_field(), required = TRUE),
  bands = field(a_flag(), default = FALSE),
  devices = field(device_setups(), default = list(cpu = NULL)),
  features = field(known_features(), default = list()),
  output = field(one_of("png", "pfm", "exr", "tiff"), default = "png"),
  output_as = field(a_text()),
  linear = field(one_of("pfm", "exr", "tiff")),
  log = field(record_of(list(frame = field(a_pattern(), required = TRUE),
                             wall = field(a_pattern())))),
  metadata = field(picture_keys()),
  scan = field(record_of(scan_fields())),
  reads = field(record_of(sapply(read_targets, function(target) field(a_pattern()),
                                 simplify = FALSE)),
                default = list())
)

#' Read an engine profile
#'
#' A profile says how to run a renderer from its command line and how to read what it prints; any
#' renderer that has a command line can be described.
#'
#' Fields of the file: `engine` (name), `about`, `program` (a program on the PATH, a full path, or
#' `built-in` for pebble), `install` (how to get it, for the message when it is missing),
#' `arguments` (the argument vector; an entry is a text or a list of texts, and an entry is left out
#' when a `{field}` in it has no value in the trial), `environment` (variables: `NAME: text`, left
#' out in the same way), `folder` (to run in, seen from the project; the project when absent),
#' `values` (which values of `samples`, `noise`, `time_s` or `threads` the engine can do, each with
#' what is written for it: `samples: {4: "2", 9: "3"}`, or by a formula
#' `samples: {is: "n^2", n: 1-16}`), `prepass` (a command that runs before frames, once for `each`
#' shot or frame: `arguments`, `environment`, and its `program` where it is another), `sequence`
#' (arguments that are added when many frames are rendered in one process, where the engine can:
#' `{frames}` is a frame set such as `1-120 by 6`, `{first}` and `{last}` its ends; `{frame}` then
#' has no value), `version` (`ask`: arguments, `pattern`: one group), `versions` (those that
#' `{version}` can select), `limits` it knows, `bands` (true or false), `devices` (kinds, or how to
#' select each, see below), `features` (settings that a plan may vary, such as denoising: each a
#' name with `any`, or with the argument that each value stands for), `output` (png, pfm, exr or
#' tiff), `output_as` (where the picture is found, when the engine names it itself:
#' `"{stem}{frame:03}.png"`), `linear` (the kind of float picture that it writes when the name of
#' the output ends so: what noise is measured on), `reads` (patterns, one group each, for `load_s`,
#' `compute_s`, `samples_done`, `work` (what the engine counts of its work, such as rays), `noise`,
#' `peak_mem_mb`), `log` (how a log of many frames is read: `frame`, a pattern for the line that
#' begins one, its group the number; `wall`, one for its time), `metadata` (columns of a timing,
#' each with the key under which a picture says it) and `scan` (how a text scene names files:
#' `finds`, a list of `kind` and `pattern`, its group the path; `comment`, a pattern of what to pass
#' over; `ships`, files that come with the engine). With `extend: povray` a profile is another one,
#' of this folder or of the package, with the fields that are written in it changed; in
#' `environment`, `values`, `features`, `reads` and the like only the entries written.
#'
#' No shell stands between: each argument reaches the program as it is.
#'
#' @section Fields in braces:
#' In `arguments`, `environment`, `folder`, `output_as` and `prepass`: `{scene}` (the file, or the
#' built-in scene), `{shot}`, `{frame}`, `{width}`, `{height}`, `{samples}`, `{noise}`, `{time_s}`,
#' `{threads}`, `{version}`, `{seed}`, `{band_first}` and `{band_last}` (rows, from 1), `{output}`
#' (full path of the picture), `{stem}` (the same without its ending), `{output_folder}`,
#' `{scene_folder}`, `{project}` (full paths), and the names of `features`. `{frame:04}` is padded
#' with zeros, `{threads:1}` has a default, and there may be arithmetic: `{frame-1}`, `{samples/4}`,
#' `{log2(samples)}` (+ - * / ^, sqrt, log2, floor, ceiling, round). `{{` and `}}` are braces.
#'
#' @section Devices: `devices: [cpu]` says which kinds an engine renders on. To render on selected
#' devices, state for each kind: `ask` (arguments that make it list them; `program` asks that
#' program instead), `pattern` (one group, the index of a device; or two, index and name), `use`
#' (arguments, `through` (a program and its arguments in front) and `environment`, in which
#' `{device_index}` is the index, or several with `join` between, and `{device_count}` their
#' number), `share` (arguments, with `{share}` in percent, for a part of a device) and `used` (a
#' pattern that finds in the output the index or name of the device that did the work).
#'
#' @param path A YAML file.
#' @return A list of class `cp_engine` with these fields.
#' @section Conditions: `clockpigeon_error_engine` for an unknown `{field}` or a pattern that is no
#'   regular expression with one group, `clockpigeon_error_template` for braces that cannot be read;
#'   `clockpigeon_error_field` and `clockpigeon_error_type` as for [read_shot()]. That the program
#'   exists is checked when it is run.
#' @examples
#' read_engine(system.file("engines", "pebble.yaml", package = "clockpigeon"))$limits
#' @export
read_engine <- function(path) {
  path <- check_text(path, argument("path"))
  engine <- read_record(path, engine_fields(), "cp_engine", extended_profile(path))
  where <- function(name) paste0(short_path(path), ", field `", name, "`")
  for (kind in engine$limits) check_choice(kind, where("limits"), names(limit_fields()))
  known <- c(trial_fields, names(engine$features))
  for (name in c("arguments", "environment", "folder", "output_as")) {
    check_used_fields(engine[[name]], known, where(name))
  }
  check_used_fields(engine$prepass[c("arguments", "environment")], known, where("prepass"))
  check_used_fields(engine$sequence, sequence_fields, where("sequence"))
  check_used_fields(engine$version$ask, known, where("version"))
  for (kind in names(engine$devices)) {
    way <- engine$devices[[kind]]
    check_used_fields(way[c("use", "through", "environment", "share")],
                      c(device_fields_in_braces, known),
                      paste0(where("devices"), "$", kind))
  }
  if (is.null(engine$versions) && "version" %in% template_names(engine$arguments, needed = TRUE)) {
    stop_input("engine", "arguments hold {version}", short_path(path),
               "List the `versions` that can be asked for.")
  }
  engine
}

# A profile as it is written; one that extends another, that one with its own fields in their
# places.
extended_profile <- function(path, seen = character()) {
  own <- read_yaml_file(path)
  if (!is.list(own) || is.null(own$extend)) return(own)
  where <- paste0(short_path(path), ", field `extend`")
  base <- check_text(own$extend, where)
  found <- c(file.path(dirname(path), paste0(base, c(".yaml", ".yml"))),
             system.file("engines", paste0(base, ".yaml"), package = "clockpigeon"))
  found <- setdiff(real_path(found[file.exists(found)]), c(seen, real_path(path)))
  if (!length(found)) {
    shipped <- sub("\\.yaml$", "", list.files(system.file("engines", package = "clockpigeon")))
    stop_input("engine", paste("there is no profile", show_value(base), "to extend"), where,
               paste0("Write the name of a profile in this folder, or ", either(shipped), "."))
  }
  below <- extended_profile(found[1], c(seen, real_path(path)))
  own$extend <- NULL
  for (name in names(own)) {
    both <- is.list(below[[name]]) && length(names(below[[name]])) && is.list(own[[name]])
    if (both) below[[name]][names(own[[name]])] <- own[[name]] else below[[name]] <- own[[name]]
  }
  below
}

# The values of a limit that an engine can do; NULL when it says of none.
possible_values <- function(engine, name) engine$values[[name]]$known

# The nearest of them that is at least `x`, or the largest; `x` where all can be done.
possible_count <- function(engine, x, name = "samples") {
  known <- possible_values(engine, name)
  if (is.null(known)) return(x)
  vapply(x, function(v) if (is.na(v)) v else c(known[known >= v * (1 - 1e-9)], max(known))[1], 0)
}

# The full path of an engine's program, or an error that says how to get it.
engine_program <- function(engine) {
  found <- find_program(engine$program)
  if (!nzchar(found)) {
    stop_input("engine", paste0("the program ", show_value(engine$program),
                                " is not installed or not on the PATH"),
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
value_maps <- function() field_type(value_maps_field, function() {
  list(type = "object", propertyNames = list(enum = I(mapped_fields)),
       additionalProperties = list(type = "object"))
})
known_features <- function() {
  field_type(features_field,
             mapping_schema(list(anyOf = list(list(const = "any"), mapping_schema(text_schema())))))
}
picture_keys <- function() field_type(metadata_field, mapping_schema(text_schema()))

parse_number_range <- function(text, where) {
  ends <- suppressWarnings(as.numeric(strsplit(text, "-", fixed = TRUE)[[1]]))
  if (length(ends) != 2 || anyNA(ends) || ends[1] > ends[2] || diff(ends) > 1e4)
    stop_input("type", paste("got", show_value(text)), where, "Write whole numbers as 0-12.")
  seq(ends[1], ends[2])
}
