# The commands: each reads the project, calls public functions, and shows their results.

cli_ledger <- function(project, read_only = TRUE, code) {
  with_ledger(project$ledger, function(ledger) {
    if (length(ledger$carried)) {
      cli_note("The ledger was carried over to this release's form; as it was, it is kept as ",
               short_path(ledger$carried))
    }
    if (!read_only && is_server_address(project$ledger)) {
      deliver_spool(ledger, "timings", timings_again(ledger))
      deliver_spool(ledger, "events", event_writer(ledger))
    }
    code(ledger)
  }, read_only)
}

# Run `bench`.
cli_bench <- function(o, args) {
  project <- read_project()
  name <- if (length(args)) args[1]
  if (o$resume && length(Filter(length, o[typed_plan_fields]))) {
    stop_input("usage", "resumes a run, whose plan is in the ledger, and is given another",
               "clockpigeon bench", "Leave one of the two out.")
  }
  plan <- if (!o$resume || o$dry_run) cli_plan(project, name, o)
  if (o$dry_run) return(cli_dry_run(project, plan, o$format))
  rows <- cli_ledger(project, FALSE, function(ledger) {
    nodes <- cli_nodes(project, o$node)
    if (o$resume) resume_bench(ledger, project$engines, name, nodes, project$root, o$keep,
                               progress = TRUE)
    else run_bench(plan, ledger, nodes, project$root, o$keep, progress = TRUE)
  })
  cli_emit(rows, o$format, function() {
    c(bench_lines(rows), finding_lines(bench_findings(rows, memory_mb = machine_facts()$memory_mb)))
  })
  cli_figure(rows, o$figure, show = "order")
  if (any(rows[["status"]] == "ok")) 0L else 1L
}

# The shot and the engine named, or the project's defaults, or the first there are.
cli_shot <- function(project, args) {
  name <- first_of(if (length(args)) args[1], project$defaults$shots[1], names(project$shots)[1])
  project_entry(project$shots, name, "shot")
}

cli_engine <- function(project, name) {
  project_entry(project$engines, first_of(name, project$defaults$engine, names(project$engines)[1]),
                "engine")
}

# The project's nodes, the one that stands for this machine first.
cli_nodes <- function(project, asked = NULL) {
  here <- if (is.null(asked)) "here" else asked
  first <- if (is.null(asked) && is.null(project$nodes[["here"]])) this_node()
           else project_entry(project$nodes, here, "node")
  c(list(first), project$nodes[setdiff(names(project$nodes), here)])
}

cli_readiness <- function(o, args) {
  project <- read_project(parts = c("nodes", "engines"))
  if (!length(project$nodes))
    stop_input("project", "has no node", instead = "Write one under nodes/.")
  seen <- if (has_ledger(project$ledger)) cli_ledger(project, code = seen_nodes)
  found <- node_readiness(project$nodes, project$engines,
                          first_of(o$engine, project$defaults$engine),
                          first_of(o$engine_version, project$defaults$version), seen, o$timeout)
  cli_emit(found, o$format, function() readiness_lines(found))
  if (any(found[["ready"]])) 0L else 1L
}

# Readiness of nodes, as a table.
readiness_lines <- function(x) {
  x <- as_frame(x)
  amount <- function(v, unit)
    ifelse(is.na(v), "unknown", paste(formatC(v, format = "f", digits = 1), unit))
  body <- data.frame(
    node = x[["node"]],
    state = ifelse(x[["contributing"]], "contributing", ifelse(x[["ready"]], "ready",
                                       ifelse(x[["reachable"]], "reachable",
                                              ifelse(x[["queued"]], "queued", "listed")))),
    versions = x[["versions"]], memory = amount(x[["memory_mb"]] / 1000, "GB"),
    disk = amount(x[["disk_mb"]] / 1000, "GB"), link = amount(x[["link_mb_s"]], "MB/s"),
    clock = ifelse(is.na(x[["clock_offset_s"]]), "unknown",
                   sprintf("%+.3f s", x[["clock_offset_s"]])),
    devices = x[["devices"]], check.names = FALSE
  )
  trouble <- !is.na(x[["says"]])
  c(sprintf("%d listed, %d reachable, %d ready, %d contributing", nrow(x), sum(x[["reachable"]]),
            sum(x[["ready"]]), sum(x[["contributing"]])), "",
    text_table(body, right = c("memory", "disk", "link", "clock"),
               spare = c("devices", "link", "disk", "clock")),
    if (any(trouble)) wrap_lines(paste0(x[["node"]], ": ", x[["says"]])[trouble]))
}

