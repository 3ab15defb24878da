# Installs the package and its command, and prints the command's path. Installs only what changed
# since the last time.
#
#   Rscript tools/install.R [LIBRARY [FOLDER]] [--quick]
#
# --quick leaves out byte-compiling and the help pages: seconds instead of a minute, for
# `make quick`. LIBRARY: R's first library that can be written, or else the user's own, when absent.
# FOLDER of the command: /usr/local/bin when it can be written, or else ~/.local/bin.
args <- commandArgs(trailingOnly = TRUE)
quick <- "--quick" %in% args
args <- setdiff(args, "--quick")
writable <- function(folder) dir.exists(folder) && file.access(folder, 2) == 0
library_path <- if (length(args)) args[1] else {
  good <- Filter(writable, .libPaths())
  if (length(good)) good[1] else Sys.getenv("R_LIBS_USER")
}
dir.create(library_path, recursive = TRUE, showWarnings = FALSE)
library_path <- normalizePath(library_path)
folder <- if (length(args) > 1) args[2] else Find(writable, "/usr/local/bin")
if (!length(folder)) folder <- path.expand("~/.local/bin")

source("tools/hash.R")
hashes <- c(
  code = source_hash(c("DESCRIPTION", "NAMESPACE", "R", "inst", "man", "vignettes")),
  libs = source_hash("src"),
  R = R.version.string
)
installed <- file.path(library_path, "clockpigeon")
record <- file.path(installed, "source-hashes.rds")
before <- if (file.exists(record)) readRDS(record) else c(code = "", libs = "", R = "")
is_new <- function(part) !identical(before[c(part, "R")], hashes[c(part, "R")])

# Byte-compiling 2,500 functions takes as long as the C++, so both run at the same time and are put
# together after it.
run_install <- function(option, library_path) {
  log <- tempfile()
  call <- c("CMD", "INSTALL", "--no-test-load", option, "-l", shQuote(library_path), ".")
  status <- system2(file.path(R.home("bin"), "R"), call, stdout = log, stderr = log)
  if (status == 0) character() else readLines(log)
}
need_whole <- function(log) {
  if (!length(log)) return(invisible())
  writeLines(log, stderr())
  stop("the package could not be installed", call. = FALSE)
}
code_options <- c("--no-libs", if (quick) c("--no-byte-compile", "--no-docs"))
if (is_new("code") || is_new("libs")) {
  Sys.setenv(MAKEFLAGS = "-j2")
  built <- tempfile("libs")
  dir.create(built)
  if (is_new("code")) {
    if (.Platform$OS.type == "windows") {
      code_log <- run_install(code_options, library_path)
      libs_log <- run_install("--libs-only", built)
    } else {
      compiling <- parallel::mcparallel(run_install("--libs-only", built))
      code_log <- run_install(code_options, library_path)
      libs_log <- parallel::mccollect(compiling)[[1]]
    }
    need_whole(code_log)
  } else {
    libs_log <- run_install("--libs-only", built)
  }
  need_whole(libs_log)
  unlink(record)
  parts <- file.path(built, "clockpigeon", c("libs", "bin"))
  stopifnot(file.copy(parts, installed, recursive = TRUE, copy.mode = TRUE))
  saveRDS(hashes, record)
}
invisible(loadNamespace("clockpigeon", lib.loc = library_path))
cat(clockpigeon:::install_launcher(folder), "\n", sep = "")
