#' clockpigeon: render times measured, forecast and chosen from
#'
#' Benchmarks frames as a careful experimenter would, keeps the timings in a ledger, forecasts
#' duration and cost of a job on each site from them, and chooses by deadline and budget. Start with
#' `clockpigeon demo` on the command line, or in R with the script
#' `system.file("examples", "main-job.R", package = "clockpigeon")`.
#'
#' @useDynLib clockpigeon, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @keywords internal
"_PACKAGE"

# For people tables are tibbles that print as such; the command line, which does not attach the
# package, starts without.
.onAttach <- function(libname, pkgname) tibble::tibble()
