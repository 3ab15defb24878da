# Installs the package and its command, and prints the command's path.
#
#   Rscript tools/install.R [LIBRARY [FOLDER]]
#
# LIBRARY: R's first library that can be written, or else the user's own, when absent. FOLDER of the command:
# /usr/local/bin when it can be written, or else ~/.local/bin.
args <- commandArgs(trailingOnly = TRUE)
writable <- function(folder) dir.exists(folder) && file.access(folder, 2) == 0
library_path <- if (length(args)) args[1] else {
  good <- Filter(writable, .libPaths())
  if (length(good)) good[1] else Sys.getenv("R_LIBS_USER")
}
dir.create(library_path, recursive = TRUE, showWarnings = FALSE)
folder <- if (length(args) > 1) args[2] else Find(writable, "/usr/local/bin")
if (!length(folder)) folder <- path.expand("~/.local/bin")
log <- tempfile()
Sys.setenv(MAKEFLAGS = "-j2")
install <- c("CMD", "INSTALL", "--no-test-load", "-l", shQuote(library_path), ".")
status <- system2(file.path(R.home("bin"), "R"), install, stdout = log, stderr = log)
if (status != 0) {
  writeLines(readLines(log), stderr())
  stop("the package could not be installed", call. = FALSE)
}
invisible(loadNamespace("clockpigeon", lib.loc = library_path))
cat(clockpigeon:::install_launcher(folder), "\n", sep = "")
