# A trial: one command, judged and written as a row.

# Requirements of a machine for running trials; made there. `sets`: the devices in the trials.
set_up_host <- function(pairs, engines, node, sets = NA_character_) {
  programs <- lapply(engines, engine_program)
  list(node = node, programs = programs, versions = ask_versions(pairs, engines, programs),
       facts = machine_facts(), cores = machine_cores(), given = scheduled_here(),
       there = Map(ask_devices, engines, programs, list(sets)))
}

version_key <- function(engine, version) paste(engine, version)

# Asks each engine for its version, once, before anything is timed. The answer must be the requested
# version.
ask_versions <- function(pairs, engines, programs) {
  answers <- Map(function(name, version) {
    engine <- engines[[name]]
    if (is.null(engine$version)) return(version)
    said <- ask_version(engine, programs[[name]], version)
    if (!is.na(version) && said != version) {
      stop_input("engine", paste0("asked as ", version, ", ", name, " says it is ", said),
                 profile_place(engine, "version"),
                 "Install the version asked for, or ask for this one.")
    }
    said
  }, pairs$engine, pairs$version)
  stats::setNames(answers, version_key(pairs$engine, pairs$version))
}

profile_place <- function(engine, field)
  paste0(short_path(attr(engine, "path")), ", field `", field, "`")

# The version that an engine says it is, asked as one of its versions (NA for the one there is).
ask_version <- function(engine, program, version) {
  values <- Filter(Negate(is.na), list(version = version))
  ran <- run_command(program, fill_arguments(engine$version$ask, values), getwd(), time_limit = 30)
  hit <- regmatches(ran$text, regexec(engine$version$pattern, ran$text, perl = TRUE))[[1]]
  if (length(hit) < 2) {
    stop_input("engine", paste0("asked for its version, ", engine$engine, " printed ",
                                show_value(trimws(ran$text))),
               profile_place(engine, "version"), "Mend `ask` or `pattern`.")
  }
  hit[2]
}

# The devices that an engine, or the program its profile names, says are there: by kind, a data
# frame of index and name. Only kinds that trials ask for, and whose profile says how to ask.
ask_devices <- function(engine, program, sets) {
  kinds <- unlist(lapply(sets, function(set) parse_devices(set, "devices")$kind))
  if (any(sets %in% c("all", "shared"))) kinds <- names(engine$devices)
  ways <- Filter(function(way) length(way$ask) > 0,
                 engine$devices[intersect(kinds, names(engine$devices))])
  lapply(ways, function(way) {
    if (length(way$program)) program <- needed_program(way$program, engine)
    ran <- run_command(program, fill_arguments(way$ask, list()), getwd(), time_limit = 30)
    lines <- strsplit(ran$text, "\n", fixed = TRUE)[[1]]
    hits <- regmatches(lines, regexec(way$pattern, lines, perl = TRUE))
    hits <- hits[lengths(hits) > 1]
    if (!length(hits)) {
      stop_input("engine", paste0("asked for its devices, ", engine$engine, " printed ",
                                  show_value(trimws(ran$text))),
                 profile_place(engine, "devices"), "Mend `ask` or `pattern`.")
    }
    index <- vapply(hits, `[[`, "", 2)
    name <- vapply(hits, function(h) if (length(h) > 2) trimws(h[3]) else engine_device_name(h[2]),
                   "")
    data.frame(index = index, name = name)[!duplicated(index), ]
  })
}

engine_device_name <- function(index) paste("device", index)

# One trial: a list of timings, each a list of columns; the last is that of the trial, the one
# before it the pre-pass that had to run first. `bench$prepass`: `alone` runs only the pre-pass of
# the shot, `done` takes it as run.
run_trial <- function(trial, bench, pictures) {
  engine <- bench$engines[[trial$engine]]
  features <- trial_features(trial)
  limit <- limit_columns(list(samples = null_if_na(trial$samples), noise = null_if_na(trial$noise),
                              time = null_if_na(trial$time_s)), features)
  used <- device_use(bench$node, engine, trial$devices, trial$threads, bench$cores,
                     bench$there[[trial$engine]])
  trial$threads <- used$threads
  row <- c(trial[c("shot", "scene", "frame", "engine", "width", "height", "run_order", "repeat")],
           limit,
           used[c("device", "device_count", "threads", "capacity")],
           list(activity = "render", kind = "measured", precision = "exact",
                warm = trial[["repeat"]] > 0, load_average = load_average(),
                measured_at = utc_now(), node = bench$node$node, machine = bench$machine,
                plan_id = bench$plan_id,
                engine_version = bench$versions[[version_key(trial$engine, trial$version)]]))
  if (length(trial$band_first)) row$piece <- paste0("rows ", trial$band_first, "-", trial$band_last)
  ended <- function(status, note, ...)
    list(Filter(length, c(row, list(...), status = status, note = note)))
  refused <- c(unknown_limit(limit, engine), used$refused, value_trouble(engine, trial))
  if (length(refused)) return(ended("unsupported", refused[1]))
  texts <- tryCatch(feature_texts(engine, features), clockpigeon_error_feature = identity)
  if (inherits(texts, "error")) return(ended("unsupported", texts$what))
  kind <- or_else(trial$picture, engine$output)
  output <- file.path(real_path(pictures),
                      sprintf("%s-%04d-%03d.%s", trial$shot, trial$frame, trial$run_order, kind))
  unlink(output, recursive = TRUE, expand = FALSE)
  values <- tryCatch(trial_values(trial, engine, output, bench$folder, or_else(trial$seed, 1),
                                  texts),
                     clockpigeon_error = identity)
  if (inherits(values, "error")) return(ended("failed", values$what))
  program <- bench$programs[[trial$engine]]
  before <- if (is_prepass_done(bench, engine)) list(seconds = 0) else
    run_prepass(trial, engine, program, values, bench, row)
  if (length(before$fault))
    return(c(before$row, ended("failed", paste("the pre-pass:", before$fault))))
  if (identical(bench$prepass, "alone")) return(before$row)
  watch <- watch_machine()
  began <- Sys.time()
  ran <- run_trial_command(engine, program, values, bench, used$asked)
  if (inherits(ran, "error"))
    return(c(before$row, ended("failed", paste("could not be started:",
                                               first_line(error_words(ran))))))
  ran$wall_s <- ran$wall_s + before$seconds
  numbers <- parse_output(ran$text, engine$reads)
  take_picture(engine, values, output, began)
  judged <- judge_trial(ran, engine, numbers,
                        list(output = output, kind = kind, trial = trial, values = values,
                             began = began, asked = used$asked), bench$options$time_limit)
  numbers <- as.list(numbers$found)
  if (is.na(numbers$peak_mem_mb)) numbers$peak_mem_mb <- ran$peak_mem_mb
  row <- c(row, ran[c("wall_s", "cpu_s")], numbers, watch(ran$wall_s, ran$cpu_s), judged)
  if (length(bench$keep) && row$status == "ok") row$output <- output
  c(before$row, list(Filter(length, row)))
}

