# The command line: dispatch, help and exit codes.

cli_commands <- list(
  demo = list(about = "run the main job on the demo project", run = function(args) cli_demo(args)),
  bench = list(about = "time real renders as a plan says, and keep them in the ledger",
               run = function(args) cli_bench(args)),
  nodes = list(about = "ask each node whether it is ready", run = function(args) cli_readiness(args)),
  import = list(about = "take timings in from logs, folders of frames, pictures and tables",
                run = function(args) cli_import(args)),
  jobs = list(about = "list the jobs of the ledger, or what happened to one", run = function(args) cli_jobs_list(args)),
  record = list(about = "write down a time that was read off a screen", run = function(args) cli_record(args)),
  limit = list(about = "find how many samples are enough, and what the next doubling would buy",
               run = function(args) cli_limit(args)),
  probe = list(about = "measure frames of a shot until its total is known well enough",
               run = function(args) cli_probe(args)),
  picture = list(about = "say whether two pictures are the same, but for noise, or different",
                 run = function(args) cli_picture(args)),
  compare = list(about = "compare timings, like with like", run = function(args) cli_compare(args)),
  backtest = list(about = "forecast what the ledger already knows, and say how far off that was",
                  run = function(args) cli_backtest(args)),
  sites = list(about = "show the project's rate cards, or one of them", run = function(args) cli_sites(args)),
  bill = list(about = "price what a job used, to the cent", run = function(args) cli_bill(args)),
  check = list(about = "check shots before anything is sent or paid", run = function(args) cli_check(args)),
  scan = list(about = "list the files that a text scene names, as a manifest", run = function(args) cli_scan(args)),
  pack = list(about = "make one parcel of all that a shot needs", run = function(args) cli_pack(args)),
  unpack = list(about = "unpack a parcel, and hold every file against its list", run = function(args) cli_unpack(args)),
  forecast = list(about = "forecast duration and cost of a job on every site", run = function(args) cli_forecast(args)),
  choose = list(about = "choose where to render, by deadline and budget", run = function(args) cli_choose(args)),
  report = list(about = "write the choice as an HTML page", run = function(args) cli_report(args)),
  help = list(about = "say what a command does", run = function(args) cli_help(args))
)

#' The command line
#'
#' What the `clockpigeon` program runs. Data goes to standard output, progress and notes to standard error.
#'
#' @param args Character vector of arguments; those of the R process when absent.
#' @return The exit status, invisibly: 0 done, 1 failed, 2 bad input or usage, 3 done but no option fits. As a
#'   program, `install_launcher()` makes of it a process that ends with this status.
#' @section Conditions: none; errors are printed on standard error and become a status.
#' @examples
#' cli("--version")
#' cli(c("help", "compare"))
#' @export
cli <- function(args = commandArgs(trailingOnly = TRUE)) {
  fail <- function(e, status) {
    cat("clockpigeon: ", conditionMessage(e), "\n", sep = "", file = stderr())
    status
  }
  status <- tryCatch(
    cli_run(args),
    clockpigeon_error = function(e) fail(e, 2L), error = function(e) fail(e, 1L),
    interrupt = function(e) fail(simpleCondition("interrupted"), 1L)
  )
  invisible(as.integer(status))
}

cli_run <- function(args) {
  if (!length(args) || args[1] %in% c("--help", "-h")) return(cli_help(character()))
  if (args[1] == "--version") {
    cat("clockpigeon ", package_version_text(), "\n", sep = "")
    return(0L)
  }
  command <- args[1]
  if (!command %in% names(cli_commands)) {
    near <- closest(command, names(cli_commands))
    stop_input("usage", paste0("no command '", command, "'"),
               instead = if (length(near)) paste0("Did you mean ", near, "?") else "See clockpigeon help.")
  }
  if (any(args[-1] %in% c("--help", "-h"))) return(cli_help(command))
  cli_commands[[command]]$run(args[-1])
}

package_version_text <- function() getNamespaceVersion("clockpigeon")[[1]]

cli_help <- function(args) {
  if (length(args) && args[1] %in% names(cli_options)) {
    parser <- cli_parser(args[1])
    cat("clockpigeon ", args[1], ": ", cli_commands[[args[1]]]$about, "\n\n", sep = "")
    optparse::print_help(parser)
    return(0L)
  }
  if (length(args) && args[1] != "help") {
    stop_input("usage", paste0("no command '", args[1], "'"), instead = "See clockpigeon help.")
  }
  lines <- vapply(names(cli_commands), function(name) sprintf("  %-9s %s", name, cli_commands[[name]]$about), "")
  cat("Usage: clockpigeon COMMAND [OPTIONS]\n", "",
      "Render times measured, forecast and chosen from. Run it in a project folder.", "", lines, "",
      "clockpigeon help COMMAND tells the options of a command; clockpigeon --version the version.",
      "Exit status: 0 done, 1 failed, 2 bad input or usage, 3 done but no option fits.", sep = "\n")
  cat("\n")
  0L
}

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
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE) ||
      file.access(folder, 2) != 0) {
    stop_input("file", "this folder cannot be written", folder, "Name another folder on the PATH.")
  }
  lines <- readLines(system.file("launch", "clockpigeon", package = "clockpigeon"))
  fill <- c("@LIBRARY@" = dirname(getNamespaceInfo("clockpigeon", "path")),
            "@RSCRIPT@" = file.path(R.home("bin"), "Rscript"))
  for (mark in names(fill)) lines <- gsub(mark, fill[[mark]], lines, fixed = TRUE)
  path <- file.path(normalizePath(folder), "clockpigeon")
  writeLines(lines, path)
  Sys.chmod(path, "755")
  invisible(path)
}
