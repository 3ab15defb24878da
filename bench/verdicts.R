# Do the verdicts hold?
#   equal   300 experiments of two settings that are the same command: how often are they called
#   faster or slower? truth   a comparison of 5 repeats beside one of 40, of the built-in engine's
#   two releases on the demo's scenes and of
#           POV-Ray at two settings: do the verdicts agree?
suppressPackageStartupMessages(library(clockpigeon))
say <- function(name, value, unit) cat(gsub(" ", "_", name), format(value, digits = 4), unit, "\n")
ledger <- open_ledger(":memory:")
project <- read_project(demo_file())
folder <- tempfile("verdicts-")
dir.create(folder)
own <- project$engines[["pebble"]]
own$features <- list(tag = list(a = "", b = ""))  # both stand for nothing: the command is the same
shot <- project$shots[["gears-review"]]
shot$size[] <- c(48L, 27L)
experiments <- as.integer(Sys.getenv("EXPERIMENTS", "300"))
found <- vapply(seq_len(experiments), function(k) {
  plan <- plan_bench(shot, own, versions = list(pebble = "1.1"), frames = 360,
                     limits = list(list(samples = 2)), repeats = 5,
                     options = bench_options(warmups = 0, seed = k,
                                             cross = list(features = list(tag = c("a", "b")))))
  compare_timings(run_bench(plan, ledger, progress = FALSE), "features")$verdict
}, "")
wrong <- sum(found != "no clear difference")
interval <- stats::binom.test(wrong, experiments)$conf.int
say("equal_settings_called_different", wrong / experiments,
    sprintf("share (%d of %d, 95%% interval %.3f to %.3f)", wrong, experiments, interval[1],
            interval[2]))

report_truth <- function(name, plan, by) {
  rows <- run_bench(plan, ledger, folder = folder, progress = FALSE)
  short <- compare_timings(rows[rows[["repeat"]] <= 5, ], by)
  long <- compare_timings(rows, by)
  at <- match(paste(long$scene, long$basis), paste(short$scene, short$basis))
  for (i in seq_len(nrow(long))) {
    s <- short[at[i], ]
    say(paste0(name, "_", long$scene[i], "_", long$basis[i]), long$ratio[i],
        sprintf("ratio (40 repeats: %.3f to %.3f, %s; first 5: %.3f to %.3f, %s)", long$lower[i],
                long$upper[i], long$verdict[i], s$lower, s$upper, s$verdict))
  }
  say(paste0(name, "_verdicts_that_agree"), mean(short$verdict[at] == long$verdict), "share")
}
small <- lapply(project$shots[project$defaults$shots], function(s) {
  s$size[] <- c(96L, 54L)
  s
})
report_truth("releases", plan_bench(small, project$engines["pebble"], repeats = 40,
                                    options = bench_options(probes = 1)),
             "engine_version")
if (nzchar(Sys.which("povray"))) {
  file.copy("tests/testthat/tide-bell.pov", folder)
  writeLines(c("shot: bell", "scene: tide-bell.pov", "frames: 1-24", "size: 64x36",
               "limit: {samples: 9}"),
             file.path(folder, "bell.yaml"))
  bell <- read_shot(file.path(folder, "bell.yaml"))
  report_truth("povray", plan_bench(bell, project$engines["povray"], frames = 12, threads = 1,
                                    repeats = 40,
                                    limits = list(list(samples = 9), list(samples = 12)),
                                    options = bench_options(warmups = 1)), "limit")
}
close_ledger(ledger)
unlink(folder, recursive = TRUE)
