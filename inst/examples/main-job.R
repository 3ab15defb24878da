# The main job from R: time real frames, keep them, forecast the job on every site, choose, and show why.
# Run it with: Rscript -e 'source(system.file("examples", "main-job.R", package = "clockpigeon"))'
library(clockpigeon)

# A copy of the demo project, to work in.
folder <- file.path(tempdir(), "tide-clock")
dir.create(folder)
file.copy(list.files(demo_file(), full.names = TRUE), folder, recursive = TRUE)
project <- read_project(folder)

# Time two frames of each shot with the built-in engine, twice, in shuffled blocks.
shots <- project$shots[project$defaults$shots]
plan <- plan_bench(shots, project$engines["pebble"], versions = list(pebble = "1.1"), repeats = 2,
                   options = bench_options(probes = 2))
ledger <- open_ledger(project$ledger)
run_bench(plan, ledger, node = project$nodes[["here"]])

# From these frames: the job on every site, and the choice.
job <- render_job(shots, "pebble", timings(ledger), currency = project$currency, rates = project$rates)
forecast <- forecast_job(plan_options(job, project$sites), draws = 500, seed = 1)
choice <- choose_option(forecast, deadline = "6 min", budget = "5 EUR", confidence = 0.9)
print(choice)

# What one shot costs in time, and how sure that is.
total_time(job$curves[[1]])
close_ledger(ledger)
