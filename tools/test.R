# Runs the tests against the package installed in a library, on all cores, and ends with the counts.
#
#   Rscript tools/test.R LIBRARY [--long] [FILTER]
#
# Each file runs in a fork of its own. --long runs the files test-long-*.R, and nothing else.
args <- commandArgs(trailingOnly = TRUE)
long <- "--long" %in% args
args <- setdiff(args, "--long")
.libPaths(c(normalizePath(args[1]), .libPaths()))
filter <- if (length(args) > 1) args[2] else "."
cores <- max(1L, parallel::detectCores())
Sys.setenv(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), NOT_CRAN = "true",
           CLOCKPIGEON_TESTS = if (long) "long" else "short")
# What several files need and takes long to make is made once in a run.
fixtures <- tempfile("fixtures-")
dir.create(fixtures)
Sys.setenv(CLOCKPIGEON_FIXTURES = fixtures)
library(testthat)
files <- list.files("tests/testthat", "^test-.*\\.R$", full.names = TRUE)
name <- sub("^test-(.*)\\.R$", "\\1", basename(files))
files <- files[grepl(filter, name) & startsWith(name, "long-") == long]
if (!length(files)) stop("no test file matches ", filter, call. = FALSE)

# What took longest the last time goes first, so that no core is left with it alone at the end.
record <- ".build/test-times.csv"
past <- if (file.exists(record)) utils::read.csv(record) else
  data.frame(file = character(), seconds = numeric())
seconds <- past$seconds[match(basename(files), past$file)]
files <- files[order(-ifelse(is.na(seconds), mean(c(seconds, 5), na.rm = TRUE), seconds))]

run_file <- function(file) {
  began <- Sys.time()
  out <- tryCatch(
    test_file(file, reporter = "silent", package = "clockpigeon", load_package = "installed",
              stop_on_failure = FALSE),
    error = function(e) conditionMessage(e)
  )
  # A table leaves out what was thrown in a test: it is told from the results themselves.
  whole <- out
  if (!is.character(out)) out <- as.data.frame(out)
  found <- if (is.data.frame(out)) out else data.frame(
    file = basename(file), test = out, passed = 0, failed = 0, skipped = FALSE, error = TRUE,
    real = 0, result = NA
  )
  bad <- found$failed > 0 | found$error
  cat(sprintf("%-28s %4d passed%s  %5.1f s\n", sub("^test-|\\.R$", "", basename(file)),
              sum(found$passed),
              if (any(bad)) paste0(", ", sum(found$failed) + sum(found$error), " FAILED") else "",
              as.numeric(Sys.time() - began, units = "secs")))
  for (i in which(bad)) {
    says <- if (is.list(found$result))
      Filter(function(r) inherits(r, c("expectation_failure", "expectation_error")),
             whole[[i]]$results)
    cat("  ", found$test[i], "\n", sep = "")
    for (one in says) {
      where <- if (!is.null(one$srcref)) paste0("line ", as.integer(one$srcref)[1], ": ")
      cat(paste0("    ", strsplit(paste0(where, conditionMessage(one)), "\n", fixed = TRUE)[[1]],
                 collapse = "\n"),
          "\n", sep = "")
    }
  }
  found$why <- rep("", nrow(found))
  if (!is.character(whole)) found$why <- vapply(whole, function(one) {
    skips <- Filter(function(r) inherits(r, "expectation_skip"), one$results)
    if (length(skips)) sub("^Reason: ", "", conditionMessage(skips[[1]])) else ""
  }, "")
  found[c("file", "test", "passed", "failed", "skipped", "error", "real", "why")]
}

began <- Sys.time()
results <- parallel::mclapply(files, run_file, mc.cores = cores, mc.preschedule = FALSE)
crashed <- !vapply(results, is.data.frame, NA)
for (file in files[crashed]) cat("CRASHED: ", file, "\n", sep = "")
results <- do.call(rbind, results[!crashed])
if (filter == "." && !long) {
  times <- tapply(results$real, results$file, sum)
  dir.create(dirname(record), showWarnings = FALSE)
  utils::write.csv(data.frame(file = names(times), seconds = as.numeric(times)), record,
                   row.names = FALSE)
}
slow <- head(results[order(-results$real), ], 10)
cat("\nslowest:\n",
    sprintf("  %5.1f s  %s: %s\n", slow$real, sub("^test-|\\.R$", "", slow$file), slow$test),
    sep = "")
failed <- sum(results$failed) + sum(results$error) + sum(crashed)
skipped <- results[results$skipped, ]
if (nrow(skipped)) {
  cat("skipped:\n",
      sprintf("  %s: %s: %s\n", sub("^test-|\\.R$", "", skipped$file), skipped$test, skipped$why),
      sep = "")
}
cat(sprintf("%.0f s on %d cores\n", as.numeric(Sys.time() - began, units = "secs"), cores))
cat(sum(results$passed), " passed, ", failed, " failed\n", sep = "")
if (failed) quit(save = "no", status = 1)
