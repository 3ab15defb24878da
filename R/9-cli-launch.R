# The program that runs the command line.

#' Install the command
#'
#' Writes a small program `clockpigeon` that runs [cli()] with the library this package is installed in.
#'
#' @param folder Folder on the PATH.
#' @return The path of the program, invisibly.
#' @section Conditions: `clockpigeon_error_file` when the folder cannot be written.
#' @noRd
install_launcher <- function(folder) {
  folder <- check_text(folder, argument("folder"))
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  check_folder_open(folder)
  lines <- readLines(system.file("launch", "clockpigeon", package = "clockpigeon"))
  fill <- c("@LIBRARY@" = dirname(getNamespaceInfo("clockpigeon", "path")),
            "@RSCRIPT@" = file.path(R.home("bin"), "Rscript"))
  for (mark in names(fill)) lines <- gsub(mark, fill[[mark]], lines, fixed = TRUE)
  path <- file.path(normalizePath(folder), "clockpigeon")
  writeLines(lines, path)
  Sys.chmod(path, "755")
  invisible(path)
}
