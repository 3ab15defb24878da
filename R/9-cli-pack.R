# The commands `pack` and `unpack`.

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