cli_dry_run <- function(project, plan, format) {
  expected <- if (has_ledger(project$ledger)) {
    cli_ledger(project, code = function(ledger) expected_trials(plan, ledger))
  } else expected_trials(plan, example_timings()[0, ])
  cli_emit(expected, format, function() expected_lines(expected, plan$until))
  0L
}

# The trials of a plan in the order they run, the first of them, and what all of them should take.
expected_lines <- function(x, until = NULL, most = 30) {
  x <- as_frame(x)
  limit <- vapply(seq_len(nrow(x)), function(i) {
    format_limit(lapply(list(samples = x$samples[i], noise = x$noise[i], time = x$time_s[i]),
                        null_if_na))
  }, "")
  body <- data.frame(
    trial = paste(x[["run_order"]]),
    block = ifelse(x[["repeat"]] == 0, "warm-up", paste(x[["repeat"]])),
    shot = x[["shot"]], frame = paste(x[["frame"]]),
    engine = paste0(x[["engine"]], ifelse(is.na(x[["version"]]), "", paste0(" ", x[["version"]]))),
    limit = limit,
    size = paste0(x[["width"]], "x", x[["height"]]), threads = paste(x[["threads"]]),
    devices = x[["devices"]], features = x[["features"]],
    expected = format_duration(x[["expected_s"]]), from = x[["basis"]], check.names = FALSE
  )
  plain <- vapply(body, function(column) all(is.na(column) | column == "NA"), NA)
  known <- !is.na(x[["expected_s"]])
  total <- if (any(known)) {
    # Unknown trials count as the mean of the others.
    paste0("about ", format_duration(sum(x[["expected_s"]][known]) * nrow(x) / sum(known)),
           if (!all(known))
           paste0(" (", sum(!known), " of them unknown, taken as the mean of the others)"))
  } else "of unknown time: nothing like them is in the ledger"
  hidden <- nrow(x) - most
  c(wrap_lines(paste0(nrow(x), " trials, ", total, "; nothing was run")),
    if (length(until))
    wrap_lines(paste0("Then more, until each mean is known to ", format_percent(until$target),
                      ", at most ", until$most, " runs of a setting")), "",
    text_table(utils::head(body[!plain], most), right = c("trial", "frame", "threads", "expected"),
               spare = c("block", "size", "from")),
    if (hidden > 0) paste0("(and ", hidden, " more; --format csv has all)"))
}

finding_lines <- function(x) if (nrow(x)) c("", wrap_lines(paste0("Note: ", x[["says"]], ".")))

