# Commands: a trial and a profile become an argument vector, and what the engine printed becomes
# numbers.

# Values of the fields of a profile, as text; those that this trial does not have are not there.
# Whole numbers are written plainly, limits as the profile's `values` say. `output`: full path of
# the picture, `root` of the project.
trial_values <- function(trial, engine, output, root, seed = 1, features = list()) {
  own <- trial[setdiff(intersect(trial_fields, names(trial)), c("scene", "seed"))]
  own <- Filter(function(v) length(v) && !is.na(v), own)
  scene <- fill_template(or_else(trial$scene_file, trial$scene),
                         c(own, list(engine = engine$engine)))
  at <- file.path(root, scene)
  if (is_absolute(scene)) at <- scene
  # Elsewhere than in the project a path that is seen from there would lead nowhere.
  if (length(engine$folder) && file.exists(at)) scene <- at
  for (name in intersect(names(engine$values), names(own)))
    own[[name]] <- mapped_value(engine, name, own[[name]])
  values <- c(own, list(scene = scene, seed = seed, output = output,
                        stem = sub("\\.[^.]*$", "", output), output_folder = dirname(output),
                        scene_folder = dirname(at), project = root), features)
  lapply(values, plain_number)
}

# Text of a profile for a value; NULL if the engine cannot do it.
mapped_value <- function(engine, name, value) {
  map <- engine$values[[name]]
  at <- which(abs(map$known - value) <= 1e-9 * map$known)
  if (length(at)) map$texts[at[1]]
}

# Why an engine cannot do a trial's limit or threads, in words; NULL when it can.
value_trouble <- function(engine, trial) {
  for (name in names(engine$values)) {
    value <- null_if_na(or_else(trial[[name]], NA))
    if (length(value) && is.null(mapped_value(engine, name, value))) {
      known <- plain_number(possible_values(engine, name))
      shown <- if (length(known) > 8) c(utils::head(known, 6), "...", utils::tail(known, 1)) else
        known
      what <- if (name == "samples") " samples" else paste0(" as ", name)
      return(paste0(engine$engine, " can do ", either(shown), what, ", not ", plain_number(value)))
    }
  }
}

# Fills the groups of an argument vector; a group that needs a value the trial does not have is left
# out.
fill_arguments <- function(groups, values) {
  unlist(lapply(groups, function(group) {
    filled <- lapply(group, fill_template, values)
    if (any(lengths(filled) == 0)) NULL else unlist(filled)
  }))
}

# Variables of the environment; those that need a value the trial does not have are left out.
fill_environment <- function(texts, values)
  unlist(Filter(length, lapply(texts, fill_template, values)))

# All that a process of the engine is started with. `asked`: the devices that it must be told, from
# device_use().
trial_command <- function(engine, program, values, root, asked = NULL, arguments = engine$arguments,
                          environment = engine$environment) {
  way <- if (length(asked)) engine$devices[[asked$kind]]
  if (length(way)) {
    values <- c(values, Filter(length, list(
      device_index = if (length(asked$index)) paste(asked$index, collapse = way$join),
      device_count = if (length(asked$index)) paste(length(asked$index)),
      share = if (asked$share < 1) plain_number(round(100 * asked$share))
    )))
  }
  arguments <- fill_arguments(c(arguments, way$use, way$share), values)
  environment <- c(fill_environment(environment, values), fill_environment(way$environment, values))
  through <- fill_arguments(way$through, values)
  if (length(through)) {
    arguments <- c(through[-1], program, arguments)
    program <- needed_program(through[1], engine)
  }
  folder <- if (length(engine$folder)) fill_template(engine$folder, values)
  if (length(folder) && !is_absolute(folder)) folder <- file.path(root, folder)
  list(program = program, arguments = arguments, environment = environment,
       folder = or_else(folder, root))
}

needed_program <- function(program, engine) {
  found <- find_program(program)
  if (nzchar(found)) return(found)
  stop_input("engine", paste0("the program ", show_value(program),
                              " is not installed or not on the PATH"),
             short_path(attr(engine, "path")), "Install it, or write its full path.")
}

# A trial's features as the texts they put into the arguments; a value that the engine does not know
# is an error.
feature_texts <- function(engine, features) {
  texts <- Map(function(value, name) {
    known <- engine$features[[name]]
    if (is.null(known)) stop_input("feature", paste0(engine$engine, " knows no feature ", name))
    if (identical(known, "any")) return(value)
    if (!value %in% names(known))
      stop_input("feature", paste0(engine$engine, " knows no ", name, " ", value))
    known[[value]]
  }, features, names(features))
  Filter(nzchar, texts)
}

# The numbers that a profile's patterns find in an engine's output; the last match counts. NA when
# there is none, or when what is found is no number that a timing can have; `odd` names those.
parse_output <- function(text, patterns) {
  found <- stats::setNames(rep(NA_real_, length(read_targets)), read_targets)
  odd <- character()
  for (name in names(Filter(length, patterns))) {
    hits <- tryCatch(regmatches(text, gregexpr(patterns[[name]], text, perl = TRUE))[[1]],
                     error = function(e) NULL)
    if (!length(hits)) next
    last <- hits[length(hits)]
    group <- regmatches(last, regexec(patterns[[name]], last, perl = TRUE))[[1]][2]
    value <- read_number(group)
    if (is.na(value) || value < 0 || value > 1e15) odd <- c(odd, paste(name, shown_text(group, 20)))
    else found[[name]] <- value
  }
  list(found = found, odd = odd)
}

# A number as programs print it, in any country: spaces or commas between thousands, and a decimal
# comma or point.
read_number <- function(text) {
  if (is.na(text)) return(NA_real_)
  text <- gsub("[ _']", "", text)
  if (grepl("^-?[1-9][0-9]{0,2}(,[0-9]{3}){2,}(\\.[0-9]+)?$|^-?[1-9][0-9]{0,2},[0-9]{3}\\.[0-9]+$",
            text)) {
    text <- gsub(",", "", text, fixed = TRUE)
  } else if (grepl("^-?[1-9][0-9]{0,2},[0-9]{3}$", text)) {
    return(NA_real_)  # a thousand, or a decimal comma: nobody can tell
  } else if (grepl("^-?[0-9]+,[0-9]+$", text)) text <- sub(",", ".", text, fixed = TRUE)
  suppressWarnings(as.numeric(text))
}
