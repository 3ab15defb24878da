# Commands that set up and prepare: `new`, `engine`, `check`, `scan`, `pack` and `unpack`.

cli_new <- function(o, args) {
  if (!length(args)) {
    stop_input("usage", "names no folder", "clockpigeon new",
               "Write a folder: clockpigeon new my-film.")
  }
  made <- new_project(args, first_of(o$name, basename(real_path(args))), o$currency)
  cat(paste0(file.path(args, made), "\n"), sep = "")
  cli_note("\nThe built-in engine is ready: cd ", args, " && clockpigeon bench\n",
           "Your own: clockpigeon engine new NAME, then clockpigeon engine try NAME SCENE")
  0L
}

cli_engine_command <- function(o, args) {
  what <- check_choice(args[1], "clockpigeon engine", c("list", "new", "try"))
  if (what == "list") return(cli_engine_list(o))
  if (length(args) < 2) {
    stop_input("usage", "names no engine", paste("clockpigeon engine", what),
               if (what == "new") "Write clockpigeon engine new NAME." else
               "Write clockpigeon engine try NAME SCENE.")
  }
  if (what == "new") cli_engine_new(o, args[2]) else cli_engine_try(o, args[2], args[-(1:2)])
}

# Run `engine`: list the engines of the project and of the package.
cli_engine_list <- function(o) {
  engines <- read_project()$engines
  rows <- as_table(list(
    engine = names(engines), program = vapply(engines, `[[`, "", "program"),
    found = vapply(engines, function(e) nzchar(find_program(e$program)), NA),
    limits = vapply(engines, function(e) toString(e$limits), ""),
    devices = vapply(engines, function(e) toString(names(e$devices)), ""),
    file = vapply(engines, function(e) short_path(attr(e, "path")), "")
  ))
  cli_emit(rows, o$format, function() {
    rows$found <- ifelse(rows$found, "yes", "no")
    text_table(rows, spare = c("limits", "file", "devices"))
  })
  0L
}

# Run `engine new`: ask for what a profile needs, and write it.
cli_engine_new <- function(o, name) {
  project <- read_project()
  name <- check_name(name, "clockpigeon engine new")
  path <- file.path(project$root, "engines", paste0(name, ".yaml"))
  if (file.exists(path)) {
    stop_input("file", "this profile is there already", short_path(path),
               "Change it, or choose another name.")
  }
  command <- cli_ask(o$command, "--command", paste0(
    "How is one frame rendered? Type the command, with {scene}, {frame}, {samples}, {width}, ",
    "{height}, {output} and\n",
    "the like where their values stand, such as: ", name,
    " {scene} -f {frame} -s {samples} -o {output}"))
  # A user who typed the command knows the options: the other questions are for those who asked to
  # be asked.
  asked <- is.null(o$command)
  given <- function(name, usual) if (asked) o[[name]] else first_of(o[[name]], usual)
  ask <- cli_ask(given("ask_version", ""), "--ask-version",
                 "With what arguments does it print its version? (empty: none)", "")
  picture <- cli_ask(given("picture", "png"), "--picture",
                     "What kind of picture does it write: png, pfm, exr or tiff? (empty: png)",
                     "png")
  check_choice(picture, "option --picture", c("png", "pfm", "exr", "tiff"))
  lines <- profile_lines(name, command, if (nzchar(ask)) ask, picture, o$output_as)
  dir.create(dirname(path), showWarnings = FALSE)
  write_text(lines, path)
  read_engine(path)
  cat(file.path("engines", basename(path)), "\n", sep = "")
  cli_note("Now try it: clockpigeon engine try ", name, " SCENE (a shot's name, or a scene file)")
  0L
}

# Value of an option, or else of a person at the terminal; `default` without either.
cli_ask <- function(given, option, question, default = NULL) {
  if (length(given)) return(given)
  typed <- ""
  if (isatty(stdin())) {
    cat(question, "\n> ", sep = "", file = stderr())
    file <- file("stdin")
    on.exit(close(file))
    typed <- readLines(file, 1, warn = FALSE)
  }
  if (length(typed) && nzchar(trimws(typed))) return(trimws(typed))
  if (is.null(default))
    stop_input("usage", paste("needs", option), "clockpigeon engine new", question)
  default
}

# Run `engine try`: render one frame with a profile, and print what was read.
cli_engine_try <- function(o, name, args) {
  project <- read_project()
  engine <- cli_engine(project, name)
  what <- first_of(args[1], project$defaults$shots[1], names(project$shots)[1])
  if (is.null(what) || is.na(what)) {
    stop_input("usage", "names no scene", "clockpigeon engine try", "Write a shot or a scene file.")
  }
  shot <- project$shots[[what]]
  if (is.null(shot))
    shot <- list(shot = "try", scene = what, size = c(width = 320L, height = 180L), frames = 1L,
                 limit = list(samples = possible_count(engine, 4)))
  size <- if (length(o$size)) parse_resolution(o$size, "option --size") else shot$size
  limit <- if (length(o$limits)) cli_limits(o$limits)[[1]] else shot$limit
  version <- first_of(o$engine_version, newest_unless(NULL, engine), NA_character_)
  threads <- first_of(o$threads, NA_integer_)
  trial <- list(shot = shot$shot, scene = scene_for(name, shot),
                frame = first_of(o$frame, shot$frames[1]), width = size[["width"]],
                height = size[["height"]], samples = or_na(limit$samples),
                noise = or_na(limit$noise), time_s = or_na(limit$time), threads = threads,
                version = version, devices = first_of(o$devices, NA_character_))
  found <- try_engine(engine, trial, project$root, cli_nodes(project)[[1]], keep = o$keep)
  show_lines(try_lines(found))
  if (found$judged$status == "ok") 0L else 1L
}

