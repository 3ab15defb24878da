# A trial: one command, judged and written as a row.

# What a machine needs to run trials; made there.
set_up_host <- function(pairs, engines, node) {
  programs <- lapply(engines, engine_program)
  list(node = node, programs = programs, versions = ask_versions(pairs, engines, programs), facts = machine_facts(),
       cores = machine_cores())
}

version_key <- function(engine, version) paste(engine, version)

# Asks each engine for its version, once, before anything is timed. A version that was asked for must be the one that
# answers.
ask_versions <- function(pairs, engines, programs) {
  answers <- Map(function(name, version) {
    engine <- engines[[name]]
    if (is.null(engine$version)) return(version)
    said <- ask_version(engine, programs[[name]], version)
    if (!is.na(version) && said != version) {
      stop_input("engine", paste0("asked as ", version, ", ", name, " says it is ", said), version_place(engine),
                 "Install the version asked for, or ask for this one.")
    }
    said
  }, pairs$engine, pairs$version)
  stats::setNames(answers, version_key(pairs$engine, pairs$version))
}

version_place <- function(engine) paste0(short_path(attr(engine, "path")), ", field `version`")

# The version that an engine says it is, asked as one of its versions (NA for the one there is).
ask_version <- function(engine, program, version) {
  values <- Filter(Negate(is.na), list(version = version))
  ran <- run_command(program, fill_arguments(engine$version$ask, values), getwd(), time_limit = 30)
  hit <- regmatches(ran$text, regexec(engine$version$pattern, ran$text, perl = TRUE))[[1]]
  if (length(hit) < 2) {
    stop_input("engine", paste0("asked for its version, ", engine$engine, " printed ", show_value(trimws(ran$text))),
               version_place(engine), "Mend `ask` or `pattern`.")
  }
  hit[2]
}

# One trial: a list with the columns of a timing.
run_trial <- function(trial, bench, pictures) {
  engine <- bench$engines[[trial$engine]]
  features <- if (is.na(trial$features)) list() else jsonlite::fromJSON(trial$features)
  limit <- limit_columns(list(samples = null_if_na(trial$samples), noise = null_if_na(trial$noise),
                              time = null_if_na(trial$time_s)), features)
  used <- device_use(bench$node, engine, trial$devices, trial$threads, bench$cores)
  trial$threads <- used$threads
  row <- c(trial[c("shot", "scene", "frame", "engine", "width", "height", "run_order", "repeat")], limit, used,
           list(activity = "render", kind = "measured", precision = "exact", warm = trial[["repeat"]] > 0,
                load_average = load_average(), measured_at = utc_now(), node = bench$node$node,
                machine = bench$machine, plan_id = bench$plan_id,
                engine_version = bench$versions[[version_key(trial$engine, trial$version)]]))
  if (length(trial$band_first)) row$piece <- paste0("rows ", trial$band_first, "-", trial$band_last)
  odd <- setdiff(strsplit(limit$limit_kind, "+", fixed = TRUE)[[1]], engine$limits)
  if (length(odd)) return(c(row, status = "unsupported", note = paste0(engine$engine, " knows no ", odd[1], " limit")))
  texts <- tryCatch(feature_texts(engine, features), clockpigeon_error_feature = identity)
  if (inherits(texts, "error")) return(c(row, status = "unsupported", note = texts$what))
  kind <- or_else(trial$picture, engine$output)
  output <- file.path(normalizePath(pictures),
                      sprintf("%s-%04d-%03d.%s", trial$shot, trial$frame, trial$run_order, kind))
  unlink(output)
  arguments <- fill_arguments(engine$arguments, trial_values(trial, output, or_else(trial$seed, 1), texts))
  watch <- watch_machine()
  ran <- tryCatch(run_command(bench$programs[[trial$engine]], arguments, bench$folder, bench$options$time_limit),
                  error = identity)
  if (inherits(ran, "error")) {
    return(c(row, status = "failed", note = paste("could not be started:", first_line(conditionMessage(ran)))))
  }
  numbers <- as.list(parse_output(ran$text, engine$reads))
  if (is.na(numbers$peak_mem_mb)) numbers$peak_mem_mb <- ran$peak_mem_mb
  row <- c(row, ran[c("wall_s", "cpu_s")], numbers, watch(ran$wall_s, ran$cpu_s),
           judge_trial(ran, engine, numbers, output, kind, bench$options$time_limit))
  if (length(bench$keep) && row$status == "ok") row$output <- output
  Filter(length, row)
}

# How a trial ended, and in one sentence why.
judge_trial <- function(ran, engine, numbers, output, kind, time_limit) {
  expected <- names(Filter(length, engine$reads))
  if (ran$late) return(list(status = "timed_out", note = paste("ended after", format_duration(time_limit))))
  if (!identical(ran$exit, 0L)) {
    return(list(status = "failed", note = paste0("exit status ", ran$exit, ": ", last_line(ran$text))))
  }
  if (length(expected) && !nzchar(trimws(ran$text))) {
    return(list(status = "failed", note = paste("the engine printed nothing; its profile reads", toString(expected))))
  }
  fault <- picture_fault(output, kind)
  if (length(fault)) {
    return(list(status = if (file.exists(output) && file.size(output) > 0) "unusable" else "failed",
                note = paste("the engine", fault)))
  }
  lost <- expected[is.na(unlist(numbers)[expected])]
  list(status = "ok", note = if (length(lost)) paste("not found in the output:", toString(lost)))
}

first_line <- function(text) strsplit(trimws(text), "\n", fixed = TRUE)[[1]][1]

last_line <- function(text) {
  lines <- strsplit(trimws(text), "\n", fixed = TRUE)[[1]]
  if (!length(lines)) return("it printed nothing")
  substr(lines[length(lines)], 1, 200)
}
