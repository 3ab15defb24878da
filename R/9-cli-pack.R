# The commands `scan`, `pack` and `unpack`.

cli_scan <- function(args) {
  parsed <- cli_parse("scan", args)
  o <- parsed$options
  project <- read_project()
  if (!length(parsed$args)) stop_input("usage", "names no scene", "clockpigeon scan", "Write the scene's file.")
  found <- scan_scene(parsed$args, cli_engine(project, o$engine), project$root)
  # What is printed is a manifest: redirected into manifests/SHOT.csv, it is read as one.
  cli_emit(found, o$format, function() paste(c("kind", found[["kind"]]), c("path", found[["path"]]), sep = ","))
  0L
}

cli_pack <- function(args) {
  parsed <- cli_parse("pack", args)
  o <- parsed$options
  project <- read_project()
  named <- if (length(parsed$args)) parsed$args else names(project$manifests)
  if (!length(named)) stop_input("project", "has no manifest", instead = "Write one under manifests/.")
  packed <- bind_tables(lapply(named, function(name) {
    pack_shot(project_entry(project$manifests, name, "manifest"), project$root, o$out)
  }))
  cli_emit(packed, o$format, function() pack_lines(packed, project$sites))
  0L
}

cli_unpack <- function(args) {
  parsed <- cli_parse("unpack", args)
  into <- first_of(parsed$options$into, sub("\\.zip$", "", basename(parsed$args)))
  content <- unpack_parcel(parsed$args, into)
  show_lines(paste0(content$shot, ", version ", content$version, ": ", nrow(content$files), " files, ",
                    format_size(sum(content$files$bytes)),
                    ", each as listed, in ", into))
  0L
}
