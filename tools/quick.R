# Tests what changed since a commit: the tests of changed files, of files that call a changed
# function, and changed tests. Installs without byte-compiling, so that a change costs seconds.
#
#   Rscript tools/quick.R [COMMIT]     COMMIT: HEAD when absent; the one before when nothing changed
library_path <- ".build/quick"
dir.create(library_path, recursive = TRUE, showWarnings = FALSE)
git <- function(...) suppressWarnings(system2("git", c(...), stdout = TRUE, stderr = FALSE))
changed_since <- function(commit) {
  unique(c(git("diff", "--name-only", commit), git("ls-files", "--others", "--exclude-standard")))
}
since <- c(commandArgs(trailingOnly = TRUE), "HEAD")[1]
changed <- changed_since(since)
if (!any(grepl("^(R|tests/testthat|src)/", changed)) && since == "HEAD") {
  since <- "HEAD~1"
  changed <- changed_since(since)
}

# Definitions of a file, by name, as text; and the names that it uses.
definitions <- function(lines) {
  out <- list()
  for (one in as.list(parse(text = lines, keep.source = FALSE))) {
    if (is.call(one) && identical(one[[1]], quote(`<-`)) && is.name(one[[2]])) {
      out[[as.character(one[[2]])]] <- paste(deparse(one[[3]]), collapse = "\n")
    }
  }
  out
}
changed_names <- function(file) {
  now <- if (file.exists(file)) definitions(readLines(file)) else list()
  before <- definitions(git("show", paste0(since, ":", file)))
  names <- union(names(now), names(before))
  names[!vapply(names, function(name) identical(now[[name]], before[[name]]), NA)]
}

sources <- setdiff(list.files("R", "[.]R$", full.names = TRUE), "R/RcppExports.R")
of_code <- grep("^R/.*[.]R$", changed, value = TRUE)
names <- unlist(lapply(setdiff(of_code, "R/RcppExports.R"), changed_names))
uses <- function(file) any(all.names(parse(file, keep.source = FALSE)) %in% names)
callers <- if (length(names)) Filter(uses, sources)
# A change of C++ concerns all of layer 1, which alone calls it.
if (any(grepl("^src/", changed))) callers <- c(callers, grep("^R/1-", sources, value = TRUE))
of_tests <- grep("^tests/testthat/test-.*[.]R$", changed, value = TRUE)
wanted <- unique(c(sub("^R/(.*)[.]R$", "\\1", c(of_code, callers)),
                   sub("^tests/testthat/test-(.*)[.]R$", "\\1", of_tests)))
wanted <- wanted[file.exists(paste0("tests/testthat/test-", wanted, ".R"))]
if (!length(wanted)) {
  cat("Nothing that has a test changed since ", since, ".\n", sep = "")
  quit(save = "no")
}
cat("Changed since ", since, ": ", toString(names), "\n", sep = "")
run <- function(...) {
  status <- system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", ...))
  if (status != 0) quit(save = "no", status = 1)
}
run("tools/install.R", library_path, library_path, "--quick")
filter <- paste0("^(", paste(wanted, collapse = "|"), ")$")
run("tools/test.R", library_path, shQuote(filter))
