# A run in a process of its own that is killed at random moments, `asked` times, and gone on with
# each time.
killed_and_resumed <- function(asked, frames, repeats) {
  folder <- scratch()
  path <- file.path(folder, "l.sqlite")
  plan <- plan_bench(small_shot(), pebble(), versions = list(pebble = "1.1"), frames = frames,
                     repeats = repeats, options = bench_options(warmups = 0))
  saveRDS(list(plan, pebble()), file.path(folder, "plan.rds"))
  code <- c("x <- readRDS('plan.rds'); l <- clockpigeon::open_ledger('l.sqlite')",
            "k <- DBI::dbGetQuery(l$con, 'SELECT count(*) AS n FROM plans')$n; file.create('begun')",
            "if (k) clockpigeon::resume_bench(l, x[[2]], progress = FALSE)",
            "if (!k) clockpigeon::run_bench(x[[1]], l, progress = FALSE)",
            "file.create('ended')")
  writeLines(code, file.path(folder, "run.R"))
  set.seed(5)
  kills <- 0
  seen <- character()
  for (attempt in 1:120) {
    if (file.exists(file.path(folder, "ended"))) break
    unlink(file.path(folder, "begun"))
    job <- processx::process$new(file.path(R.home("bin"), "Rscript"), "run.R", wd = folder,
                                 env = c("current", R_LIBS = Sys.getenv("R_LIBS")))
    while (job$is_alive() && !file.exists(file.path(folder, "begun"))) Sys.sleep(0.01)
    job$wait(timeout = if (kills < asked) 1000 * runif(1, 0, 0.25) else 60000)
    if (job$is_alive()) kills <- kills + 1
    job$kill()
    ledger <- open_ledger(path)
    rows <- timings(ledger)
    close_ledger(ledger)
    expect_identical(rows$id[seq_along(seen)], seen)
    seen <- rows$id
  }
  expect_gte(kills, asked)
  expect_identical(sort(rows$run_order), seq_len(length(frames) * repeats))
  expect_identical(rows$status, rep("ok", length(frames) * repeats))
  expect_refusal(resume_bench(memory_ledger(), pebble()), "plan", "has no plan")
}
