# Runs the tests against the package installed in a library, and ends with the counts.
#
#   Rscript tools/test.R LIBRARY [FILTER]
args <- commandArgs(trailingOnly = TRUE)
.libPaths(c(normalizePath(args[1]), .libPaths()))
Sys.setenv(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), NOT_CRAN = "true")
options(testthat.summary.max_reports = 100)
library(testthat)
results <- as.data.frame(test_dir("tests/testthat", package = "clockpigeon", load_package = "installed",
                                  reporter = "summary",
                                  filter = if (length(args) > 1) args[2], stop_on_failure = FALSE))
failed <- sum(results$failed) + sum(results$error)
skipped <- sum(results$skipped)
cat("\nslowest: ", paste0(head(results$test[order(-results$real)], 3), " (",
                          round(sort(results$real, decreasing = TRUE)[1:3], 1), " s)", collapse = "; "), "\n", sep = "")
cat(sum(results$passed), " passed, ", failed, " failed", if (skipped) paste0(", ", skipped, " skipped"), "\n", sep = "")
if (failed) quit(save = "no", status = 1)