run_trial_command <- function(engine, program, values, bench, asked, ...) {
  tryCatch({
    command <- trial_command(engine, program, values, bench$folder, asked, ...)
    run_command(command$program, command$arguments, command$folder, bench$options$time_limit,
                environment = command$environment)
  }, error = identity)
}

# If the engine names its picture itself, move it into place.
take_picture <- function(engine, values, output, began) {
  if (is.null(engine$output_as)) return(invisible())
  at <- named_picture(engine, values)
  there <- length(at) && file.exists(at) && !dir.exists(at) && file.mtime(at) >= began - 2
  if (there && at != output) file.rename(at, output)
  invisible()
}

# Path of a picture that the engine names itself; NULL if its name needs a value that the trial
# lacks.
named_picture <- function(engine, values) {
  at <- fill_template(engine$output_as, values)
  if (length(at) && !is_absolute(at)) file.path(values$output_folder, at) else at
}

# The pre-passes that ran in this process, by what they hold for.
prepass_store <- new.env()

# Command before a frame: before each, its time then being part of the frame's; or once for all
# equal frames of a shot, with a separate row. list(seconds, row, fault).
run_prepass <- function(trial, engine, program, values, bench, row) {
  step <- engine$prepass
  if (is.null(step)) return(list(seconds = 0))
  key <- prepass_key_of(trial, bench$plan_id)
  if (step$each == "shot" && !is.null(prepass_store[[key]])) return(list(seconds = 0))
  if (length(step$program)) program <- needed_program(step$program, engine)
  ran <- run_trial_command(engine, program, values, bench, NULL, step$arguments,
                           c(engine$environment, step$environment))
  fault <- run_fault(ran, bench$options$time_limit)
  if (step$each == "frame")
    return(list(seconds = if (is.null(fault)) ran$wall_s else 0, fault = fault))
  if (is.null(fault)) assign(key, TRUE, envir = prepass_store)
  row[c("frame", "run_order", "repeat", "warm")] <- NULL
  row$activity <- "prepass"
  row <- c(row, if (!inherits(ran, "error")) ran[c("wall_s", "cpu_s")],
           status = if (is.null(fault)) "ok" else "failed", note = fault)
  list(seconds = 0, row = list(Filter(length, row)), fault = fault)
}

trial_features <- function(trial) {
  if (is.na(trial$features)) return(list())
  jsonlite::parse_json(trial$features, simplifyVector = TRUE)
}

unknown_limit <- function(limit, engine) {
  odd <- setdiff(strsplit(limit$limit_kind, "+", fixed = TRUE)[[1]], engine$limits)
  if (length(odd)) paste0(engine$engine, " knows no ", odd[1], " limit")
}

is_prepass_done <- function(bench, engine) {
  identical(bench$prepass, "done") && identical(engine$prepass$each, "shot")
}

# Trials that need the same pre-pass have one key.
prepass_key_of <- function(trial, plan_id) {
  alike <- setdiff(names(trial), c("run_order", "repeat", "frame", "seed", "picture"))
  row_key(as.data.frame(c(trial[alike], plan_id = plan_id), check.names = FALSE),
          c(alike, "plan_id"))
}

# Fault of a command, or NULL.
run_fault <- function(ran, time_limit) {
  if (inherits(ran, "error")) return(paste("could not be started:", first_line(error_words(ran))))
  if (ran$late) return(paste("ended after", format_duration(time_limit)))
  if (!identical(ran$exit, 0L)) paste0("exit status ", ran$exit, ": ", output_ends(ran$text))
}
