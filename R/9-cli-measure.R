# Commands that measure: `probe`, `backtest`, `limit`, `import` and `record`.

# Run `probe`.
cli_probe <- function(o, args) {
  project <- read_project()
  shot <- cli_shot(project, args)
  engine <- cli_engine(project, o$engine)
  cheap <- c(yes = TRUE, no = FALSE,
             auto = NA)[[check_choice(o$cheap, "option --cheap", c("yes", "no", "auto"))]]
  budget <- if (length(o$budget)) parse_duration(o$budget, "option --budget") else Inf
  found <- cli_ledger(project, FALSE, function(ledger) {
    probe_shot(shot, engine, ledger,
               probing(cli_share(o$target, "option --target"), first = o$first, budget = budget,
                       cheap = cheap),
               running(o$engine_version, cli_nodes(project, o$node), project$root, o$keep,
                       progress = TRUE))
  })
  cli_emit(found$total, o$format, function() shot_probe_lines(found))
  cli_figure(found$curve, o$figure)
  if (found$ended == "budget_used") 3L else 0L
}

cli_backtest <- function(o, args) {
  project <- read_project()
  found <- cli_ledger(project, code = function(ledger)
                      backtest(ledger, parse_counts(o$probes, "option --probes")))
  cli_emit(summary.cp_backtest(found), o$format, function() backtest_lines(found))
  cli_figure(found, o$figure)
  0L
}

# ---- limit ---------------------------------------------------------------------------------------

# Run `limit`.
cli_limit <- function(o, args) {
  project <- read_project()
  shot <- cli_shot(project, args)
  engine <- cli_engine(project, o$engine)
  if (o$plan) return(cli_plan_probes(project, shot, engine, o))
  price <- cli_limit_price(project, o, engine)
  cli_ledger(project, FALSE, function(ledger) {
    probes <- probe_limit(shot, engine, ledger, cli_sample_counts(o$samples, engine), o$frames,
                          cli_probe_options(o),
                          list(reference = o$reference, noise = cli_coarse_noise(o, engine)),
                          running(o$engine_version, cli_nodes(project), project$root, o$keep,
                                  progress = TRUE))
    study <- function() cli_study(probes, o, price, judged_noise(ledger, shot$shot))
    if (length(o$blind)) cli_blind(study(), o$blind, ledger)
    speeds <- measured_speeds(timings_near(ledger, shot$scene), engine$engine,
                              probes$rows[["node"]][1])
    cli_show_limit(study(), price, o, speeds)
  })
}

# The counts asked for, or the usual ones as the engine can do them.
cli_sample_counts <- function(text, engine) {
  usual <- is.null(text)
  counts <- if (usual) unique(possible_count(engine, c(4, 16, 64))) else
    parse_counts(text, "option --samples")
  wrong <- setdiff(counts, possible_count(engine, counts))
  if (length(wrong)) {
    stop_input("limit", value_trouble(engine, list(samples = wrong[1])), "option --samples",
               paste0("Write counts such as ",
                      toString(unique(possible_count(engine, c(4, 16, 64)))), "."))
  }
  counts
}

# Twice the target: a quarter of its samples, spent where they will be.
cli_coarse_noise <- function(o, engine) {
  if (!"noise" %in% engine$limits) return(NULL)
  2 * first_of(cli_noise(o$noise, "option --noise"), 0.05)
}

cli_probe_options <- function(o) {
  sizes <- if (length(o$size)) {
    lapply(strsplit(o$size, ",", fixed = TRUE)[[1]], parse_resolution, where = "option --size")
  }
  pairs <- cli_pairs(o$features, "option --features",
                     "features and values as bounces=2/32,denoise=on/off")
  features <- if (length(pairs))
    lapply(as.list(pairs), function(values) strsplit(values, "/", fixed = TRUE)[[1]])
  rows <- if (length(o$rows)) parse_counts(gsub("-", ",", o$rows, fixed = TRUE), "option --rows")
  bench_options(probes = 2, cross = factor_grid(sizes = sizes, features = features, rows = rows))
}

