# Trying an engine: one frame, with everything shown that a profile can get wrong.

new_try <- record_type(
  "cp_try", engine = is.character, version = is.vector, command = is.list, ran = is.list,
  files = is.data.frame, output = is.character, found_at = is.character,
  picture = maybe(is.character), reads = is.data.frame, odd = maybe(is.character),
  judged = is.list, asked = anything
)

# Runs one frame as a trial would, and reports the result. `trial`: list(shot, scene, frame, width,
# height, samples, noise, time_s, threads, version, devices); `root`: the project's folder. Returns
# a list of class `cp_try`: the command (program, arguments, environment, folder), `ran` (seconds,
# exit status, output), `files` (new ones: path, bytes), `reads` (target, pattern, what it found),
# `judged` (status, note), `version`, `found_at` (expected path of the picture), `picture` (path of
# the copy, or NULL).
try_engine <- function(engine, trial, root = ".", node = this_node(), time_limit = 600,
                       keep = NULL) {
  check_class(engine, argument("engine"), "cp_engine", "read_engine()")
  root <- real_path(root)
  name <- engine$engine
  pairs <- data.frame(engine = name, version = trial$version)
  host <- set_up_host(pairs, stats::setNames(list(engine), name), node, trial$devices)
  used <- device_use(node, engine, trial$devices, trial$threads, host$cores, host$there[[name]])
  refused <- c(used$refused, value_trouble(engine, trial))
  if (length(refused))
    stop_input("engine", refused[1], short_path(attr(engine, "path")), "Ask for what it can do.")
  pictures <- or_else(keep, tempfile("clockpigeon-try-"))
  if (!dir.exists(pictures) && !dir.create(pictures, recursive = TRUE, showWarnings = FALSE)) {
    stop_input("file", "this folder cannot be made", pictures, "Name another one.")
  }
  if (is.null(keep)) on.exit(unlink(pictures, recursive = TRUE, expand = FALSE))
  trial$threads <- used$threads
  output <- file.path(real_path(pictures), sprintf("try-%04d.%s", trial$frame, engine$output))
  unlink(output, recursive = TRUE, expand = FALSE)
  values <- trial_values(trial, engine, output, root)
  bench <- list(folder = root, plan_id = paste("try", steady_clock()),
                options = list(time_limit = time_limit))
  program <- host$programs[[name]]
  before <- run_prepass(trial, engine, program, values, bench, list(shot = trial$shot))
  if (length(before$fault))
    stop_input("engine", paste("the pre-pass:", before$fault), short_path(attr(engine, "path")),
               "Mend `prepass`.")
  command <- trial_command(engine, program, values, root, used$asked)
  folders <- unique(c(values$output_folder, command$folder, values$scene_folder, root))
  old <- files_in(folders)
  began <- Sys.time()
  ran <- run_command(command$program, command$arguments, command$folder, time_limit,
                     environment = command$environment)
  files <- new_files(old, files_in(folders))
  take_picture(engine, values, output, began)
  numbers <- parse_output(ran$text, engine$reads)
  judged <- judge_trial(ran, engine, numbers,
                        list(output = output, kind = engine$output, trial = trial,
                             values = values, began = began, asked = used$asked), time_limit)
  reads <- Filter(length, engine$reads)
  new_try(list(engine = name, version = host$versions[[1]], command = command, ran = ran,
               files = files, output = output,
               found_at = if (length(engine$output_as)) named_picture(engine, values) else output,
               picture = if (length(keep) && file.exists(output)) output,
               reads = data.frame(target = names(reads), pattern = vapply(reads, identity, ""),
                                  found = unname(numbers$found[names(reads)]), row.names = NULL),
               odd = numbers$odd, judged = judged, asked = used$asked))
}

files_in <- function(folders) {
  path <- unlist(lapply(folders[dir.exists(folders)], list.files, full.names = TRUE,
                        all.files = TRUE, no.. = TRUE))
  facts <- file.info(as.character(path), extra_cols = FALSE)
  data.frame(path = as.character(path), bytes = facts$size, changed = as.numeric(facts$mtime),
             folder = facts$isdir)[!duplicated(path) & !facts$isdir %in% TRUE, ]
}

# Files that were not there before, or have changed since.
new_files <- function(old, now) {
  at <- match(now$path, old$path)
  same <- !is.na(at) & old$bytes[at] == now$bytes & old$changed[at] == now$changed
  now[!same, c("path", "bytes"), drop = FALSE]
}
