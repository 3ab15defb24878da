# The command `limit`: probe, study, show.

cli_limit <- function(args) {
  parsed <- cli_parse("limit", args)
  o <- parsed$options
  project <- read_project()
  shot <- project_entry(project$shots, first_of(if (length(parsed$args)) parsed$args[1], project$defaults$shots[1],
                                                names(project$shots)[1]), "shot")
  engine <- project_entry(project$engines, first_of(o$engine, project$defaults$engine, names(project$engines)[1]),
                          "engine")
  probes <- cli_ledger(project, FALSE, function(ledger) {
    probe_limit(shot, engine, ledger, parse_counts(o$samples, "option --samples"), o$frames,
                bench_options(probes = 2, sizes = if (length(o$size)) list(parse_resolution(o$size, "option --size"))),
                o$engine_version, o$reference, cli_nodes(project), project$root,
                if (length(o$keep)) o$keep else tempfile("clockpigeon-probes-"), progress = TRUE)
  })
  price <- cli_limit_price(project, o, engine)
  study <- study_limit(probes, cli_noise(o$noise, "option --noise"), cli_noise(o$tile_noise, "option --tile-noise"),
                       o$confidence, if (length(price)) price$hourly else NA_real_)
  cli_show_limit(study, price, o)
}

cli_show_limit <- function(study, price, o) {
  governs <- which(study$frames[["governs"]])
  counts <- range(study$probes$pairs[["samples"]])
  found <- study$frames[["samples"]][governs]
  steps <- limit_doublings(study$fits[[governs]], counts[1], max(counts[2], 2 * found, na.rm = TRUE),
                           if (length(price)) price$hourly else NA_real_, length(study$probes$shot$frames))
  limits <- if (!is.na(found) && study$probes$against == "render") three_limits(study)
  cli_emit(study$frames, o$format, function() study_lines(study, steps, limits, price))
  cli_figure(study$fits[[governs]], o$figure, target = study$targets[["noise"]])
  if (is.na(found)) 3L else 0L
}

# The price of an hour at the site asked for, as of this machine.
cli_limit_price <- function(project, o, engine) {
  if (is.null(o$site)) return(NULL)
  site <- project_entry(project$sites, o$site, "site")
  price <- hourly_price(site, engine$engine, "here")
  if (is.null(price)) {
    stop_input("evidence", paste0("nothing says how fast ", site$site, " runs ", engine$engine, " beside this machine"),
               "option --site", "Write `speeds` or `nodes_like` into its card.")
  }
  price
}

# Noise as 2% or 0.02.
cli_noise <- function(text, where) {
  if (is.null(text)) return(NULL)
  number <- suppressWarnings(as.numeric(sub("%$", "", trimws(text))))
  if (is.na(number) || number <= 0) {
    stop_input("usage", paste("got", show_value(text)), where, "Write a share of the brightness, such as 2% or 0.02.")
  }
  if (grepl("%$", trimws(text))) number / 100 else number
}

parse_counts <- function(text, where) {
  counts <- suppressWarnings(as.numeric(strsplit(text, ",", fixed = TRUE)[[1]]))
  if (!length(counts) || anyNA(counts)) {
    stop_input("usage", paste("got", show_value(text)), where, "Write counts as 4,16,64.")
  }
  counts
}