# Scouts at a half and a quarter of the size (an eighth of the time of a full probe at most), and
# proposes.
cli_plan_probes <- function(project, shot, engine, o) {
  size <- if (length(o$size)) parse_resolution(o$size, "option --size") else shot$size
  shot$size <- size
  smaller <- lapply(c(2, 4), function(by) as.integer(pmax(round(unlist(size) / by), 8)))
  scout <- cli_ledger(project, FALSE, function(ledger) {
    probe_limit(shot, engine, ledger, c(2, 8), o$frames,
                bench_options(probes = 1, cross = factor_grid(sizes = smaller)),
                running = running(o$engine_version, cli_nodes(project), project$root,
                                  progress = TRUE))
  })
  found <- propose_probes(scout, cli_noise(o$error, "option --error"))
  cli_emit(found, o$format, function() proposal_lines(found))
  0L
}

# The study with the targets asked for, or those that people's judgements set, or else 5 % and twice
# that.
cli_study <- function(probes, o, price, judged) {
  noise <- cli_noise(o$noise, "option --noise")
  tile <- first_of(cli_noise(o$tile_noise, "option --tile-noise"), if (is.null(noise)) judged)
  if (is.null(noise) && length(judged)) {
    cli_note("target: what was judged clean enough for ", probes$shot$shot, ", ",
             noise_text(judged), " in the worst tile")
  }
  study_limit(probes, first_of(noise, if (length(tile)) tile / 2, 0.05), tile, o$confidence,
              if (length(price)) price$hourly else NA_real_)
}

# Shows a blind sheet, asks, keeps the answers, and only then says what was what.
cli_blind <- function(study, path, ledger) {
  sheet <- contact_sheet(study, path, blind = TRUE, seed = as.integer(wall_clock() %% 1e6))
  cli_note("Look at ", path,
           ". Which letters are clean enough? Write them with spaces between, or none:")
  said <- readLines(file("stdin"), 1, warn = FALSE)
  if (!length(said))
    stop_input("usage", "no answer came", "option --blind", "Write letters such as A C, or none.")
  letters <- strsplit(trimws(said), "[ ,]+")[[1]]
  accepted <- if (identical(tolower(trimws(said)), "none")) character() else
    letters[nzchar(letters)]
  shot <- study$probes$shot$shot
  judged <- as_frame(judge_sheet(ledger, sheet, accepted, shot,
                                 study$frames[["frame"]][study$frames[["governs"]]]))
  show_lines("What they were:", text_table(data.frame(
    letter = judged$letter, tile = paste(judged$tile), samples = count_text(judged$samples),
    noise = noise_text(judged$noise), time = format_duration(judged$seconds),
    judged = ifelse(judged$accepted, "clean enough", "not clean enough"), check.names = FALSE
  ), right = c("tile", "samples", "noise", "time")), "")
}

# Print a limit study: table, figure, JSON or CSV.
cli_show_limit <- function(study, price, o, speeds) {
  governs <- which(study$frames[["governs"]])
  counts <- range(study$probes$pairs[["samples"]])
  found <- study$frames[["samples"]][governs]
  steps <- limit_doublings(study$fits[[governs]], counts[1],
                           max(counts[2], 2 * found, na.rm = TRUE),
                           if (length(price)) price$hourly else NA_real_,
                           length(study$probes$shot$frames))
  possible <- possible_values(study$probes$engine, "samples")
  if (length(possible)) steps <- steps[steps[["samples"]] %in% possible, , drop = FALSE]
  crossed <- nrow(unique(as_frame(study$frames)[c("width", "height", "features")])) > 1
  limits <- if (!is.na(found) && study$probes$against == "render" && !crossed) three_limits(study)
  elsewhere <- time_limit_elsewhere(study, limits, speeds)
  drivers <- if (crossed) time_drivers(study)
  cli_emit(study$frames, o$format, function() {
    c(study_lines(study, steps, limits, price, elsewhere),
      if (length(drivers)) c("", driver_lines(drivers)))
  })
  cli_figure(study$fits[[governs]], o$figure, target = study$targets[["noise"]],
             against = study$probes$against)
  if (length(o$sheet)) write_contact_sheet(study, o$sheet)
  if (is.na(found)) 3L else 0L
}

