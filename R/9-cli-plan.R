# Plans on the command line: a plan's file with fields typed anew, or one that is typed altogether.

typed_plan_fields <- c("shots", "engines", "frames", "limits", "sizes", "threads", "devices",
                       "repeats")

cli_plan <- function(project, name, o) {
  typed <- Filter(length, o[typed_plan_fields])
  if (!length(typed)) return(project_plan(project, name))
  file <- if (length(name)) project_entry(project$plans, name, "plan")
          else structure(defaults_of(plan_fields()), class = "cp_plan_file", path = "command line")
  if (is.null(name)) {
    file$plan <- "typed"
    file$shots <- first_of(project$defaults$shots, names(project$shots))
    file$engines <- list(list(engine = first_of(project$defaults$engine, names(project$engines)[1]),
                              versions = NULL))
  }
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
                 "Write samples as 64, or 'noise 0.02', or 'time 5min'; several with commas between.")
    }
    check_limit(stats::setNames(list(if (words[1] == "time") value else number), words[1]), where)
  })
}
