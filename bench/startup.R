# How long the command takes to start, beside R itself doing nothing, in turns.
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit) cat(name, format(value, digits = 4), unit, "\n")

folder <- tempfile("startup-")
dir.create(folder)
command <- clockpigeon:::install_launcher(folder)
invisible(file.copy(list.files(demo_file(), full.names = TRUE), folder, recursive = TRUE))
ledger <- open_ledger(file.path(folder, "ledger.sqlite"))
add_timings(ledger, example_timings())
close_ledger(ledger)
setwd(folder)
runs <- list(nothing = c(file.path(R.home("bin"), "Rscript"), "-e", "invisible()"),
             version = c(command, "--version"),
             help = c(command, "help"),
             compare = c(command, "compare"))
once <- function(run) {
  start <- Sys.time()
  processx::run(run[1], run[-1])
  as.numeric(Sys.time() - start, units = "secs")
}
times <- t(vapply(1:15, function(i) vapply(runs, once, 0), numeric(length(runs))))
say("rscript_nothing_median", stats::median(times[, "nothing"]), "s")
for (name in names(runs)[-1]) say(paste0(name, "_over_nothing_median_of_turns"),
                                  stats::median(times[, name] / times[, "nothing"]), "ratio")