# The time limit as other nodes would need it, if there is one and several nodes.
time_limit_elsewhere <- function(study, limits, speeds) {
  if (!length(limits) || length(speeds) < 2) return(NULL)
  time_limit_on(study, limits[["seconds"]][limits[["limit"]] == "time"][1], speeds)
}

write_contact_sheet <- function(study, path) {
  contact_sheet(study, path)
  cli_note("contact sheet: ", path)
}

# The price of an hour at the site asked for, as of this machine.
cli_limit_price <- function(project, o, engine) {
  if (is.null(o$site)) return(NULL)
  site <- project_entry(project$sites, o$site, "site")
  price <- hourly_price(site, engine$engine, "here")
  if (is.null(price)) {
    stop_input("evidence", paste0("nothing says how fast ", site$site, " runs ", engine$engine,
                                  " beside this machine"),
               "option --site", "Write `speeds` or `nodes_like` into its card.")
  }
  price
}

cli_picture <- function(o, args) {
  pictures <- lapply(args, read_picture)
  found <- if (length(o$figure)) difference_picture(pictures[[1]], pictures[[2]], o$figure)
           else compare_pictures(pictures[[1]], pictures[[2]])
  cli_emit(found, o$format, function() difference_lines(found))
  if (length(o$figure)) cli_note("figure: ", o$figure)
  if (found[["verdict"]] == "different") 1L else 0L
}

# Noise as 2% or 0.02.
cli_noise <- function(text, where) cli_share(text, where, "of the brightness, such as 2% or 0.02")

cli_share <- function(text, where, of = "such as 10% or 0.1") {
  if (is.null(text)) return(NULL)
  number <- suppressWarnings(as.numeric(sub("%$", "", trimws(text))))
  if (is.na(number) || number <= 0) {
    stop_input("usage", paste("got", show_value(text)), where, paste0("Write a share ", of, "."))
  }
  if (grepl("%$", trimws(text))) number / 100 else number
}

# ---- import --------------------------------------------------------------------------------------

# Run `import`.
cli_import <- function(o, args) {
  project <- read_project(parts = c("shots", "engines"))
  if (o$undo) return(cli_import_undo(project, args))
  engine <- if (length(o$engine)) project$engines[[o$engine]]
  if (is_job_list(args, o$as)) return(cli_import_jobs(project, args))
  map <- cli_pairs(o$map, "option --map", "columns as frame=Nr,wall_s=Time or wall_s=user + sys")
  set <- cli_row(o)
  fill <- shot_groups(project$shots[[first_of(set$shot, "")]])
  read <- function(paths) read_imports(paths, o$as, engine, map, set, o$writers, o$begun, fill)
  if (o$dry_run) {
    found <- read(args)
    cli_emit(found$rows, o$format, function() c(import_preview(found), "", "Nothing was written."))
    return(0L)
  }
  rows <- cli_ledger(project, FALSE, function(ledger) {
    known <- if (o$again) character() else known_imports(args, ledger)
    for (path in known)
      cli_note("known: ", path,
               " was imported before; no rows were added (--again imports it again)")
    found <- take_imports(args, ledger, o$again, read)
    for (line in import_columns_lines(found)) cli_note(line)
    found$rows
  })
  cli_emit(rows, o$format, function() import_lines(rows))
  0L
}

cli_import_undo <- function(project, paths) {
  n <- cli_ledger(project, FALSE, function(ledger) {
    vapply(existing_paths(paths), function(path) withdraw_import(ledger, content_mark(path)), 0L)
  })
  cat(sum(n), if (sum(n) == 1) " timing" else " timings", " withdrawn; the ledger keeps the rows\n",
      sep = "")
  0L
}

# The project's facts about a shot, in groups of columns that fill rows without them.
shot_groups <- function(shot) {
  if (is.null(shot)) return(list())
  limit <- limit_columns(shot$limit)
  list(list(scene = shot$scene), list(width = shot$size[["width"]], height = shot$size[["height"]]),
       if (is.na(limit$features)) limit[c("limit_kind", "limit_value")] else limit)
}

