# Installs what is missing, and nothing else. On Debian as root from apt (seconds each), elsewhere R
# packages from CRAN.
#
#   Rscript tools/setup.R run|test|page|server|cluster|develop|site
#
# run: what the demo needs; test: and what only tests need; page: and what tests in a browser need;
# server: and what a ledger on a server needs; cluster: and a scheduler and SSH; develop: and what
# docs, lint and bench need; site: and what the reference site and the coverage need.
role <- c(commandArgs(trailingOnly = TRUE), "run")[1]
packages <- list(
  run = c("cli", "DBI", "jsonlite", "optparse", "processx", "Rcpp", "RSQLite", "tibble", "yaml",
          "ggplot2", "ggrepel", "htmltools", "zip", "openssl", "ps"),
  test = c("testthat", "png", "tiff", "curl", "later", "mirai", "data.table", "lpSolve", "withr",
           "knitr", "rmarkdown", "shiny", "bslib", "httpuv", "promises", "DT", "diffobj"),
  page = character(),
  server = c("lubridate", "hms", "cpp11", "RPostgres"),
  cluster = character(),
  develop = c("lintr", "roxygen2"),
  site = c("pkgdown", "covr")
)
stopifnot(role %in% names(packages))
programs <- list(run = character(),
                 test = c(pandoc = "pandoc", povray = "povray", ffmpeg = "ffmpeg", tmux = "tmux"),
                 page = c(chromium = "chromium", nodejs = "node", npm = "npm"),
                 server = c("libpq-dev" = "pg_config", "postgresql" = "pg_ctlcluster"),
                 cluster = c("slurm-wlm" = "slurmctld", munge = "munged", "openssh-server" = "sshd",
                             "openssh-client" = "ssh"), develop = character(), site = character())
# Each has those before it; what only some tests need is for these alone.
alone <- setdiff(c("page", "server", "cluster"), role)
roles <- setdiff(names(packages)[seq_len(match(role, names(packages)))], alone)

wanted <- unlist(packages[roles], use.names = FALSE)
lost <- wanted[!vapply(wanted, function(p) nzchar(system.file(package = p)), NA)]
tools <- unlist(unname(programs[roles]))
lost_tools <- names(tools)[!nzchar(Sys.which(tools))]
# The engine writes PNG: is libpng's header where the compiler finds it?
probe <- tempfile(fileext = ".cpp")
writeLines("#include <png.h>", probe)
compiler <- strsplit(system2(file.path(R.home("bin"), "R"), c("CMD", "config", "CXX"),
                             stdout = TRUE)[1], " ")[[1]]
if (system2(compiler[1], c(compiler[-1], "-E", shQuote(probe)), stdout = FALSE,
            stderr = FALSE) != 0) lost_tools <- c(lost_tools, "libpng")
if (!length(c(lost, lost_tools))) quit(save = "no")

message("Missing: ", toString(c(lost, lost_tools)))
install <- function(packages) {
  library_path <- Sys.getenv("R_LIBS_USER")
  if (file.access(.libPaths()[1], 2) != 0) {
    dir.create(library_path, recursive = TRUE, showWarnings = FALSE)
    .libPaths(library_path)
  }
  repos <- getOption("repos")
  if (is.null(repos) || any(repos == "@CRAN@")) repos <- c(CRAN = "https://cran.r-project.org")
  install.packages(packages, repos = repos, Ncpus = 2, quiet = TRUE)
  lost <- setdiff(packages, rownames(installed.packages()))
  if (length(lost)) stop("could not install ", toString(lost), call. = FALSE)
}

not_in_debian <- c("mirai", "RPostgres")
if (nzchar(Sys.which("apt-get")) && Sys.info()[["effective_user"]] == "root") {
  packaged <- setdiff(lost, not_in_debian)
  debs <- c(if (length(packaged)) paste0("r-cran-", tolower(packaged)),
            sub("^libpng$", "libpng-dev", lost_tools))
  Sys.setenv(DEBIAN_FRONTEND = "noninteractive")
  log <- tempfile()
  apt <- function(...) {
    status <- system2("apt-get", c("-qq", "-o", "Dpkg::Use-Pty=0", ...), stdout = FALSE,
                      stderr = log)
    if (status != 0) writeLines(readLines(log), stderr())
    status
  }
  if (length(debs)) {
    if (apt("update") != 0)
      message("apt-get update did not succeed; going on with the lists that are here")
    if (apt("install", "-y", "--no-install-recommends", debs) != 0) {
      stop("apt-get could not install ", toString(debs), call. = FALSE)
    }
  }
  if (length(intersect(lost, not_in_debian))) install(intersect(lost, not_in_debian))
} else {
  if (length(lost_tools))
    stop("Install with your system's package manager: ", toString(lost_tools), call. = FALSE)
  install(lost)
}
