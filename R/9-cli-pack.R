# The commands `scan`, `pack` and `unpack`.

cli_scan <- function(o, args) {
  project <- read_project()
  if (!length(args))
    stop_input("usage", "names no scene", "clockpigeon scan", "Write the scene's file.")
  found <- scan_scene(args, cli_engine(project, o$engine), project$root)
  # What is printed is a manifest: redirected into manifests/SHOT.csv, it is read as one.
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