# Preview of a file: its used columns, and the first rows.
import_preview <- function(found, most = 6) {
  rows <- as_frame(found$rows)
  shown <- intersect(c("shot", "scene", "frame", "engine", "engine_version", "node", "wall_s",
                       "status", "note"),
                     names(rows)[!vapply(rows, function(column) all(is.na(column)), NA)])
  first <- utils::head(rows[shown], most)
  if (!is.null(first$wall_s)) first$wall_s <- format_duration(first$wall_s)
  if (!is.null(first$note)) first$note <- vapply(first$note, shown_text, "", most = 40)
  c(import_columns_lines(found), import_lines(rows, "read"), "",
    text_table(first, right = c("frame", "wall_s"),
               spare = c("note", "node", "engine_version", "scene")))
}

# Use of the columns of a table.
import_columns_lines <- function(found) {
  used <- found$used
  used <- ifelse(names(used) == used, used, paste0(names(used), " = ", used))
  ignored <- toString(vapply(found$ignored, shown_text, ""))
  c(if (length(used)) wrap_lines(paste0("used: ", toString(used))),
    if (length(found$ignored))
      wrap_lines(paste0("ignored: ", ignored, " (--map takes columns by other names)")),
    if (length(found$filled)) wrap_lines(paste0("filled in: ", toString(found$filled))),
    found$said, if (NROW(found$rows)) taken_as_jobs(found$rows))
}

taken_as_jobs <- function(rows) {
  names <- unique(rows[["job"]])
  names <- names[!is.na(names)]
  if (length(names))
    wrap_lines(paste0("taken as ", if (length(names) == 1) "one job: " else "jobs: ",
                      toString(names)))
}

# A list of earlier jobs, by request or by its name.
is_job_list <- function(paths, as) identical(as, "jobs") ||
  is.null(as) && all(basename(paths) == "jobs.csv")

cli_import_jobs <- function(project, paths) {
  new <- cli_ledger(project, FALSE,
                    function(ledger) sum(vapply(paths, import_jobs, 0L, ledger = ledger)))
  cat(new, if (new == 1) " job" else " jobs", " added\n", sep = "")
  0L
}

import_lines <- function(rows, what = "added") {
  rows <- as_frame(rows)
  good <- rows[["wall_s"]][rows[["status"]] == "ok"]
  bad <- rows[["status"]] != "ok"
  reasons <- table(paste0(gsub("_", " ", rows[["status"]]), ": ", rows[["note"]])[bad])
  c(paste0(nrow(rows), if (nrow(rows) == 1) " timing" else " timings", " ", what,
           if (length(good))
           paste0("; ", length(good), " with a time, median ", format_duration(stats::median(good)),
                  ", ", paste(format_duration(range(good)), collapse = " to "))),
    if (length(reasons)) paste0(reasons, " ", names(reasons)))
}

# The shot that a typed row names, or NULL; one that the project does not have is refused, and so is
# a frame outside it.
cli_known_shot <- function(project, row) {
  if (is.null(row$shot) || !length(project$shots)) return(NULL)
  shot <- project$shots[[check_choice(row$shot, "option --shot", names(project$shots))]]
  frame <- suppressWarnings(as.numeric(row$frame))
  if (length(frame) && !is.na(frame) && !frame %in% shot$frames) {
    stop_input("record", paste0("frame ", row$frame, " is not in shot ", shot$shot),
               "option --frame", paste0("It has frames ", format_frames(shot$frames), "."))
  }
  shot
}

# Run `record`.
cli_record <- function(o, args) {
  project <- read_project(parts = "shots")
  row <- c(cli_row(o), Filter(length, o[c("status", "note")]))
  shot <- cli_known_shot(project, row)
  if (o$activity == "render")
    row <- as.list(fill_groups(as.data.frame(row), shot_groups(shot))$rows)
  said <- Filter(length, o[c("time", "activity", "frames_done", "frames_asked", "began", "ended")])
  cli_ledger(project, FALSE, function(ledger) {
    id <- do.call(record_timing, c(list(ledger), said, row))
    one <- timings(ledger, id = id)
    time <- if (is.na(one[["wall_s"]])) "no time" else
      paste(format_duration(one[["wall_s"]]), "a frame")
    facts <- c(one[["activity"]], time, one[["status"]], one[["kind"]], one[["precision"]])
    show_lines(paste0("recorded: ", toString(facts[!is.na(facts)])))
  })
  0L
}