# Results of a benchmark: one line per setting, and one for each failed trial. Values common to all
# settings are stated once, above.
bench_lines <- function(rows) {
  rows <- as_frame(rows)
  rows <- rows[rows[["activity"]] == "render", , drop = FALSE]
  good <- rows[is_evidence(rows), , drop = FALSE]
  good <- good[order(good[["shot"]], good[["frame"]], good[["engine"]], good[["engine_version"]],
                     good[["limit_value"]]), , drop = FALSE]
  setting <- data.frame(
    shot = good[["shot"]], frame = good[["frame"]],
    engine = paste(good[["engine"]], good[["engine_version"]]), limit = level_labels(good, "limit"),
    size = level_labels(good, "size"), node = good[["node"]],
    threads = level_labels(good, "threads"), features = level_labels(good, "features"),
    capacity = ifelse(is.na(good[["capacity"]]), "unknown", format_percent(good[["capacity"]]))
  )
  setting <- setting[!vapply(setting, function(column) all(column %in% c(NA, "unknown", "none")),
                             NA)]
  same <- vapply(setting, function(column) length(unique(column)) == 1, NA) &
    !names(setting) %in% c("shot", "frame")
  key <- row_key(setting, names(setting))
  groups <- split(good, factor(key, unique(key)))
  number <- function(f) vapply(groups, f, "", USE.NAMES = FALSE)
  median_time <- function(column) number(function(g) format_duration(stats::median(g[[column]])))
  body <- data.frame(
    setting[!duplicated(key), !same, drop = FALSE], runs = number(function(g) paste(nrow(g))),
    "median time" = median_time("wall_s"),
    "least to most" = number(function(g) paste(format_duration(range(g[["wall_s"]])),
                                               collapse = " to ")),
    load = median_time("load_s"), compute = median_time("compute_s"), check.names = FALSE
  )
  said <- vapply(which(same), function(k) paste(names(setting)[k], setting[1, k]), "")
  bad <- rows[rows[["status"]] != "ok", , drop = FALSE]
  faults <- paste0(bad[["shot"]], " frame ", bad[["frame"]], ", ", bad[["engine"]], ": ",
                   gsub("_", " ", bad[["status"]]), ": ", bad[["note"]])
  warm <- sum(rows[["repeat"]] == 0 & rows[["status"]] == "ok")
  c(paste0(nrow(rows), " trials: ", nrow(good), " measured, ", warm, " warm-up, ", nrow(bad),
           " not ok"),
    if (nrow(good)) c(
      if (length(said)) paste0("All with ", paste(said, collapse = ", ")), "",
      text_table(body, right = setdiff(names(body),
                                       c("shot", "engine", "limit", "size", "node", "features")),
                 spare = c("least to most", "load", "compute"))
    ),
    if (nrow(bad)) c("", faults))
}

# The options of a command that are columns of a timing, as they were given.
cli_row <- function(o) Filter(length, o[row_columns])

cli_jobs_list <- function(o, args) {
  project <- read_project(parts = character())
  cli_ledger(project, code = function(ledger) {
    if (length(args)) {
      events <- job_events(ledger, args[1])
      cli_emit(events, o$format, function() event_lines(events, args[1]))
    } else {
      known <- jobs(ledger)
      cli_emit(known, o$format, function() job_list_lines(known))
    }
  })
  0L
}

job_list_lines <- function(x) {
  if (!nrow(x)) return("no job yet: clockpigeon choose --record NAME writes one down")
  text_table(data.frame(job = x[["name"]], "written down" = x[["made_at"]], by = x[["by"]],
                        "chosen" = x[["pick"]], events = paste(x[["events"]]), check.names = FALSE),
             right = "events", spare = "by")
}

event_lines <- function(x, job) {
  blank <- function(column) ifelse(is.na(column), "", paste(column))
  c(paste0("Job ", job, ": ", nrow(x), if (nrow(x) == 1) " event" else " events"), "",
    text_table(data.frame(time = x[["time"]], what = x[["what"]], place = blank(x[["place"]]),
                          node = blank(x[["node"]]),
                          frame = blank(x[["frame"]]), source = blank(x[["source"]])),
               right = "frame", spare = c("node", "source")))
}

# Run `compare`.
cli_compare <- function(o, args) {
  project <- read_project(parts = "plans")
  want <- Filter(length, list(engine = o$engine, scene = o$scene))
  result <- cli_ledger(project, code = function(ledger) {
    compare_timings(if (length(want)) ledger_part(ledger, want) else ledger,
                    by = cli_factor(project, o$by), smallest = o$smallest, across = o$across,
                    weights = cli_weights(o$mix), activity = o$activity, time = o$time)
  })
  by <- cli_factor(project, o$by)
  kept <- if (by %in% picture_factors) {
    cli_ledger(project, code = function(ledger)
               matched_pictures(timings_with_pictures(ledger, want), by))
  }
  cli_emit(result, o$format, function() c(comparison_lines(result), picture_check_lines(kept)))
  cli_figure(result, o$figure)
  0L
}

# The factor to compare by: the one asked, or else the one the project's default plan studies.
cli_factor <- function(project, asked) {
  plan <- if (length(project$defaults$plan)) project$plans[[project$defaults$plan]]
  first_of(asked, plan$study, "engine_version")
}

