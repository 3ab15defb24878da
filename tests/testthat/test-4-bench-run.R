test_that("real renders are timed and kept, warm-up apart", {
  ledger <- memory_ledger()
  plan <- plan_bench(small_shot(), pebble(), frames = c(1, 400), repeats = 2)
  kept <- scratch()
  rows <- run_bench(plan, ledger, keep = kept, progress = FALSE)
  expect_identical(rows$status, rep("ok", 10))
  expect_identical(rows[["repeat"]], plan$trials[["repeat"]])
  expect_identical(rows$frame, as.integer(plan$trials$frame))
  expect_identical(rows$engine_version, plan$trials$version)
  expect_identical(rows$warm, plan$trials[["repeat"]] > 0)
  expect_true(all(rows$load_s + rows$compute_s <= rows$wall_s))
  expect_true(all(rows$samples_done == 2 & rows$kind == "measured" & rows$peak_mem_mb > 1))
  expect_true(all(file.exists(rows$output)))
  expect_identical(timings(ledger), rows)
  expect_identical(DBI::dbGetQuery(ledger$con, "SELECT seed FROM plans")$seed, 1L)
})

test_that("what was measured before a stop is in the ledger", {
  folder <- scratch()
  path <- file.path(folder, "l.sqlite")
  engine <- script_engine(folder, "[ \"$2\" = 2 ] && sleep 60", "echo load 1 compute 2",
                          paste("cp", one_pixel(folder), "$1"))
  saveRDS(plan_bench(small_shot(), engine, frames = c(1, 3, 2), repeats = 1,
                     options = bench_options(warmups = 0, seed = 5)), file.path(folder, "plan.rds"))
  order <- readRDS(file.path(folder, "plan.rds"))$trials$frame
  code <- sprintf(
    "library(clockpigeon); run_bench(readRDS('%s/plan.rds'), open_ledger('%s'), progress = FALSE)",
    folder, path)
  job <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code),
                               cleanup_tree = TRUE)
  before <- which(order == 2) - 1L
  rows_so_far <- function() {
    watcher <- open_ledger(path, read_only = TRUE)
    on.exit(close_ledger(watcher))
    nrow(timings(watcher))
  }
  for (i in 1:200) {
    Sys.sleep(0.05)
    if (i > 30 && tryCatch(rows_so_far() == before, error = function(e) FALSE)) break
  }
  job$kill_tree()
  ledger <- open_ledger(path)
  expect_identical(timings(ledger)$frame, as.integer(order[seq_len(before)]))
  expect_identical(timings(ledger)$status, rep("ok", before))
  close_ledger(ledger)
})

test_that("POV-Ray is driven for real: three frames of a scene of ours, compared and forecast", {
  skip_if(!nzchar(Sys.which("povray")), "POV-Ray is not installed")
  folder <- scratch()
  file.copy(test_path("tide-bell.pov"), folder)
  shot <- read_shot(write_file(folder, "bell.yaml", "shot: bell", "scene: tide-bell.pov",
                               "frames: 1-24", "size: 96x54", "limit: {samples: 9}"))
  engine <- read_engine(system.file("engines", "povray.yaml", package = "clockpigeon"))
  ledger <- memory_ledger()
  plan <- plan_bench(shot, engine, frames = c(4, 12, 20),
                     limits = list(list(samples = 9), list(samples = 40)), threads = 1, repeats = 2,
                     options = bench_options(warmups = 0))
  rows <- run_bench(plan, ledger, folder = folder, progress = FALSE)
  expect_identical(rows$status, rep("ok", 12))
  expect_match(rows$engine_version, "^3\\.")
  expect_true(all(is.finite(rows$compute_s) & rows$compute_s <= rows$wall_s))
  by_limit <- compare_timings(rows, "limit")
  expect_identical(by_limit$new, "samples 40")
  expect_lt(by_limit$ratio, 1)
  job <- render_job(shot, "povray", rows)
  site <- read_site(write_file(folder, "own.yaml", "site: own", "kind: own", "as_of: 2026-11-01",
                               "source: a test", "currency: EUR", "engines: [povray]",
                               "nodes_like: [here]", "power: 200 W", "meter: rendering",
                               "price: {per: kWh, amount: 0.30 EUR}",
                               "tiers: [{tier: day, nodes: [1, 2]}]"))
  s <- summary(forecast_job(plan_options(job, site), draws = 200))
  expect_identical(s$evidence, c("measured", "measured"))
  expect_true(all(s$finish_p10 > 0 & s$finish_p10 <= s$finish_p90))
  expect_gt(s$finish_p50[1], s$finish_p50[2])
})

