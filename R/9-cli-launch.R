# The program that runs the command line.

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
