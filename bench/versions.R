# The true answer behind the demo's comparison of versions: release 1.1 of the built-in engine
# against 1.0 on the three scenes, 12 pairs in turns.
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit) cat(name, format(value, digits = 4), unit, "\n")
project <- read_project(demo_file())
ledger <- open_ledger(":memory:")
plan <- plan_bench(project$shots[project$defaults$shots], project$engines["pebble"], threads = 1,
                   repeats = 4, options = bench_options(probes = 3))
rows <- run_bench(plan, ledger, progress = FALSE)
x <- compare_timings(rows, "engine_version")
for (i in seq_len(nrow(x))) {
  name <- gsub(" ", "_", paste(x$scene[i], x$basis[i]))
  say(paste0("release_1.0_over_1.1_", name), x$ratio[i],
      sprintf("ratio (95%% interval %.2f to %.2f, %d pairs, %s)", x$lower[i], x$upper[i],
              x$pairs[i], x$verdict[i]))
}
close_ledger(ledger)