# Fields of a profile, for the command's help.
profile_help <- function() {
  c("Fields in braces, in `arguments`, `environment`, `folder` and `output_as` of a profile:",
    wrap_lines(paste0("  ", toString(paste0("{", trial_fields, "}")),
                      ", and the names of `features`."), indent = 2),
    paste0("  {frame:04} pads with zeros, {threads:1} has a default, {frame-1}, {samples/4}, ",
           "{log2(samples)} reckon."),
    paste0("For `devices`: {device_index}, {device_count}, {share}. For `sequence`: {frames}, ",
           "{first}, {last}."),
    paste0("The file's fields, each explained: ?read_engine, or the schema engine.json in the ",
           "package's folder schemas."), "")
}

# ---- check ---------------------------------------------------------------------------------------

# Run `check`.
cli_check <- function(o, args) {
  project <- read_project(parts = c("shots", "sites", "manifests", "rates"))
  described <- intersect(names(project$shots), names(project$manifests))
  shots <- if (length(args)) list(project_entry(project$shots, args[1], "shot"))
           else project$shots[if (length(described)) described else names(project$shots)]
  site <- if (length(o$site)) project_entry(project$sites, o$site, "site")
  kept <- has_ledger(project$ledger)
  scenes <- vapply(shots, `[[`, "", "scene")
  rows <- if (kept) cli_ledger(project, code = function(ledger) timings_near(ledger, scenes))
  used <- if (kept) cli_ledger(project, code = function(ledger) jobs(ledger)[["name"]])
  found <- bind_tables(lapply(shots, function(shot) {
    frame_bytes <- first_of(if (length(rows)) measured_frame_bytes(rows, shot), shot$frame_size)
    check_shot(shot, site, project$manifests[[shot$shot]], project$root, used,
               project$manifests[setdiff(names(project$manifests), shot$shot)],
               frame_bytes = frame_bytes,
               against = o$against)
  }))
  class(found) <- c("cp_check", class(found))
  fit <- cli_fit(project, shots, o$engine, site, rows)
  cli_emit(found, o$format,
           function() c(check_lines(found, fit = fit),
                        if (length(fit)) c("", eligibility_lines(fit)[-1])))
  blocked <- any(found[["weight"]] == "blocks") || length(site) && !fits_site(fit)
  if (blocked) 3L else 0L
}

fits_site <- function(fit) !length(fit) || summary.cp_eligibility(fit)[["answer"]][1] == "fits"

# Which sites the shots fit, where the ledger has evidence of them.
cli_fit <- function(project, shots, engine, site, rows) {
  engine <- first_of(engine, project$defaults$engine)
  if (is.null(rows) || !length(project$sites) || is.null(engine)) return(NULL)
  job <- tryCatch(render_job(shots, engine, rows, currency = project$currency,
                             rates = project$rates),
                  clockpigeon_error_evidence = function(e) {
                    cli_note("Sites are not checked: no frame was measured with ", engine,
                             ". To measure some: clockpigeon bench")
                    NULL
                  })
  if (length(job)) eligible(job, if (length(site)) site else project$sites)
}

# ---- pack ----------------------------------------------------------------------------------------

cli_scan <- function(o, args) {
  project <- read_project()
  if (!length(args))
    stop_input("usage", "names no scene", "clockpigeon scan", "Write the scene's file.")
  found <- scan_scene(args, cli_engine(project, o$engine), project$root)
  # The output is a manifest: redirected into manifests/SHOT.csv, it is read as one.
  cli_emit(found, o$format,
           function() paste(c("kind", found[["kind"]]), c("path", found[["path"]]), sep = ","))
  0L
}

cli_pack <- function(o, args) {
  project <- read_project()
  named <- if (length(args)) args else names(project$manifests)
  if (!length(named))
    stop_input("project", "has no manifest", instead = "Write one under manifests/.")
  packed <- bind_tables(lapply(named, function(name) {
    pack_shot(project_entry(project$manifests, name, "manifest"), project$root, o$out)
  }))
  cli_emit(packed, o$format, function() pack_lines(packed, project$sites))
  0L
}

cli_unpack <- function(o, args) {
  into <- first_of(o$into, sub("\\.zip$", "", basename(args)))
  content <- unpack_parcel(args, into)
  show_lines(paste0(content$shot, ", version ", content$version, ": ", nrow(content$files),
                    " files, ", format_size(sum(content$files$bytes)),
                    ", each as listed, in ", into))
  0L
}