# Texts such as "gears=2,basin=1" by name; NULL if none was given.
cli_pairs <- function(text, where, example) {
  if (is.null(text)) return(NULL)
  parts <- strsplit(strsplit(text, ",", fixed = TRUE)[[1]], "=", fixed = TRUE)
  if (any(lengths(parts) != 2)) {
    stop_input("usage", paste("got", show_value(text)), where, paste0("Write ", example, "."))
  }
  stats::setNames(vapply(parts, `[[`, "", 2), trimws(vapply(parts, `[[`, "", 1)))
}

cli_weights <- function(text) {
  example <- "scenes and weights as gears=2,basin=1"
  pairs <- cli_pairs(text, "option --mix", example)
  if (is.null(pairs)) return(NULL)
  weights <- suppressWarnings(as.numeric(pairs))
  if (anyNA(weights)) {
    stop_input("usage", paste("got", show_value(text)), "option --mix",
               paste0("Write ", example, "."))
  }
  stats::setNames(weights, names(pairs))
}

cli_figure <- function(x, path, ...) {
  if (is.null(path)) return(invisible())
  attach_defaults()
  write_figure(ggplot2::autoplot(x, ...), path)
  cli_note("figure: ", path)
}

# ---- typed plans ---------------------------------------------------------------------------------

# A plan's file with fields typed again, or a plan that is typed altogether.

typed_plan_fields <- c("shots", "engines", "frames", "limits", "sizes", "threads", "devices",
                       "repeats")

# A plan that is typed alone: the project's shots and engine.
default_plan <- function(project) {
  file <- filled_record("cp_plan_file", plan_fields(), plan = "typed", path = "command line")
  engine <- first_of(project$defaults$engine, names(project$engines)[1])
  file$shots <- first_of(project$defaults$shots, names(project$shots))
  file$engines <- list(list(engine = engine, versions = NULL))
  file
}

# The plan that a command line names or types.
cli_plan <- function(project, name, o) {
  if (!any(lengths(o[typed_plan_fields]))) return(project_plan(project, name))
  file <- if (length(name)) project_entry(project$plans, name, "plan") else default_plan(project)
  parts <- function(text) trimws(strsplit(text, ",", fixed = TRUE)[[1]])
  if (length(o$shots)) file$shots <- parts(o$shots)
  if (length(o$engines)) file$engines <- lapply(parts(o$engines), typed_engine)
  if (length(o$frames)) {
    file$frames <- parse_frames(o$frames, "option --frames")
    file["probes"] <- list(NULL)
  }
  if (length(o$limits)) file$limits <- cli_limits(o$limits)
  if (length(o$sizes))
    file$sizes <- lapply(parts(o$sizes), parse_resolution, where = "option --sizes")
  if (length(o$threads)) file$threads <- parse_counts(o$threads, "option --threads")
  if (length(o$devices)) file$devices <- device_sets_field(parts(o$devices), "option --devices")
  if (length(o$repeats)) file$repeats <- check_count(o$repeats, "option --repeats")
  project$plans[[file$plan]] <- file
  project_plan(project, file$plan)
}

# An engine as `sundew`, or with a version as `sundew 4.2`.
typed_engine <- function(text) {
  words <- strsplit(text, " +")[[1]]
  list(engine = words[1], versions = if (length(words) > 1) words[-1])
}

# Limits as `64`, `samples 64`, `noise 2%` or `time 5min`, several with commas between.
cli_limits <- function(text, where = "option --limits") {
  lapply(trimws(strsplit(text, ",", fixed = TRUE)[[1]]), function(one) {
    words <- strsplit(one, " +")[[1]]
    if (length(words) == 1) words <- c("samples", words)
    value <- words[2]
    number <- suppressWarnings(as.numeric(if (grepl("%$", value)) as.numeric(sub("%$", "", value)) /
                                          100 else value))
    if (length(words) != 2 || !words[1] %in% limit_kinds || is.na(number) && words[1] != "time") {
      stop_input("limit", paste("got", show_value(one)), where,
                 paste0("Write samples as 64, or 'noise 0.02', or 'time 5min'; several with ",
                        "commas between."))
    }
    check_limit(stats::setNames(list(if (words[1] == "time") value else number), words[1]), where)
  })
}
