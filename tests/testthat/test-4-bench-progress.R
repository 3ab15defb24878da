test_that("time left is judged from the trials done, by shot and version", {
  plan <- plan_bench(small_shot(), pebble(), frames = c(1, 2), repeats = 2,
                     options = bench_options(warmups = 0))
  now <- 0
  out <- textConnection("said", "w", local = TRUE)
  plan <- plan$trials
  timer <- clockpigeon:::progress_timer(plan, TRUE, clock = function() now <<- now + 10, out = out)
  for (i in seq_len(nrow(plan))) {
    timer$before(i)
    timer$after(i, list(wall_s = if (plan$version[i] == "1.0") 4 else 2,
                        status = if (i == 3) "failed" else "ok",
                        note = "why"))
  }
  timer$end()
  close(out)
  last <- plan$version[nrow(plan)]
  expect_true(any(grepl(paste0("trial 8 of 8.*about ", if (last == "1.0") "4.00s" else "2.00s",
                               " left"), said)))
  expect_true(any(grepl("trial 3: failed: why", said)))
  expect_match(said[length(said)], "8 trials in 24.0s, 1 not ok")
})
