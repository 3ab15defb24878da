# Builds the C++ with the address and undefined-behaviour sanitizers into a library of its own, and
# runs the tests of the kernels and of the engine against it: any report ends them with an error.
#
#   Rscript tools/sanitize.R [--if-changed] [FILTER]
#
# A run of all these tests without a report leaves the hash of src/ in tools/sanitized.txt; with
# --if-changed nothing is run while src/ still has that hash.
args <- commandArgs(trailingOnly = TRUE)
source("tools/hash.R")
record <- "tools/sanitized.txt"
now <- source_hash("src")
if ("--if-changed" %in% args && file.exists(record) && identical(readLines(record), now)) {
  cat("The C++ is that of the last run under the sanitizers.\n")
  quit(save = "no")
}
args <- setdiff(args, "--if-changed")
filter <- if (length(args)) args[1] else
  "^1-(bill|clock|curve|frame|import|job|noise|watch)|^2-data-extent|^engine$"
home <- file.path(normalizePath("."), ".build", "sanitize")
unlink(home, recursive = TRUE)
package <- file.path(home, "package")
library_path <- file.path(home, "library")
for (folder in c(package, library_path)) dir.create(folder, recursive = TRUE)
parts <- c("DESCRIPTION", "NAMESPACE", "LICENSE", "R", "inst", "src")
invisible(file.copy(parts, package, recursive = TRUE))
unlink(c(Sys.glob(file.path(package, "src", "*.o")), Sys.glob(file.path(package, "src", "*.so")),
         file.path(package, "src", "pebble")))
flags <- "-fsanitize=address,undefined -fno-sanitize-recover=undefined -fno-omit-frame-pointer"
makevars <- file.path(home, "Makevars")
writeLines(c(paste("CXX17 = g++", flags), paste("CXX = g++", flags), "CXX17FLAGS = -g -O1"),
           makevars)
Sys.setenv(R_MAKEVARS_USER = makevars, MAKEFLAGS = "-j2")
log <- file.path(home, "install.log")
status <- system2(file.path(R.home("bin"), "R"),
                  c("CMD", "INSTALL", "--no-test-load", "--no-byte-compile", "--no-docs", "-l",
                    shQuote(library_path), package),
                  stdout = log, stderr = log)
if (status != 0) {
  writeLines(readLines(log), stderr())
  stop("the package could not be built with the sanitizers", call. = FALSE)
}
preload <- system2("g++", "-print-file-name=libasan.so", stdout = TRUE)
environment <- c(paste0("LD_PRELOAD=", preload),
                 "ASAN_OPTIONS=detect_leaks=0:alloc_dealloc_mismatch=0",
                 "UBSAN_OPTIONS=print_stacktrace=1")
status <- system2(file.path(R.home("bin"), "Rscript"),
                  c("--no-init-file", "tools/test.R", shQuote(library_path), shQuote(filter)),
                  env = environment)
if (status != 0) quit(save = "no", status = 1)
if (!length(args)) writeLines(now, record)
