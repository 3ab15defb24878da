# The program that runs the command line, and its standard output.

#' Install the command
#'
#' Writes a small program `clockpigeon` that runs [cli()] with the library this package is installed
#' in.
#'
#' @param folder Folder on the PATH.
#' @param windows Whether to write it for Windows: `clockpigeon.cmd`.
#' @return The path of the program, invisibly.
#' @section Conditions: `clockpigeon_error_file` when the folder cannot be written.
#' @noRd
install_launcher <- function(folder, windows = .Platform$OS.type == "windows") {
  folder <- check_text(folder, argument("folder"))
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  check_folder_open(folder)
  name <- if (windows) "clockpigeon.cmd" else "clockpigeon"
  lines <- readLines(system.file("launch", name, package = "clockpigeon"))
  fill <- c("@LIBRARY@" = dirname(getNamespaceInfo("clockpigeon", "path")),
            "@RSCRIPT@" = file.path(R.home("bin"), "Rscript"))
  for (mark in names(fill)) lines <- gsub(mark, fill[[mark]], lines, fixed = TRUE)
  path <- file.path(real_path(folder), name)
  file <- file(path, "wb")
  on.exit(close(file))
  writeLines(lines, file, sep = if (windows) "\r\n" else "\n")
  Sys.chmod(path, "755")
  invisible(path)
}

# ---- output --------------------------------------------------------------------------------------

# Runs code that prints, and then writes its output to standard output. A closed reader is no error;
# any other failure to write is one.
with_output <- function(code) {
  colors <- cli::num_ansi_colors()
  old <- options(cli.num_colors = colors, clockpigeon.terminal = isatty(stdout()))
  on.exit(options(old))
  out <- rawConnection(raw(0), "w")
  depth <- sink.number()
  sink(out)
  on.exit({
    while (sink.number() > depth) sink()
    bytes <- rawConnectionValue(out)
    close(out)
    write_output(bytes)
  }, add = TRUE, after = FALSE)
  code
}

# Write text to standard output; an error if it does not arrive.
write_output <- function(bytes) {
  if (!length(bytes)) return(invisible())
  con <- processx::conn_create_fd(1L, close = FALSE)
  left <- bytes
  failed <- function(e) {
    why <- conditionMessage(e)
    if (grepl("EPIPE|roken pipe|errno 32", why)) return(NULL)
    stop("the output could not be written: ",
         if (grepl("No space|errno 28", why)) "no space is left" else
      "standard output does not take it", call. = FALSE)
  }
  while (length(left)) {
    left <- tryCatch(processx::conn_write(con, left), error = failed)
  }
  invisible()
}

# Does a person read the output? Checked before the output is captured.
on_terminal <- function() isTRUE(getOption("clockpigeon.terminal", isatty(stdout())))

# Writes at once what cannot wait for the end: a question, a screen, a stream.
write_at_once <- function(...) {
  text <- paste0(..., collapse = "")
  if (is.null(getOption("clockpigeon.terminal"))) cat(text) else
    write_output(charToRaw(enc2utf8(text)))
  invisible()
}