test_that("features and devices are crossed, passed on, and part of the setting", {
  ledger <- memory_ledger()
  plan <- plan_bench(small_shot(), pebble(), versions = list(pebble = "1.1"), frames = 1,
                     repeats = 1, options = bench_options(warmups = 0, study = "features",
                                                          cross = factor_grid(
                                                            features = list(bounces = c("2", "32")),
                                                            devices = c("all", "shared"))))
  node <- read_node(write_file(scratch(), "n.yaml", "node: desk",
                               "devices: [{device: chip, kind: cpu, cores: 2, share: 0.5}]"))
  rows <- run_bench(plan, ledger, node, progress = FALSE)
  expect_identical(rows$status, rep("ok", 4))
  expect_setequal(paste(rows$features, rows$threads, rows$capacity),
                  paste(rep(c('{"bounces":"2"}', '{"bounces":"32"}'), 2), rep(2:1, each = 2),
                        rep(c("1", "0.5"), each = 2)))
  odd <- plan_bench(small_shot(), pebble(), versions = list(pebble = "1.1"), frames = 1,
                    repeats = 1,
                    options = bench_options(warmups = 0,
                                            cross = factor_grid(
                      features = list(denoise = c("on", "off")))))
  expect_identical(unique(run_bench(odd, ledger, progress = FALSE)$note),
                   "pebble knows no feature denoise")
  expect_refusal(plan_bench(small_shot(), pebble(), frames = 1,
                            options = bench_options(study = "threads")), "plan",
                 "has one level")
})

test_that("only settings that are not known well enough get one more block, within counts and budget", {
  trials <- as.data.frame(plan_bench(small_shot(), pebble(), versions = list(pebble = "1.1"),
                                     frames = 1:2, repeats = 3,
                                     options = bench_options(warmups = 0))$trials)
  rows <- some_timings(ifelse(trials$frame == 1, 10, c(10, 14, 8)[trials[["repeat"]]]),
                       run_order = trials$run_order)
  more <- function(...) clockpigeon:::next_block(trials, rows, repeat_rule(0.05, ...), seed = 1)
  block <- more(least = 3, most = 6)
  expect_identical(block$frame, 2L)
  expect_identical(c(block[["repeat"]], block$run_order), c(4L, 7L))
  expect_null(more(least = 3, most = 3))
  expect_null(more(budget = 50))
  expect_null(clockpigeon:::next_block(trials, rows, NULL, seed = 1))
  rows$status[rows$run_order %in% trials$run_order[trials$frame == 2]] <- "failed"
  expect_null(more(least = 3, most = 6))
  expect_refusal(repeat_rule(least = 5, most = 4), "type")
})

test_that("a run repeats its settings until they are known, or as often as it may", {
  ledger <- memory_ledger()
  runs <- function(...) {
    plan <- plan_bench(small_shot(), pebble(), versions = list(pebble = "1.1"), frames = 1:2,
                       repeats = repeat_rule(...), options = bench_options(warmups = 0))
    table(run_bench(plan, ledger, progress = FALSE)$frame)
  }
  expect_identical(as.vector(runs(1e-6, least = 2, most = 5)), c(5L, 5L))
  expect_identical(as.vector(runs(1e-6, least = 3, most = 5, budget = "1 ms")), c(3L, 3L))
})

test_that("a run that is killed at any moment goes on with the trials that have no row", {
  killed_and_resumed(8, 1:16, 2)
})
